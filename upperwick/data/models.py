"""What was imported, and what stood there before, so that it can be undone."""

from django.conf import settings
from django.db import models


class Import(models.Model):
    """One import. source: how it came (`browser`, `command line`, `drop folder`, `feed`). files: their names. counts: by table, how many rows
    were added, replaced, the same and left. changes: some stored values that it changed, old and new. undone: when it was."""

    at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="imports")
    source = models.CharField(max_length=20)
    what = models.CharField(max_length=300)
    files = models.JSONField(default=list)
    digests = models.JSONField(default=list)
    counts = models.JSONField(default=dict)
    changes = models.JSONField(default=list)
    notes = models.JSONField(default=list)
    undone = models.DateTimeField(null=True)

    class Meta:
        ordering = ["-id"]

    def __str__(self) -> str:
        return self.what


class Before(models.Model):
    """What stood at the rows an import touched: an Arrow stream. Of bars, one a symbol and frame (see wickcore.bars.merge.touched); of other
    tables one a table, with the columns `key` and `row` as JSON (null where there was none)."""

    # Without an index of its own: that of the constraint begins with it.
    of = models.ForeignKey(Import, on_delete=models.CASCADE, related_name="before", db_index=False)
    table = models.CharField(max_length=20)
    symbol = models.CharField(max_length=32, blank=True)
    frame = models.CharField(max_length=8, blank=True)
    data = models.BinaryField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["of", "table", "symbol", "frame"], name="one_before_a_table")]


class Feed(models.Model):
    """What the simulated feed has been told to do; one row. going: see `feed.WAYS`, "" while it stands. begun: when the session that it goes
    through would have opened on the wall clock. said: what to tell about it."""

    going = models.CharField(max_length=8, blank=True)
    begun = models.DateTimeField(null=True)
    said = models.CharField(max_length=200, blank=True)


class Settled(models.Model):
    """A finding that a person has settled: it is not asked about again. finding: its kind, what it is of and where (see quality)."""

    at = models.DateTimeField(auto_now_add=True)
    by = models.ForeignKey(settings.AUTH_USER_MODEL, null=True, on_delete=models.SET_NULL, related_name="settled")
    kind = models.CharField(max_length=24)
    symbol = models.CharField(max_length=32)
    day = models.DateField()
    how = models.CharField(max_length=12)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["kind", "symbol", "day"], name="a_finding_is_settled_once")]


class Vendor(models.Model):
    """Answers about the files of one sender, used for every later file like them. heading: what its files' headings come to (see
    `reading.grouping.heading_key`). pattern: of their names, with `*` for what changes. answers: the fields of
    `reading.answers.Answers` that are set. used: when files were last read with it."""

    name = models.CharField(max_length=80, unique=True)
    heading = models.TextField()
    pattern = models.CharField(max_length=300)
    answers = models.JSONField(default=dict)
    made = models.DateTimeField(auto_now_add=True)
    used = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["name"]
        constraints = [models.UniqueConstraint(fields=["heading", "pattern"], name="one_vendor_a_layout")]

    def __str__(self) -> str:
        return self.name


class DataIssue(models.Model):
    """Something about the data that a person has to know: first on the desk, and sent as a message. key: what makes it one, so that it is told
    once. about: what it is of: a file's name, a day, symbols. moment: of the market. told: when its message was written. settled: when a person
    put it away, or it was mended."""

    KINDS = [(k, k) for k in ("refused", "asked", "session", "silent", "late", "columns")]

    kind = models.CharField(max_length=10, choices=KINDS)
    key = models.CharField(max_length=200, unique=True)
    about = models.CharField(max_length=300, blank=True)
    text = models.CharField(max_length=600)
    moment = models.CharField(max_length=20, blank=True)
    at = models.DateTimeField(auto_now_add=True)
    told = models.DateTimeField(null=True, blank=True)
    settled = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-id"]
        indexes = [models.Index(fields=["settled", "told"])]
