"""Studies asked for and what they found; what each rule has tried; whose seal was broken."""

from django.conf import settings
from django.db import models


class StudyRun(models.Model):
    """One piece of work of the worker. `question` says all that its answer depends on besides the data, and `digest` stands for both; the
    answer is JSON, compressed, the same bytes whenever it is made again. `beat` is the last sign of life of whoever carries it out."""

    KINDS = [(k, k) for k in ("study", "parts", "compare", "sweep")]
    STATES = [(s, s) for s in ("waiting", "running", "done", "stopped", "failed", "interrupted")]

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="study_runs")
    rule = models.ForeignKey("rules.Rule", on_delete=models.CASCADE, null=True, blank=True, related_name="study_runs")
    version = models.PositiveIntegerField(null=True, blank=True)
    name = models.CharField(max_length=120)
    kind = models.CharField(max_length=10, choices=KINDS)
    question = models.JSONField()
    digest = models.CharField(max_length=32, db_index=True)
    data_version = models.CharField(max_length=20)
    seed = models.PositiveIntegerField()
    state = models.CharField(max_length=12, choices=STATES, default="waiting")
    stage = models.CharField(max_length=120, blank=True)
    share = models.FloatField(default=0.0)
    detail = models.TextField(blank=True)
    cancel = models.BooleanField(default=False)
    asked = models.DateTimeField(auto_now_add=True)
    beat = models.DateTimeField(null=True, blank=True)
    seconds = models.FloatField(null=True, blank=True)
    headline = models.TextField(blank=True)
    answer = models.BinaryField(null=True, blank=True)

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["owner", "rule", "-id"], name="runs_of_a_rule")]

    def __str__(self) -> str:
        return f"{self.kind} of {self.name}"


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
