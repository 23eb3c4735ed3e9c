"""What is stored of the market. Bars lie in blocks: one row an instrument, frame and span of time."""

from django.conf import settings
from django.db import models

from wickcore.bars.day_kinds import ANNOUNCEMENT, HOLIDAY


class Instrument(models.Model):
    """Something with bars. `delisted` is the last day it traded, empty while it trades."""

    KINDS = [("share", "share"), ("fund", "fund"), ("index", "index")]

    symbol = models.CharField(max_length=32, unique=True)
    name = models.CharField(max_length=200, blank=True)
    kind = models.CharField(max_length=10, choices=KINDS, default="share")
    sector = models.CharField(max_length=60, blank=True)
    listed = models.DateField(null=True)
    delisted = models.DateField(null=True)
    delisted_reason = models.CharField(max_length=60, blank=True)
    optionable = models.BooleanField(default=False)
    weekly_options = models.BooleanField(default=False)
    currency = models.CharField(max_length=8, blank=True, default="")  # of its prices, where that is known

    class Meta:
        ordering = ["symbol"]

    def __str__(self) -> str:
        return self.symbol


class BlockData(models.Model):
    """The bars of a block as an Arrow IPC stream: day (and minute, of five-minute bars), open, high, low, close, volume as printed, and
    `ratio` (adjusted close over close) where the prices came with adjusted closes. Apart from the blocks, so that an import can put its bars
    here in portions before any block leads to them, and then put its blocks in place of others in a moment."""

    data = models.BinaryField()


class BarBlock(models.Model):
    """One year's bars of one instrument, or of five-minute bars one month's, or a part of them. `year`: which, as of `spans`. `part`: bars that
    came later lie beside the others, each part's after those of the parts before it. `last`: see `packing.Packed`; empty where that is not
    known. `checksum` is made of the bytes of `content` (see packing.digest)."""

    # Its references have no indexes of their own, and bytes that are gone are found by who reads them: a hundred thousand blocks come to stand
    # at once. What each import asks of all blocks, where its instruments' bars end, is read from one index alone.
    instrument = models.ForeignKey(Instrument, on_delete=models.CASCADE, related_name="blocks", db_index=False)
    frame = models.CharField(max_length=8, default="day")
    year = models.PositiveSmallIntegerField()
    part = models.PositiveSmallIntegerField(default=0)
    last = models.BigIntegerField(null=True)
    rows = models.PositiveIntegerField()
    checksum = models.CharField(max_length=32)
    content = models.ForeignKey(
        BlockData, null=True, on_delete=models.DO_NOTHING, related_name="+", db_index=False, db_constraint=False
    )

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["instrument", "frame", "year", "part"], name="one_block_a_part"),
            models.CheckConstraint(condition=models.Q(rows__gt=0), name="a_block_holds_bars"),
            models.CheckConstraint(condition=models.Q(frame__in=["day", "5min"]), name="frames_that_are_stored"),
        ]
        indexes = [models.Index(fields=["frame", "year", "instrument", "part", "last", "rows"], name="where_blocks_end")]


class Split(models.Model):
    """`ratio` new shares for one old from `day` on."""

    instrument = models.ForeignKey(Instrument, on_delete=models.CASCADE, related_name="splits")
    day = models.DateField()
    ratio = models.FloatField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["instrument", "day"], name="one_split_a_day"),
            models.CheckConstraint(condition=models.Q(ratio__gt=0), name="a_split_multiplies"),
        ]


class Dividend(models.Model):
    """`amount` of money a share, as printed, for holders before `day`."""

    instrument = models.ForeignKey(Instrument, on_delete=models.CASCADE, related_name="dividends")
    day = models.DateField()
    amount = models.FloatField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["instrument", "day"], name="one_dividend_a_day")]


class Report(models.Model):
    """A quarterly report as published: money of its day."""

    instrument = models.ForeignKey(Instrument, on_delete=models.CASCADE, related_name="reports")
    day = models.DateField()
    shares = models.FloatField()
    revenue = models.FloatField()
    earnings = models.FloatField()
    expected = models.FloatField(null=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["instrument", "day"], name="one_report_a_day")]


class Universe(models.Model):
    """A named, dated set of instruments."""

    name = models.CharField(max_length=80, unique=True)
    about = models.CharField(max_length=300, blank=True)

    class Meta:
        ordering = ["name"]

    def __str__(self) -> str:
        return self.name


class Member(models.Model):
    """Membership from `first` to `last`, both included."""

    universe = models.ForeignKey(Universe, on_delete=models.CASCADE, related_name="members")
    instrument = models.ForeignKey(Instrument, on_delete=models.CASCADE)
    first = models.DateField()
    last = models.DateField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["universe", "instrument", "first"], name="one_membership_a_beginning"),
            models.CheckConstraint(condition=models.Q(last__gte=models.F("first")), name="membership_ends_after_it_began"),
        ]


