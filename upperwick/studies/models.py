"""What each rule has tried, and whose seal was broken. Studies themselves are jobs."""

from django.db import models


class Try(models.Model):
    """One setting of a rule that was measured: text, dials, universe, entry. `series` holds its daily excess by horizon, compressed."""

    rule = models.ForeignKey("rules.Rule", on_delete=models.CASCADE, related_name="tries")
    digest = models.CharField(max_length=32)
    data_version = models.CharField(max_length=20)
    version = models.PositiveIntegerField(null=True, blank=True)
    label = models.CharField(max_length=200)
    made = models.DateTimeField(auto_now_add=True)
    series = models.BinaryField()

    class Meta:
        ordering = ["id"]
        constraints = [models.UniqueConstraint(fields=["rule", "digest", "data_version"], name="one_try_a_setting")]

    def __str__(self) -> str:
        return self.label


class SealBreak(models.Model):
    """The one act by which a rule's sealed days were opened, with the version it was done for."""

    rule = models.OneToOneField("rules.Rule", on_delete=models.CASCADE, related_name="seal_break")
    version = models.PositiveIntegerField()
    sealed_from = models.DateField()
    broken = models.DateTimeField(auto_now_add=True)

    def __str__(self) -> str:
        return f"{self.rule} at version {self.version}"
