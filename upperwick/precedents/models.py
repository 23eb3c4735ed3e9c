"""What is remembered of looking at precedents."""

from django.conf import settings
from django.db import models


class PrecedentLook(models.Model):
    """One set of lines that somebody looked at for a session: the more sets, the sooner one of them shines by luck."""

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="precedent_looks")
    session = models.IntegerField()
    digest = models.CharField(max_length=32)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["owner", "session", "digest"], name="one_look_a_set_and_session")]
