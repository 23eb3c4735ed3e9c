"""What an account keeps instruments in."""

from django.db import models

from upperwick.base.named import Named, owner


class BenchList(Named):
    """A named list of symbols in the order they were put in."""

    word, most = "list", 500
    replaced: list[str] | None = None  # what it held before it was kept just now; not stored
    owner = owner("lists")
    name = models.CharField(max_length=80)
    symbols = models.JSONField(default=list)

    class Meta:
        ordering = ["name"]
        constraints = [
            models.UniqueConstraint(
                fields=["owner", "name"], condition=models.Q(deleted__isnull=True), name="one_list_a_name_and_owner"
            )
        ]


STAGES = ("shortlisted", "planned", "holding", "closed")


class BenchItem(models.Model):
    """An instrument on the bench. stage: one of STAGES. rule_name, version: which rule brought it, where one did; rule: its number, which may be
    gone. since, moved: moments of the market. plan: as positions.plans keeps it, prices on the continuous scale. first_stop: the plan's when the
    position was entered, on that scale: what R is measured by. paper: how far the clock has come with the plan, None where it was not left to
    it. watch: how far what is held was watched (see positions.position_watch). `deleted` is set while it can still be brought back."""

    owner = owner("bench")
    symbol = models.CharField(max_length=32)
    stage = models.CharField(max_length=12, choices=[(s, s) for s in STAGES], default="shortlisted")
    rule = models.PositiveIntegerField(null=True, blank=True)
    rule_name = models.CharField(max_length=120, blank=True)
    version = models.PositiveIntegerField(null=True, blank=True)
    since = models.CharField(max_length=20)
    moved = models.CharField(max_length=20)
    plan = models.JSONField(null=True, blank=True)
    first_stop = models.FloatField(null=True, blank=True)
    paper = models.JSONField(null=True, blank=True)
    watch = models.JSONField(null=True, blank=True)
    deleted = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.UniqueConstraint(
                fields=["owner", "symbol"],
                condition=models.Q(deleted__isnull=True) & ~models.Q(stage="closed"),
                name="an_instrument_once_on_the_bench",
            )
        ]


class BenchEvent(models.Model):
    """What happened to an item, and notes on it: nothing of it is changed later, notes apart."""

    KINDS = [(k, k) for k in ("added", "moved", "note", "planned", "paper", "filled", "dropped", "restored")]

    item = models.ForeignKey(BenchItem, on_delete=models.CASCADE, related_name="events")
    kind = models.CharField(max_length=10, choices=KINDS)
    moment = models.CharField(max_length=20)
    at = models.DateTimeField(auto_now_add=True)
    text = models.CharField(max_length=2_000, blank=True)

    class Meta:
        ordering = ["-id"]


class FillImport(models.Model):
    """Fills that came in one file of a broker. made: the numbers of the items that it put on the bench. undone: when it was."""

    owner = owner("fill_imports")
    at = models.DateTimeField(auto_now_add=True)
    name = models.CharField(max_length=200)
    made = models.JSONField(default=list)
    undone = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-id"]


class Fill(models.Model):
    """Shares that were bought or sold for an item. moment: of the market. price, cost: as printed that day, cost in money. factor: of that day's
    scale. paper: the clock's, else by hand. reason: of a paper fill, as books name them. imported, key: of one that came in a
    broker's file: which,
    and what it is known again by. `deleted` is set while that can still be undone."""

    ACTIONS = [(a, a) for a in ("buy", "sell", "short", "cover")]

    item = models.ForeignKey(BenchItem, on_delete=models.CASCADE, related_name="fills")
    moment = models.CharField(max_length=20)
    action = models.CharField(max_length=5, choices=ACTIONS)
    shares = models.FloatField()
    price = models.FloatField()
    cost = models.FloatField(default=0.0)
    factor = models.FloatField(default=1.0)
    paper = models.BooleanField(default=False)
    reason = models.CharField(max_length=10, blank=True)
    imported = models.ForeignKey(FillImport, null=True, blank=True, on_delete=models.SET_NULL, related_name="fills")
    key = models.CharField(max_length=40, blank=True, default="", db_index=True)
    deleted = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["id"]


class PositionNotice(models.Model):
    """Something about a position that wants to be dealt with: it stands first on the desk, and on the bench, until it is. kind: what it is of.
    event: `met`, `gapped`, `near`, `filled` (on paper), `silent` or `over`. number: which of the targets. level: on the
    continuous scale, None where
    there is none. moment: of the market. settled: when it was dealt with or put away."""

    KINDS = [(k, k) for k in ("stop", "target", "halt", "delisted")]

    item = models.ForeignKey(BenchItem, on_delete=models.CASCADE, related_name="notices")
    kind = models.CharField(max_length=10, choices=KINDS)
    event = models.CharField(max_length=8)
    number = models.PositiveSmallIntegerField(default=0)
    level = models.FloatField(null=True, blank=True)
    moment = models.CharField(max_length=20)
    text = models.CharField(max_length=300)
    at = models.DateTimeField(auto_now_add=True)
    settled = models.DateTimeField(null=True, blank=True)

    class Meta:
        ordering = ["-id"]
        constraints = [
            models.UniqueConstraint(fields=["item", "kind", "event", "number", "level", "moment"], name="one_notice_an_event")
        ]
