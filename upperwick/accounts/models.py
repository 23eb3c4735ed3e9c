"""What an account has chosen for itself."""

from django.conf import settings
from django.db import models


class Preferences(models.Model):
    """One document an account: columns, their saved sets, how charts are shown, the account's size. Its form is `api.PreferencesDoc`."""

    owner = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="preferences")
    document = models.JSONField(default=dict)


class WrongTries(models.Model):
    """Wrong passwords in a row (see `tries`). key: what they are counted under. last: when the latest was."""

    key = models.CharField(max_length=240, unique=True)
    count = models.PositiveIntegerField()
    last = models.DateTimeField(db_index=True)
