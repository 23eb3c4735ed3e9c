"""Rules of each account, with every version ever saved, and the breadths that rules can name."""

from django.conf import settings
from django.db import models


class Rule(models.Model):
    """A rule's present text. `deleted` is set while a deletion can still be undone; `share` is the secret of its read-only link, where it has
    one. `table`: the columns and order of its own, where it has some. `read`: what the list of rules shows of the text (`summary.py`)."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="rules")
    name = models.CharField(max_length=120)
    text = models.TextField()
    created = models.DateTimeField(auto_now_add=True)
    saved = models.DateTimeField(auto_now=True)
    deleted = models.DateTimeField(null=True, blank=True)
    folder = models.CharField(max_length=60, blank=True)
    tags = models.JSONField(default=list, blank=True)
    share = models.CharField(max_length=32, null=True, blank=True, unique=True)
    table = models.JSONField(null=True, blank=True)
    read = models.JSONField(default=dict, blank=True)

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(
                fields=["owner", "name"], condition=models.Q(deleted__isnull=True), name="one_rule_a_name_and_owner"
            )
        ]

    def __str__(self) -> str:
        return self.name


class RuleVersion(models.Model):
    """What a save kept. Versions count from 1 within a rule."""

    rule = models.ForeignKey(Rule, on_delete=models.CASCADE, related_name="versions")
    number = models.PositiveIntegerField()
    name = models.CharField(max_length=120)
    text = models.TextField()
    saved = models.DateTimeField(auto_now_add=True)

    class Meta:
        ordering = ["number"]
        constraints = [models.UniqueConstraint(fields=["rule", "number"], name="one_version_a_number")]


class Breadth(models.Model):
    """A breadth kept by name: the text of a rule with what is counted in its head (wickcore.language.breadth), and how it was last looked at:
    by day or week, smoothed, beside which instrument, the level and from where it is passed. `deleted` is set while a deletion can still be
    undone."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="breadths")
    name = models.CharField(max_length=120)
    text = models.TextField()
    look = models.JSONField(default=dict, blank=True)
    saved = models.DateTimeField(auto_now=True)
    deleted = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(
                fields=["owner", "name"], condition=models.Q(deleted__isnull=True), name="one_breadth_a_name_and_owner"
            )
        ]

    def __str__(self) -> str:
        return self.name
