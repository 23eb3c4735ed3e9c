"""What an account keeps instruments in."""

from django.conf import settings
from django.db import models


class BenchList(models.Model):
    """A named list of symbols in the order they were put in. `deleted` is set while a deletion can still be undone."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="lists")
    name = models.CharField(max_length=80)
    symbols = models.JSONField(default=list)
    saved = models.DateTimeField(auto_now=True)
    deleted = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(
                fields=["owner", "name"], condition=models.Q(deleted__isnull=True), name="one_list_a_name_and_owner"
            )
        ]

    def __str__(self) -> str:
        return self.name