class OwnFact(models.Model):
    """A number of one's own about an instrument, known from `day` on: `own.NAME` in rules."""

    # Without an index of its own: that of the constraint begins with it.
    instrument = models.ForeignKey(Instrument, on_delete=models.CASCADE, related_name="own_facts", db_index=False)
    name = models.CharField(max_length=80)
    day = models.DateField()
    value = models.FloatField()

    class Meta:
        constraints = [models.UniqueConstraint(fields=["instrument", "name", "day"], name="one_own_fact_a_day")]


class OvernightBar(models.Model):
    """The night before a session of an instrument that trades then, as printed: from the close before to that session's open."""

    # Without an index of its own: that of the constraint begins with it.
    instrument = models.ForeignKey(Instrument, on_delete=models.CASCADE, related_name="nights", db_index=False)
    day = models.DateField()
    open = models.FloatField()
    high = models.FloatField()
    low = models.FloatField()
    close = models.FloatField()
    low_first = models.BooleanField()

    class Meta:
        constraints = [
            models.UniqueConstraint(fields=["instrument", "day"], name="one_night_a_session"),
            models.CheckConstraint(condition=models.Q(high__gte=models.F("low")), name="a_night_has_its_low_under_its_high"),
        ]


class CalendarEvent(models.Model):
    """A holiday or an economic announcement."""

    KINDS = [(HOLIDAY.name, "holiday"), (ANNOUNCEMENT.name, "announcement")]

    day = models.DateField(db_index=True)
    kind = models.CharField(max_length=12, choices=KINDS)
    name = models.CharField(max_length=80)


class DataVersion(models.Model):
    """One row a change of the market's data; the newest is the version everything computed hangs on. touched: the tables that changed, with
    commas; empty where that is not known."""

    at = models.DateTimeField(auto_now_add=True)
    what = models.CharField(max_length=200)
    touched = models.CharField(max_length=120, blank=True)
    invented = models.BooleanField(default=False)
    benchmark = models.CharField(max_length=32, blank=True)
    zone = models.CharField(max_length=64, blank=True)  # the exchange's time zone (IANA), by which moments with an offset are read


class Rename(models.Model):
    """A symbol that took the place of another: what is dated before `day` under `former` is `symbol`'s."""

    former = models.CharField(max_length=32)
    symbol = models.CharField(max_length=32)
    day = models.DateField()

    class Meta:
        ordering = ["day", "id"]
        constraints = [
            models.UniqueConstraint(fields=["former", "day"], name="one_rename_a_symbol_and_day"),
            models.CheckConstraint(condition=~models.Q(former=models.F("symbol")), name="a_rename_is_of_two_symbols"),
        ]

    def __str__(self) -> str:
        return f"{self.former} is {self.symbol} from {self.day} on"


class Finding(models.Model):
    """Something in the data that looks wrong, as of the latest check (see wickcore.bars.quality). open: nobody has settled it yet."""

    kind = models.CharField(max_length=24)
    symbol = models.CharField(max_length=32, db_index=True)
    day = models.DateField()
    until = models.DateField()
    said = models.CharField(max_length=300)
    ratio = models.FloatField(null=True)
    former = models.CharField(max_length=32, blank=True, default="")  # of what looks renamed
    open = models.BooleanField(default=True)

    class Meta:
        constraints = [models.UniqueConstraint(fields=["kind", "symbol", "day", "said"], name="a_finding_once")]


class Checked(models.Model):
    """Which version of the data the findings are of; one row."""

    version = models.CharField(max_length=20, blank=True)


class Drawing(models.Model):
    """What a person has drawn on a chart. points: [day, price] each, prices on the scale of the instrument's first bar. `deleted` is set while
    it can still be brought back, as the one that an alert waits at."""

    KINDS = [("line", "trend line"), ("level", "level"), ("range", "range"), ("text", "text")]

    owner = models.ForeignKey(settings.AUTH_USER_MODEL, on_delete=models.CASCADE, related_name="drawings")
    instrument = models.ForeignKey(Instrument, on_delete=models.CASCADE, related_name="drawings")
    kind = models.CharField(max_length=8, choices=KINDS)
    points = models.JSONField()
    text = models.CharField(max_length=200, blank=True)
    saved = models.DateTimeField(auto_now=True)
    deleted = models.DateTimeField(null=True, blank=True)

    class Meta:
        indexes = [models.Index(fields=["owner", "instrument"])]
