"""Jobs asked for, and what came of them."""

from django.conf import settings
from django.db import models
from django.db.models import Q
from django.utils import timezone

SILENT_SECONDS = 20.0
UNFINISHED = ("waiting", "running")
INTERRUPTED = "The worker was ended in the middle of this; nothing was kept. It can be run again."


class Job(models.Model):
    """One piece of work. `kind` names who carries it out (registry.KINDS). `question` says all that its answer depends on besides the data,
    and `digest` stands for both; the answer is JSON, compressed, the same bytes whenever it is made again. `subject_kind` and `subject_id` say
    what it is about, such as a rule; `note` holds what its kind wants to show beside it. `beat` is the last sign of life of whoever carries
    it out."""

    STATES = [(s, s) for s in ("waiting", "running", "done", "stopped", "failed", "interrupted")]

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="jobs")
    kind = models.CharField(max_length=20)
    subject_kind = models.CharField(max_length=20, blank=True)
    subject_id = models.PositiveBigIntegerField(null=True, blank=True)
    name = models.CharField(max_length=120)
    note = models.JSONField(default=dict, blank=True)
    question = models.JSONField()
    digest = models.CharField(max_length=32)
    data_version = models.CharField(max_length=20)
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
        indexes = [
            models.Index(fields=["owner", "kind", "digest"], name="jobs_of_a_question"),
            models.Index(fields=["subject_kind", "subject_id", "-id"], name="jobs_about_something"),
        ]
        constraints = [
            models.UniqueConstraint(
                fields=["owner", "kind", "digest"],
                condition=Q(state__in=UNFINISHED, cancel=False),
                name="one_unfinished_job_a_question",
            ),
            models.CheckConstraint(condition=Q(share__gte=0.0, share__lte=1.0), name="share_of_a_job_from_0_to_1"),
        ]

    def __str__(self) -> str:
        return f"{self.kind} of {self.name}"

    @property
    def silent(self) -> bool:
        """Whether it claims to be running but has long given no sign of life."""
        return self.state == "running" and self.beat is not None and (timezone.now() - self.beat).total_seconds() > SILENT_SECONDS

    @property
    def state_now(self) -> str:
        """The state as a person should see it: one that fell silent was interrupted, though nobody has written that down yet."""
        return "interrupted" if self.silent else self.state

    @property
    def detail_now(self) -> str:
        """What is to be said of the state."""
        return INTERRUPTED if self.silent else self.detail
