"""Alerts, schedules and watched rules."""

from django.conf import settings
from django.db import models

from upperwick.outbox.models import CalendarLink, Message
from upperwick.rules.models import Rule

__all__ = ["Alert", "CalendarLink", "Message", "Schedule", "Watched"]  # Django looks for the app's models here


class Alert(models.Model):
    """Something to be told of once. kind: what; about: of what, as JSON (see alerts.kinds). seen: the key of the moment up to which it was
    looked at. armings: how often it was armed: with the moment, what makes its message one. fired: the moment on which it fired, with what was
    said. until: the last day on which it is looked at."""

    KINDS = [("price", "price"), ("line", "drawn line"), ("rule", "rule"), ("report", "report"), ("breadth", "breadth")]

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="alerts")
    kind = models.CharField(max_length=8, choices=KINDS)
    symbol = models.CharField(max_length=32, blank=True)
    about = models.JSONField(default=dict)
    armed = models.BooleanField(default=True)
    armings = models.PositiveIntegerField(default=1)
    seen = models.BigIntegerField(default=0)
    until = models.DateField(null=True, blank=True)
    fired = models.CharField(max_length=20, blank=True)
    said = models.CharField(max_length=300, blank=True)
    trouble = models.CharField(max_length=300, blank=True)
    made = models.DateTimeField(auto_now_add=True)
    deleted = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-armed", "-id"]
        indexes = [models.Index(fields=["armed", "deleted"])]


class Schedule(models.Model):
    """A rule that runs by itself on chosen weekdays. times: `close` or minutes of the session as HH:MM. only_new: it mails
    only when there is something
    new. puts: the name of a list that takes what is new. hits: the symbols of its latest run; seen: the key of the moment up to which it ran."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="schedules")
    rule = models.ForeignKey(Rule, on_delete=models.CASCADE, related_name="schedules")
    universe = models.CharField(max_length=500, blank=True)
    weekdays = models.JSONField(default=list)
    times = models.JSONField(default=list)
    mails = models.BooleanField(default=True)
    only_new = models.BooleanField(default=False)  # of those from before there was a choice; the form's default is True
    puts = models.CharField(max_length=80, blank=True)
    hits = models.JSONField(default=list)
    seen = models.BigIntegerField(default=0)
    ran = models.CharField(max_length=20, blank=True)
    trouble = models.CharField(max_length=300, blank=True)
    on = models.BooleanField(default=True)
    deleted = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["id"]


class OnDesk(models.Manager["Watched"]):
    """Those that are watched now."""

    def get_queryset(self) -> models.QuerySet["Watched"]:
        return super().get_queryset().filter(ended="", rule__deleted__isnull=True)


class Watched(models.Model):
    """A rule whose hits the desk shows, and what its latest scan found. digest: of what that scan hangs on. ended: the moment at which it was
    taken off the desk; "" while it is watched."""

    objects = models.Manager()
    on_desk = OnDesk()

    rule = models.OneToOneField(Rule, on_delete=models.CASCADE, related_name="watched")
    since = models.CharField(max_length=20)
    digest = models.CharField(max_length=32, blank=True)
    moment = models.CharField(max_length=20, blank=True)
    fresh = models.JSONField(default=list)
    hits = models.JSONField(default=list)
    scanned = models.PositiveIntegerField(default=0)
    trouble = models.CharField(max_length=300, blank=True)
    seconds = models.FloatField(null=True, blank=True)
    ended = models.CharField(max_length=20, blank=True, default="")
