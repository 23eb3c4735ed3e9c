"""Accounts: Django's own users, each beginning with the starter rules."""

from django.contrib.auth import get_user_model
from django.contrib.auth.models import AbstractBaseUser

from upperwick.rules.services import add_starters

DEMO_NAME, DEMO_PASSWORD = "trader", "candle-and-wick"


def ensure_demo_account() -> AbstractBaseUser:
    """The account that `make demo` prints; made once, its password left alone afterwards."""
    user, made = get_user_model().objects.get_or_create(username=DEMO_NAME)
    if made:
        user.set_password(DEMO_PASSWORD)
        user.save()
    add_starters(user)
    return user
