"""Settings of the one installation: everything lies in the data folder and nothing is fetched from elsewhere."""

import os
import secrets
from pathlib import Path

from upperwick.base.files import write_whole

BASE_DIR = Path(__file__).resolve().parent.parent
DATA_DIR = Path(os.environ.get("UPPERWICK_DATA", BASE_DIR / "data")).expanduser().resolve()
WEB_DIST = BASE_DIR / "web" / "dist"


def _secret_key() -> str:
    """A key of this installation's own, made on first use and kept beside the database."""
    if key := os.environ.get("UPPERWICK_SECRET_KEY"):
        return key
    path = DATA_DIR / "secret-key"
    try:
        DATA_DIR.mkdir(parents=True, exist_ok=True)
        if not path.exists() or not path.read_text().strip():  # a power cut may have left it empty
            write_whole(path, secrets.token_urlsafe(50).encode())
        return path.read_text().strip()
    except OSError:
        # A read-only folder is reported by the command line in a sentence; commands that need no database still run.
        return secrets.token_urlsafe(50)


SECRET_KEY = _secret_key()
DEBUG = False
ALLOWED_HOSTS = ["127.0.0.1", "localhost", "[::1]"]
INSTALLED_APPS = [
    "django.contrib.admin",
    "django.contrib.auth",
    "django.contrib.contenttypes",
    "django.contrib.sessions",
    "django.contrib.messages",
    "django.contrib.staticfiles",
    "upperwick.accounts",
    "upperwick.alerts",
    "upperwick.bench",
    "upperwick.books",
    "upperwick.data",
    "upperwick.events",
    "upperwick.jobs",
    "upperwick.market",
    "upperwick.precedents",
    "upperwick.rules",
    "upperwick.studies",
]
MIDDLEWARE = [
    "django.middleware.security.SecurityMiddleware",
    "whitenoise.middleware.WhiteNoiseMiddleware",
    "django.middleware.gzip.GZipMiddleware",
    "django.contrib.sessions.middleware.SessionMiddleware",
    "django.middleware.common.CommonMiddleware",
    "django.middleware.csrf.CsrfViewMiddleware",
    "django.contrib.auth.middleware.AuthenticationMiddleware",
    "django.contrib.messages.middleware.MessageMiddleware",
    "django.middleware.clickjacking.XFrameOptionsMiddleware",
    "upperwick.security.content_policy",
]
AUTHENTICATION_BACKENDS = ["upperwick.accounts.sign_in_limits.CountedBackend"]
# Slow to guess and quick to answer; what was hashed before is hashed anew when its owner next signs in.
PASSWORD_HASHERS = [
    "django.contrib.auth.hashers.Argon2PasswordHasher",
    "django.contrib.auth.hashers.PBKDF2PasswordHasher",
]
# The addresses of proxies, with commas between them, that may say for whom they ask; none where it is not set.
TRUSTED_PROXIES = [part.strip() for part in os.environ.get("UPPERWICK_TRUSTED_PROXIES", "").split(",") if part.strip()]
ROOT_URLCONF = "upperwick.urls"
ASGI_APPLICATION = "upperwick.asgi.application"
# The one page is built beforehand; templates are for Django's own administration.
TEMPLATES: list[dict[str, object]] = [
    {
        "BACKEND": "django.template.backends.django.DjangoTemplates",
        "APP_DIRS": True,
        "OPTIONS": {
            "context_processors": [
                "django.template.context_processors.request",
                "django.contrib.auth.context_processors.auth",
                "django.contrib.messages.context_processors.messages",
            ]
        },
    }
]
DATABASES = {
    "default": {
        "ENGINE": "django.db.backends.sqlite3",
        "NAME": DATA_DIR / "upperwick.sqlite3",
        "OPTIONS": {
            "transaction_mode": "IMMEDIATE",
            "timeout": 20,
            "init_command": "PRAGMA journal_mode=WAL; PRAGMA synchronous=NORMAL; PRAGMA foreign_keys=ON;",
        },
        "TEST": {"NAME": None},
    }
}
AUTH_PASSWORD_VALIDATORS = [
    {"NAME": "django.contrib.auth.password_validation.MinimumLengthValidator", "OPTIONS": {"min_length": 12}},
    {"NAME": "upperwick.accounts.passwords.NotTheName"},
    {"NAME": "django.contrib.auth.password_validation.UserAttributeSimilarityValidator"},
    {"NAME": "django.contrib.auth.password_validation.CommonPasswordValidator"},
]
DEFAULT_AUTO_FIELD = "django.db.models.BigAutoField"
USE_TZ = True
TIME_ZONE = "UTC"
STATIC_URL = "/static/"
STATICFILES_DIRS = [WEB_DIST] if WEB_DIST.is_dir() else []
WHITENOISE_USE_FINDERS = True
WHITENOISE_MAX_AGE = 31_536_000
SESSION_COOKIE_SAMESITE = "Lax"
CSRF_COOKIE_SAMESITE = "Lax"
X_FRAME_OPTIONS = "DENY"
DATA_UPLOAD_MAX_MEMORY_SIZE = 2_000_000
DATA_UPLOAD_MAX_NUMBER_FILES = 2_000

# Messages are kept in the outbox; with a mail server they are also sent, to the address that an account has.
EMAIL_BACKEND = "upperwick.outbox.mail.Outbox"
DEFAULT_FROM_EMAIL = os.environ.get("UPPERWICK_MAIL_FROM", "outbox@upperwick.invalid")
SMTP_HOST = os.environ.get("UPPERWICK_SMTP_HOST", "")
EMAIL_HOST, EMAIL_PORT = SMTP_HOST or "localhost", int(os.environ.get("UPPERWICK_SMTP_PORT", "25"))
EMAIL_HOST_USER = os.environ.get("UPPERWICK_SMTP_USER", "")
EMAIL_HOST_PASSWORD = os.environ.get("UPPERWICK_SMTP_PASSWORD", "")
EMAIL_USE_TLS = os.environ.get("UPPERWICK_SMTP_TLS", "") == "1"
EMAIL_TIMEOUT = 20
