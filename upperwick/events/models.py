from django.db import models


class Told(models.Model):
    """What one serving process told its listeners, for those of the others, who look for it several times a second. The latest few are kept.

    process: which one told it. what, more: the event. owner: whose tabs are meant; None for everybody's.
    """

    process = models.CharField(max_length=32)
    what = models.CharField(max_length=32)
    owner = models.IntegerField(null=True)
    more = models.JSONField(default=dict)

    class Meta:
        db_table = "events_told"
