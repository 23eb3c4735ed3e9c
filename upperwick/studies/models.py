"""What each rule has tried, and whose seal was broken. Studies themselves are jobs."""

from django.db import models

from upperwick.base.named import SealBroken, Tried


class Try(Tried):
    """One setting of a rule that was measured: text, dials, universe, entry. `series` holds its daily excess by horizon, compressed."""

    rule = models.ForeignKey("rules.Rule", on_delete=models.CASCADE, related_name="tries")
    series = models.BinaryField()

    class Meta(Tried.Meta):
        constraints = [models.UniqueConstraint(fields=["rule", "digest", "data_version"], name="one_try_a_setting")]


class SealBreak(SealBroken):
    """The one act by which a rule's sealed days were opened."""

    rule = models.OneToOneField("rules.Rule", on_delete=models.CASCADE, related_name="seal_break")

    def __str__(self) -> str:
        return f"{self.rule} at version {self.version}"
