"""The open tables a market comes and leaves as. Reading, preview, export, the schema of a data package and the documents derive from these."""

from dataclasses import dataclass
from typing import Literal

from wickcore.bars.day_kinds import DAY_KINDS

Kind = Literal["text", "day", "time", "number", "above zero", "truth", "choice"]


@dataclass(frozen=True, slots=True)
class Column:
    """One column. needed: whether a file of this table has to have it. also: other headings it goes by. choices: all it may say."""

    name: str
    kind: Kind
    about: str
    needed: bool = False
    also: tuple[str, ...] = ()
    choices: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Table:
    """key: the columns by which a row is the same row, so that a later file may say it anew."""

    name: str
    title: str
    about: str
    key: tuple[str, ...]
    columns: tuple[Column, ...]

    @property
    def needed(self) -> tuple[str, ...]:
        return tuple(c.name for c in self.columns if c.needed)

    def column(self, name: str) -> Column:
        """The column of a name. Raises KeyError."""
        return {c.name: c for c in self.columns}[name]


def _symbol(needed: bool = True) -> Column:
    return Column("symbol", "text", "the instrument's symbol", needed, ("ticker", "code", "instrument"))


def _day(about: str) -> Column:
    return Column("day", "day", about, True, ("date",))


BARS = Table(
    "bars", "Bars", "Prices: daily bars, or five-minute bars where there is a time.", ("symbol", "date", "time"),
    (
        _symbol(needed=False),
        Column("date", "day", "the session, with the time of day or without", True, ("day", "datetime", "date_time", "timestamp")),
        Column("time", "time", "when a five-minute bar begins, 09:35", also=("begin", "begins", "bar_time")),
        Column("open", "number", "the first price", True, ("o", "open_price", "opening")),
        Column("high", "number", "the highest price", True, ("h", "high_price", "max")),
        Column("low", "number", "the lowest price", True, ("l", "low_price", "min")),
        Column("close", "number", "the last price", True, ("c", "last", "close_price", "closing", "settle")),
        Column("volume", "number", "shares traded; unknown where it is left out", also=("v", "vol", "shares_traded", "quantity")),
        Column("adj_close", "number", "the close adjusted for splits and dividends", also=("adjusted_close", "close_adj", "adjclose")),
        Column("ratio", "number", "the adjusted close over the close, as a market of ours is exported"),
    ),
)  # fmt: skip
INSTRUMENTS = Table(
    "instruments", "Instruments", "What the symbols are.", ("symbol",),
    (
        _symbol(),
        Column("name", "text", "what it is called", also=("company", "description")),
        Column("kind", "choice", "share, fund or index", also=("type",), choices=("share", "fund", "index")),
        Column("sector", "text", "its sector", also=("industry",)),
        Column("listed", "day", "the day it was listed", also=("listing_day", "first_day")),
        Column("delisted", "day", "the last day it traded", also=("last_day",)),
        Column("reason", "text", "why it trades no more", also=("delisted_reason",)),
        Column("optionable", "truth", "whether options are listed on it", also=("options",)),
        Column("weekly_options", "truth", "whether options that run a week are", also=("weeklies",)),
        Column("currency", "text", "of its prices, as EUR", also=("ccy", "curr")),
    ),
)  # fmt: skip
RENAMES = Table(
    "renames", "Renames", "Symbols that took the place of others: the bars before that day, under the former symbol, are the new one's.",
    ("former", "day"),
    (
        Column("symbol", "text", "the symbol from that day on", True, ("ticker", "code", "instrument", "new", "new_symbol", "to_symbol")),
        Column("former", "text", "the symbol until then", True, (
            "old", "old_symbol", "former_symbol", "previous", "previous_symbol", "from_symbol",
        )),
        Column("day", "day", "the first day under the new symbol", True, ("date", "effective", "effective_date")),
    ),
)  # fmt: skip
SPLITS = Table(
    "splits", "Splits", "New shares for one old, from a day on.", ("symbol", "day"),
    (_symbol(), _day("the first day in new shares"), Column("ratio", "above zero", "new shares for one old", True, ("split", "split_ratio"))),
)  # fmt: skip
DIVIDENDS = Table(
    "dividends", "Dividends", "Money a share, as printed, from the day without it on.", ("symbol", "day"),
    (_symbol(), _day("the first day without it"), Column("amount", "above zero", "money a share", True, ("dividend", "cash"))),
)  # fmt: skip
MEMBERS = Table(
    "members", "Members", "Dated membership of universes.", ("universe", "symbol", "first"),
    (
        Column("universe", "text", "the universe's name", True, ("index", "list")),
        _symbol(),
        Column("first", "day", "its first day in it", True, ("from", "begin", "start")),
        Column("last", "day", "its last day in it, empty while it stays", also=("to", "end", "until")),
    ),
)  # fmt: skip
REPORTS = Table(
    "reports", "Reports", "Quarterly reports as published, in money of their day.", ("symbol", "day"),
    (
        _symbol(), _day("the day it was published"), Column("shares", "above zero", "shares outstanding", True, ("shares_outstanding",)),
        Column("revenue", "number", "the quarter's revenue", True, ("sales",)),
        Column("earnings", "number", "the quarter's earnings", True, ("net_income", "profit")),
        Column("expected", "number", "the earnings that had been expected", also=("estimate",)),
    ),
)  # fmt: skip
CALENDAR = Table(
    "calendar", "Calendar", "Holidays and announcements.", ("day", "kind", "name"),
    (
        _day("the day"), Column("name", "text", "what it is called", True, ("event", "title")),
        Column("kind", "choice", "; ".join(f"{k.name}: {k.about}" for k in DAY_KINDS.values()), choices=tuple(DAY_KINDS)),
    ),
)  # fmt: skip
OWN = Table(
    "own", "Own facts", "Any dated number about an instrument, known from its day on.", ("symbol", "name", "day"),
    (
        _symbol(), _day("the day from which on it is known"),
        Column("name", "text", "the fact's name, as rules say it: own.NAME", True, ("fact", "field", "measure")),
        Column("value", "number", "the number", True, ("score", "number")),
    ),
)  # fmt: skip
OVERNIGHT = Table(
    "overnight", "Overnight bars", "The night before a session, of instruments that trade then.", ("symbol", "day"),
    (
        _symbol(), _day("the session it comes before"),
        Column("open", "number", "the first price of the night", True, ("o",)),
        Column("high", "number", "the highest price of the night", True, ("h",)),
        Column("low", "number", "the lowest price of the night", True, ("l",)),
        Column("close", "number", "the last price of the night", True, ("c",)),
        Column("low_first", "truth", "whether the low came before the high", True, ("low_before_high",)),
    ),
)  # fmt: skip
TABLES: dict[str, Table] = {
    t.name: t for t in (BARS, INSTRUMENTS, RENAMES, SPLITS, DIVIDENDS, MEMBERS, REPORTS, OVERNIGHT, CALENDAR, OWN)
}  # in the order in which they are taken: what others speak of first

