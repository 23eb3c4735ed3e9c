"""A run as files, the command line and the API give it."""

from dataclasses import asdict
from typing import Any

import numpy as np

from wickcore.bars.moment import CLOSE, clock, iso
from wickcore.book.figures import (
    benchmark_of,
    breakdowns,
    curve_of,
    falls_of,
    figures,
    months,
    rolling_year,
    wholes,
    worst_falls,
)
from wickcore.book.loss_sizes import SLOTS, STOPS, sizes
from wickcore.book.orders import Order, orders
from wickcore.book.paths import Paths
from wickcore.book.prepare import Prepared
from wickcore.book.run import BookRun, Position, Trade
from wickcore.book.tape import OUTCOMES
from wickcore.book.verdict import verdict

MOST_TRADES, MOST_WORST = 20_000, 10


def summary(run: BookRun, seed: int = 1) -> dict[str, Any]:
    """The run's figures, the benchmark's, and what is open, without the series and tables that the interface draws."""
    made, paths = figures(run, seed)
    days, _ = run.daily
    start = run.prepared.book.start
    index = benchmark_of(run)
    beside = None if index is None else curve_of(days, index, start)
    return {
        "start": iso(int(days[0])),
        "end": iso(int(days[-1])),
        "verdict": verdict(run, made, paths, beside),
        "optimistic": run.prepared.book.optimistic,
        "figures": asdict(made),
        "paths": None if paths is None else paths_of(paths),
        "benchmark": None if beside is None else {"symbol": run.prepared.market.benchmark, **asdict(beside)},
        "signals": run.signals,
    }


def signal_counts(run: BookRun) -> dict[str, int]:
    """What came of every signal that had a session after it."""
    return {name: n for name, n in run.signals.items() if name != "waiting"}


def paths_of(paths: Paths) -> dict[str, Any]:
    return {**asdict(paths), "losses": [{"loss": loss, "chance": chance} for loss, chance in paths.losses]}


def as_dict(run: BookRun, seed: int = 1, most: int | None = MOST_TRADES) -> dict[str, Any]:
    """Everything a run shows, with its latest `most` trades (None for all)."""
    days, equity = run.daily
    book, start = run.prepared.book, run.prepared.book.start
    index = benchmark_of(run)
    under = falls_of(days, equity, start)
    worst = sorted(w.gain for w in wholes(run.trades))[:MOST_WORST]
    losses = tuple(sorted({-g for g in worst if -1 <= g < 0}))
    trades = run.trades if most is None else run.trades[max(0, len(run.trades) - most) :]
    return {
        **summary(run, seed),
        "money": book.start,
        "slots": book.slots,
        "equity": equity_rows(run),
        "index": None if index is None else [round(float(v), 2) for v in index],
        "falls": [round(float(v), 6) for v in under],
        "index_falls": None if index is None else [round(float(v), 6) for v in falls_of(days, index, start)],
        "months": months(days, equity, start),
        "index_months": None if index is None else months(days, index, start),
        "worst_falls": [asdict(f) for f in worst_falls(days, equity, start)],
        "rolling": rolling_year(days, equity, start),
        "groups": breakdowns(run),
        "trade_count": len(run.trades),
        "trades": [trade_row(x, run.prepared) for x in trades],
        "open": [position_row(p) for p in run.open],
        "orders": [order_row(o) for o in orders(run)],
        "sizes": {
            "slots": list(SLOTS),
            "rows": [asdict(row) for row in sizes(STOPS)],
            "own": [asdict(row) for row in sizes(losses)] if losses else [],
        },
    }


def equity_rows(run: BookRun) -> list[dict[str, Any]]:
    """Each session's equity, cash, number of positions and share of equity in them."""
    last = [*(run.days[1:] != run.days[:-1]).tolist(), True]
    rows = zip(run.days.tolist(), run.equity.tolist(), run.cash.tolist(), run.held.tolist(), run.gross.tolist(), last, strict=True)
    return [
        {
            "day": iso(day), "equity": equity, "cash": cash, "positions": held, "exposure": gross / equity if equity > 0 else 0.0,
        }
        for day, equity, cash, held, gross, ends in rows
        if ends
    ]  # fmt: skip


def trade_row(x: Trade, prepared: Prepared) -> dict[str, Any]:
    """Times are those at which the bars of five minutes begin on which it was entered and left; None on bars of days."""
    return {
        "number": x.number, "symbol": x.symbol, "rule": x.rule, "side": x.side, "signal_day": iso(x.signal_day), "entry_day": iso(x.entry_day),
        "entry_time": _time(prepared, x.entry_row), "entry": x.entry, "shares": x.shares, "exit_day": iso(x.exit_day),
        "exit_time": _time(prepared, x.exit_row), "exit": x.exit, "reason": x.reason, "result": x.result,
        "gain": x.gain, "gain_r": x.gain_r, "bars_held": x.bars_held, "stop": x.stop, "best": x.best, "worst": x.worst, "costs": x.costs,
        "dividends": x.dividends,
    }  # fmt: skip


def _time(prepared: Prepared, row: int) -> str | None:
    minute = prepared.bars.minute
    return None if minute is None or minute[row] == CLOSE else clock(int(minute[row]))


def position_row(p: Position) -> dict[str, Any]:
    return {
        "symbol": p.symbol, "rule": p.rule, "side": p.side, "shares": p.shares, "entry_day": iso(p.entry_day), "entry": p.entry, "stop": p.stop,
        "price": p.price, "targets": list(p.targets), "due": p.due, "gain": p.gain,
    }  # fmt: skip


def order_row(o: Order) -> dict[str, Any]:
    return {
        "symbol": o.symbol, "action": o.action, "shares": o.shares, "at": "open" if o.at is None else o.at, "why": o.why, "stop": o.stop,
        "bars": o.bars,
    }  # fmt: skip


def signal_rows(run: BookRun, outcome: str, first: int = 0, most: int = 500) -> tuple[int, list[dict[str, Any]]]:
    """How many signals came to this, and some of them, the latest first."""
    each, bars = run.prepared.signals.each, run.prepared.bars
    found = np.flatnonzero(run.outcome == OUTCOMES.index(outcome))
    found = found[np.lexsort((each["owner"][found], -bars.days[each["row"][found]]))]
    names = [e.name for e in run.prepared.book.enters]
    rows = [
        {
            "symbol": bars.symbols[int(each["owner"][s])],
            "rule": names[int(each["rule"][s])],
            "day": iso(int(bars.days[int(each["row"][s])])),
        }
        for s in found[first : first + most].tolist()
    ]
    return len(found), rows
