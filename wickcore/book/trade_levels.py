"""One trade looked at: every level as it stood on each of its bars, and why it ended, in a sentence."""

import math
from dataclasses import dataclass

import numpy as np

from wickcore.book.prepare import Prepared
from wickcore.book.run import Trade
from wickcore.book.tape import OWN_BARS, OWN_BEST, OWN_ENTRY, OWN_GAIN, OWN_GAIN_R, OWN_RISK, OWN_RULE, OWN_WORST
from wickcore.book.verdict import said_day
from wickcore.language.book import Leaving, Ways
from wickcore.measures.program import work_out


@dataclass(frozen=True, slots=True)
class LevelBar:
    """A bar of a trade. Prices in printed money of the bar's day; None where there is no such level. stop, follow, targets: as
    they rested inside
    the bar."""

    row: int
    day: int
    close: float
    stop: float | None
    follow: float | None
    targets: tuple[float | None, ...]


def levels(prepared: Prepared, trade: Trade) -> list[LevelBar]:
    """The bars from the entry to the exit with what rested on them."""
    tape, programs, bars = prepared.tape, prepared.programs, prepared.bars
    side = 1 if trade.side == "long" else -1
    at = 0 if side > 0 else 1
    signal = int(_signal_of(prepared, trade))
    own, stack = np.full(8, np.nan), np.empty(programs.most)
    entry = trade.entry * float(tape.factor[trade.entry_row])
    own[OWN_ENTRY], own[OWN_RULE] = entry, prepared.signals.each["rule"][signal]

    def value(p: int, columns: object, place: int) -> float:
        if p < 0:
            return math.nan
        begin, end = programs.begin[p], programs.end[p]
        return float(work_out(programs.codes, programs.numbers, begin, end, columns, programs.truths, place, own, stack))

    stop = value(int(programs.stop[at]), programs.fixed, signal)
    risk = (entry - stop) * side
    own[OWN_RISK] = risk if risk > 0 else math.nan
    targets = [value(int(p), programs.fixed, signal) for p in programs.targets[at]]
    follow, best, worst, held, found = math.nan, entry, entry, -1, []
    closes = trade.entry_row == trade.signal_row  # entered at that very close: nothing of the bar was met
    for row in range(trade.entry_row, trade.exit_row + 1):
        factor = float(tape.factor[row])
        if not (closes and row == trade.entry_row):
            found.append(
                LevelBar(
                    row,
                    int(bars.days[row]),
                    float(tape.close[row]),
                    _price(stop, factor),
                    _price(follow, factor),
                    tuple(_price(t, factor) for t in targets),
                )
            )
            near, far = float(tape.low[row]) * factor, float(tape.high[row]) * factor
            if side < 0:
                near, far = far, near
            best, worst = (max(best, far), min(worst, near)) if side > 0 else (min(best, far), max(worst, near))
        if len(tape.commit) and not tape.commit[row]:
            continue
        held += 1
        if closes and row == trade.entry_row:
            continue
        close = float(tape.close[row]) * factor
        own[OWN_BARS], own[OWN_GAIN] = held, side * (close / entry - 1.0)
        own[OWN_GAIN_R], own[OWN_BEST], own[OWN_WORST] = side * (close - entry) / own[OWN_RISK], best, worst
        now = value(int(programs.follow[at]), programs.columns, row)
        if now == now:
            follow = now if follow != follow else max(follow, now) if side > 0 else min(follow, now)
    return found


def _signal_of(prepared: Prepared, trade: Trade) -> int:
    each = prepared.signals.each
    names = [e.name for e in prepared.book.enters]
    same = (each["row"] == trade.signal_row) & (each["rule"] == names.index(trade.rule))
    return int(np.flatnonzero(same)[0])


def _price(level: float, factor: float) -> float | None:
    return level / factor if level == level else None


def why(prepared: Prepared, trade: Trade) -> str:
    """Why a trade ended, in a sentence made from what it met; and by how much its shares multiplied on the way, where a split came."""
    tape = prepared.tape
    between = (tape.act_row > trade.entry_row) & (tape.act_row <= trade.exit_row)
    times = float(np.prod(tape.act_shares[between])) if between.any() else 1.0
    return _why(prepared, trade) + (f" Its shares had multiplied by {times:.4g} since." if abs(times - 1.0) > 0.01 else "")


def _why(prepared: Prepared, trade: Trade) -> str:
    book, day = prepared.book, said_day(trade.exit_day)
    ways: Ways = book.ways(1 if trade.side == "long" else -1)
    at = f"{trade.exit:,.2f}"
    held = f"{trade.bars_held} bar{'' if trade.bars_held == 1 else 's'} after the entry"
    match trade.reason:
        case "stop":
            stop = ways.stop
            assert stop is not None
            return f"Stopped at {at} on {day}, {held}: the bar met the stop, “{stop.text}” as it was fixed at the entry."
        case "follow":
            follow = ways.follow
            assert follow is not None
            return f"Stopped at {at} on {day}, {held}: the bar met the trailing stop, “{follow.text}”."
        case "target":
            target = ways.targets[trade.lines[0]]
            part = "" if target.part >= 1 else f" for {target.part:.0%} of it"
            return f"Target met at {at} on {day}{part}, {held}: “{target.text}”."
        case "exit":
            exits: list[Leaving] = [ways.exits[line] for line in trade.lines]
            when, since = ("close", "true there") if any(x.at_close for x in exits) else ("open", "true at the close before")
            texts, was = " and ".join(sorted(f"“{x.text}”" for x in exits)), "was" if when == "close" else "had been"
            if len(exits) > 1:
                was = was.replace("was", "were")
            return f"Left at the {when} of {day} at {at}, {held}: {texts} {was} {since}."
        case "delisted":
            back = "" if book.delisting >= 1 else f", of which the book gets {book.delisting:.0%} back"
            return f"Delisted: no bar since {said_day(int(prepared.bars.days[trade.exit_row]))}; closed on {day} at the last price{back}."
        case "left":
            return (
                f"Left at the open of {day} at {at}: it no longer belonged to {book.universe or 'the universe'} (`leaves: exit`)."
            )
        case "out":
            text = book.out_unless.text if book.out_unless else ""
            return f"Left at the open of {day} at {at}: the market condition `{text}` had become false."
    return f"Still open, marked at the close of {day}, {at}."
