"""Messages as they were written, and addresses of calendars."""

from django.conf import settings
from django.db import models

LABEL = "keeping"  # the app whose tables they are


class Message(models.Model):
    """A message as it was written (RFC 5322). key: of what it tells, once an owner. moment: of the market. place: what it speaks of, as an
    address of the application. sent: when it went to a mail server, where one is set."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="messages")
    key = models.CharField(max_length=80)
    kind = models.CharField(max_length=12)
    moment = models.CharField(max_length=20)
    made = models.DateTimeField(auto_now_add=True)
    subject = models.CharField(max_length=300)
    text = models.TextField()
    raw = models.BinaryField()
    place = models.CharField(max_length=200, blank=True)
    symbols = models.JSONField(default=list)
    read = models.BooleanField(default=False)
    sent = models.DateTimeField(null=True, blank=True)
    deleted = models.DateTimeField(null=True, blank=True)

    class Meta:
        app_label = LABEL
        ordering = ["-id"]
        constraints = [models.UniqueConstraint(fields=["owner", "key"], name="a_thing_is_told_once")]
        indexes = [models.Index(fields=["owner", "deleted"])]


class CalendarLink(models.Model):
    """What the address of an account's calendar ends with. It ends with the account, with all its sessions, and when it is asked to."""

    owner = models.OneToOneField(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="+")
    token = models.CharField(max_length=200, unique=True)

    class Meta:
        app_label = LABEL
