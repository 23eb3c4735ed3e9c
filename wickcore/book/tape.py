"""What the day loop is given: the market's bars, the signals, the texts of the book as programs, and its terms, all of them
arrays."""

from typing import Any, NamedTuple

import numpy as np

from wickcore.bars.bars import Bools, Days, Floats, Ints, Truth
from wickcore.language.positions import BUILT

# How a signal is entered: at the open after it, at its own close, at its own open (for rules that decide there), by a resting
# order.
NEXT_OPEN, AT_CLOSE, SAME_OPEN, AT_PRICE = 0, 1, 2, 3
# What came of a signal. `waiting` ones had no day after them to be traded on.
OUTCOMES = ("waiting", "traded", "no_slot", "no_cash", "filtered", "held", "unfilled", "no_bar", "unsized")
WAITING, TRADED, NO_SLOT, NO_CASH, FILTERED, HELD, UNFILLED, NO_BAR, UNSIZED = range(len(OUTCOMES))
# Why a position, or a part of it, ended.
REASONS = ("stop", "follow", "target", "exit", "delisted", "left", "out", "end")
STOP, FOLLOW, TARGET, EXIT, DELISTED, LEFT, OUT, END = range(len(REASONS))
EQUAL, RISK, MONEY, VOLATILITY = range(4)  # how a position's size is found
SIZES = ("equal", "risk", "money", "volatility")
# What is known of a position by hand, by its place in a program. Prices on the continuous scale.
OWN_ENTRY, OWN_RISK, OWN_BARS, OWN_GAIN, OWN_GAIN_R, OWN_BEST, OWN_WORST, OWN_RULE = range(len(BUILT))
NEVER = 1 << 60


class Tape(NamedTuple):
    """Bars of one table. key: of each bar its moment, as a number; at: those of all steps, ascending (of daily bars both are days,
    so that a
    large market needs no column more). commit: where the book's frame ends, empty where every bar does. member: by bar, empty for
    all. gone: the
    first step
    at which each instrument is known to trade no more. patience: steps without a bar after which it counts as gone. act_row,
    act_shares,
    act_money: the bars before whose open shares multiply and money is paid, ascending. swing, traded: what the impact of an order
    is told by
    (daily volatility, mean shares a day), empty where there is none. days: the calendar day of each step. shut: steps at whose
    close the
    market condition ends all positions."""

    offsets: Ints
    key: Days
    at: Days
    open: Floats
    high: Floats
    low: Floats
    close: Floats
    factor: Floats
    commit: Bools
    member: Bools
    gone: Ints
    patience: int
    act_row: Ints
    act_shares: Floats
    act_money: Floats
    swing: Floats
    traded: Floats
    days: Days
    shut: Bools


def tape_of(**fields: Any) -> Tape:
    """A tape with all its arrays as one kind, so that the loop is compiled once: some come from the bars, which nobody may write to, some are
    made for it. What is not given is empty, and nothing ever ends."""
    none, ints, no = np.empty(0), np.empty(0, np.int64), np.empty(0, np.bool_)
    whole = {
        "commit": no, "member": no, "gone": ints, "patience": 0, "act_row": ints, "act_shares": none, "act_money": none, "swing": none,
        "traded": none, "shut": no, **fields,
    }  # fmt: skip
    for name, value in whole.items():
        if isinstance(value, np.ndarray):
            whole[name] = value.view()
            whole[name].flags.writeable = False
    return Tape(**whole)


SIGNAL = np.dtype(
    [(name, np.int64) for name in ("row", "owner", "rule", "side", "kind", "due", "fate", "bars", "up")]
    + [(name, np.float64) for name in ("price", "score", "turnover", "unit")]
)
POSITION = np.dtype(
    [
        (name, np.int64)
        for name in ("number", "signal", "owner", "rule", "side", "row", "entry_row", "entry_step", "bars", "fresh", "done", "due")
    ]
    + [("line", np.int64), ("there", np.int64)]
    + [
        (name, np.float64)
        for name in ("shares", "shares0", "mult", "raw", "paid", "paid_c", "risk", "first_stop", "stop", "follow", "best")
    ]
    + [(name, np.float64) for name in ("worst", "mark", "bill", "received")]
)
TRADE = np.dtype(
    [
        (name, np.int64)
        for name in ("number", "signal", "owner", "rule", "side", "entry_row", "entry_step", "exit_row", "exit_step", "reason")
    ]
    + [("line", np.int64)]
    + [(name, np.float64) for name in ("paid", "got", "shares", "result", "costs", "received", "risk", "stop", "best", "worst")]
)


class Signals(NamedTuple):
    """each: one record a signal. due: the step at which it is entered, or from which on its order rests. fate: its outcome where
    that is
    known before anything is traded, else WAITING. price: of a resting order, on the continuous scale; up: it is a stop order,
    above the market
    for a long, below it for a short. bars: how long it rests. score: its rank, NaN unknown. turnover: mean money traded a day;
    unit: the average
    true range, on the continuous scale. order: signals by due step; those of step t are order[first[t]:first[t + 1]]."""

    each: Any
    order: Ints
    first: Ints


class Programs(NamedTuple):
    """The book's texts. Programs are steps begin[p]:end[p]; -1 stands for none. stop, follow: by side (0 long, 1 short). targets,
    parts:
    side × targets, parts the share taken there. exits, closing: side × exits; closing: at that close. fixed: columns × signals,
    what
    stops and targets rest on. columns, truths: × bars, what follows and exits rest on."""

    codes: Ints
    numbers: Floats
    begin: Ints
    end: Ints
    stop: Ints
    follow: Ints
    targets: Ints
    parts: Floats
    exits: Ints
    closing: Bools
    fixed: Floats
    columns: Floats
    truths: Truth
    most: int


class Terms(NamedTuple):
    """Fractions a side for cost, slip; a year for rates. size: the share or the money of `sizing`. most_share, most_day: caps,
    infinite for
    none. first, last: the steps that are traded. ranked: whether signals have a score of their own; else a draw by `seed` ranks
    them."""

    slots: int
    start: float
    sizing: int
    size: float
    most_share: float
    most_day: float
    gross: float
    cash_rate: float
    borrow_rate: float
    cost: float
    cost_least: float
    slip: float
    impact: float
    delisting: float
    fractions: bool
    leaves: bool
    ranked: bool
    seed: int
    first: int
    last: int


class Held(NamedTuple):
    """each: one record a slot. shares: now; shares0: at the entry; mult: how shares have multiplied since. raw, paid: the price
    and the fill, as
    printed that day. stop, follow, best, worst, paid_c, risk: on the continuous scale. mark: the last price. fresh: how it was
    entered on this
    bar; there: it has a bar now. done: bits of the targets that were taken. due, line: why it leaves at the next open. bill,
    received: entry
    costs and dividends not yet in a result. levels: slots × targets."""

    each: Any
    levels: Floats


class Made(NamedTuple):
    """What the loop writes. trades: one record a part that was left; size: how many, and how many positions there were. money:
    cash, equity
    at the last close, interest earned, paid for borrowing, bars counted as the worst case, the step it is at. equity, cash, gross,
    held: by step."""

    trades: Any
    size: Ints
    money: Floats
    equity: Floats
    cash: Floats
    gross: Floats
    held: Ints
    outcome: Ints


CASH, EQUITY, INTEREST, BORROW, WORST_CASES, STEP = range(6)
TRADES, POSITIONS = range(2)
