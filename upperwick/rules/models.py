"""Rules of each account, with every version ever saved, and the breadths that rules can name."""

from django.db import models

from upperwick.base.named import NamedText, Version, VersionedText, owner
from wickcore.language.parser import MAX_CHARACTERS


class Rule(VersionedText):
    """A rule's present text. `share` is the secret of its read-only link, where it has one. `table`: the columns and order of its own, where it
    has some. `read`: what the list of rules shows of the text (`summary.py`)."""

    word, most, longest = "rule", 2_000, MAX_CHARACTERS
    owner = owner("rules")
    folder = models.CharField(max_length=60, blank=True)
    tags = models.JSONField(default=list, blank=True)
    share = models.CharField(max_length=32, null=True, blank=True, unique=True)
    table = models.JSONField(null=True, blank=True)
    read = models.JSONField(default=dict, blank=True)


class RuleVersion(Version):
    """What a save of a rule kept."""

    rule = models.ForeignKey(Rule, on_delete=models.CASCADE, related_name="versions")

    class Meta(Version.Meta):
        constraints = [models.UniqueConstraint(fields=["rule", "number"], name="one_version_a_number")]


class Breadth(NamedText):
    """A breadth kept by name: the text of a rule with what is counted in its head (wickcore.language.breadth), and how it was last looked at:
    by day or week, smoothed, beside which instrument, the level and from where it is passed."""

    word, most, longest = "breadth", 300, MAX_CHARACTERS
    owner = owner("breadths")
    look = models.JSONField(default=dict, blank=True)