# What a broker sends; no table of the market, but read like one.
FILLS = Table(
    "fills", "Fills", "What was bought and sold, as a broker lists it.", ("symbol", "day", "action", "shares", "price"),
    (
        _symbol(), Column("day", "day", "the day it was filled", True, (
            "date", "trade_date", "execution_date", "exec_date", "filled", "fill_date",
            "datum", "handelstag", "date_time", "datetime", "time_executed",
           
            "execution_time", "executed", "executed_at", "transaction_date", "date_operation", "fecha", "data",
        )),
        Column("action", "text", "buy, sell, short or cover; by the sign of the shares where it is left out", also=(
            "side", "buy_sell", "b_s", "bs", "type", "transaction", "transaction_type", "direction", "order_type", "operation",
            "art", "kauf_verkauf", "sens",
        )),
        Column("shares", "number", "how many; negative for what was sold", True, (
            "quantity", "qty", "filled_qty", "exec_qty", "volume", "amount", "stuck", "anzahl", "quantite", "cantidad", "nominal", "units",
        )),
        Column("price", "number", "the price a share", True, (
            "fill_price", "exec_price", "avg_price", "average_price", "execution_price", "trade_price", "px",
            "kurs", "preis", "prix", "cours", "precio",
        )),
        Column("cost", "number", "commissions and fees, in money", also=(
            "commission", "fees", "fee", "costs", "charges", "comm", "gebuhr", "gebuhren",
            "provision", "frais", "comision", "commission_and_fees",
        )),
        Column("reference", "text", "the broker's own number of it, by which it is known again", also=(
            "id", "trade_id", "exec_id", "execution_id", "order_id", "transaction_id", "ref", "auftragsnummer", "referenz", "reference_number",
        )),
    ),
)  # fmt: skip

RULE_NAME = r"[a-z_][a-z0-9_]*"  # what a name of the rule language looks like; an own fact's name is one
