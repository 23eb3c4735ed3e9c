"""Accounts: Django's own users, each beginning with the starter rules."""

from typing import Any

from django.contrib.auth import SESSION_KEY, get_user_model
from django.contrib.auth.models import AbstractBaseUser
from django.contrib.auth.password_validation import validate_password
from django.contrib.sessions.models import Session
from django.core.exceptions import ValidationError
from django.db.models import Count, Q
from django.utils import timezone

from upperwick.accounts.signals import signed_out_everywhere, welcomed

DEMO_NAME, DEMO_PASSWORD = "trader", "candle-and-wick"


class Unfit(ValueError):
    """An account that cannot be made or changed as asked; the message says why."""


def add_account(name: str, password: str, staff: bool = False) -> AbstractBaseUser:
    """A new account with the starter rules. staff: whether it may use the administration. Raises Unfit."""
    users = get_user_model()
    name = name.strip()
    if users.objects.filter(username=name).exists():
        raise Unfit(f"There is an account {name} already.")
    user = users(username=name, is_staff=staff, is_superuser=staff)
    try:
        user.full_clean(exclude=["password"])
        validate_password(password, user)
    except ValidationError as error:
        raise Unfit(" ".join(error.messages)) from None
    user.set_password(password)
    user.save()
    welcomed.send(None, user=user)
    return user


def set_password(name: str, password: str) -> None:
    """Another password for an account. Raises Unfit."""
    user = account_named(name)
    try:
        validate_password(password, user)
    except ValidationError as error:
        raise Unfit(" ".join(error.messages)) from None
    user.set_password(password)
    user.save()


def end_sessions(user: Any) -> None:
    """Signs an account out of every browser."""
    for session in Session.objects.filter(expire_date__gt=timezone.now()):
        if session.get_decoded().get(SESSION_KEY) == str(user.pk):
            session.delete()
    signed_out_everywhere.send(None, user=user)


def account_named(name: str) -> AbstractBaseUser:
    """The account of a name. Raises Unfit naming those there are."""
    users = get_user_model().objects
    found = users.filter(username=name).first()
    if found is None:
        known = ", ".join(users.order_by("username").values_list("username", flat=True)[:20]) or "none"
        raise Unfit(f"There is no account {name}; there are: {known}.")
    return found


def everybody() -> list[dict[str, Any]]:
    """All accounts by name: how many rules each has, and the day it last signed in."""
    users = get_user_model().objects.annotate(kept=Count("rules", filter=Q(rules__deleted__isnull=True))).order_by("username")
    return [
        {
            "name": u.username,
            "staff": u.is_staff,
            "rules": u.kept,
            "seen": u.last_login.date().isoformat() if u.last_login else None,
        }
        for u in users
    ]


def ensure_demo_account() -> AbstractBaseUser:
    """The account that `make demo` prints; made once, its password left alone afterwards."""
    user, made = get_user_model().objects.get_or_create(username=DEMO_NAME, defaults={"is_staff": True})
    if made:
        user.set_password(DEMO_PASSWORD)
        user.save()
    welcomed.send(None, user=user)
    return user
