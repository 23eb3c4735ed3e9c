"""What is held, from its fills: shares, entry, what came of it so far, and where its stop might go. Money and prices as printed; entries are at
average cost (common practice)."""

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Literal

import numpy as np

from wickcore.bars.market import Market
from wickcore.bars.moment import PER_DAY, Moment
from wickcore.book.events import acts_by_day
from wickcore.language.check import check_expression
from wickcore.plan.levels import CLOSEST, TICK, Side
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.limits import Limits

Action = Literal["buy", "sell", "short", "cover"]
INTO: dict[str, int] = {"buy": 1, "short": -1}
TRAIL = 3.0  # ATR under the best price
HAIR = 1e-9


@dataclass(frozen=True, slots=True)
class Done:
    """A fill. key: of its moment. price, cost: as printed that day, cost in money. factor: of that day's scale."""

    key: int
    action: Action
    shares: float
    price: float
    cost: float
    factor: float

    @property
    def day(self) -> int:
        return self.key // PER_DAY


@dataclass(frozen=True, slots=True)
class Holding:
    """shares: now, 0 once all is left. entry: average, in today's shares; close: the last price. realised, unrealised: results in money, after
    the costs so far, realised with dividends. received: dividends in it. invested: the largest sum that ever lay in it. r: the open part in
    multiples of its risk; result_r: all of it, of the risk of all that was entered; None without a stop at the entry. risk: a share, today.
    sessions: held, the entry's is 0."""

    side: Side
    shares: float
    entry: float
    close: float
    realised: float
    unrealised: float
    costs: float
    received: float
    invested: float
    risk: float | None
    r: float | None
    result_r: float | None
    first_day: int
    sessions: int


class Unfit(ValueError):
    """Fills that cannot have been, said in a sentence."""


def holding(market: Market, symbol: str, fills: Sequence[Done], at: Moment, stop: float | None = None) -> Holding | None:
    """What the fills up to a moment come to; None where there is none. stop: at the first entry, on the continuous scale. Raises Unfit for
    fills that leave more than was held, or that turn a long into a short."""
    ordered = sorted((f for f in fills if f.key <= at.key), key=lambda f: f.key)
    if not ordered:
        return None
    first, bars, k = ordered[0], market.bars, market.bars.number[symbol]
    if first.action not in INTO:
        raise Unfit(f"The first fill of {symbol} is a {first.action}: nothing was held to {first.action}.")
    sign = INTO[first.action]
    acts = [(day, times, paid) for day, (times, paid, _) in sorted(acts_by_day(market, k).items())]
    shares = basis = realised = received = costs = invested = entered = 0.0
    risk = None if stop is None else (first.price - stop / first.factor) * sign
    seen = first.day

    def act(until: int) -> None:
        nonlocal shares, received, realised, risk, entered, seen
        for day, times, paid in acts:
            if seen < day <= until:
                shares, entered = shares * times, entered * times
                risk = None if risk is None else risk / times
                received += sign * shares * paid
                realised += sign * shares * paid
        seen = max(seen, until)

    for fill in ordered:
        act(fill.day)
        costs += fill.cost
        realised -= fill.cost
        if fill.action in INTO:
            if INTO[fill.action] != sign:
                raise Unfit(f"{symbol} is held {'long' if sign > 0 else 'short'}: a {fill.action} does not belong to it.")
            basis, shares, entered = basis + fill.shares * fill.price, shares + fill.shares, entered + fill.shares
            invested = max(invested, basis)
            continue
        if fill.shares > shares + HAIR * max(1.0, shares):
            raise Unfit(f"{fill.shares:g} shares cannot be left: {shares:g} were held then.")
        part = min(1.0, fill.shares / shares)
        realised += sign * (fill.shares * fill.price - basis * part)
        basis, shares = basis * (1 - part), 0.0 if part == 1.0 else shares - fill.shares
    act(at.day)
    close, _ = last_price(market, symbol, at)
    entry = basis / shares if shares else 0.0
    unrealised = sign * (shares * close - basis)
    known = risk is not None and risk > 0
    days = bars.days[bars.offsets[k] : bars.offsets[k + 1]]
    return Holding(
        "long" if sign > 0 else "short", shares, entry, close, realised, unrealised, costs, received, invested, risk if known else None,
        sign * (close - entry) / risk if known and shares and risk else None,
        (realised + unrealised) / (risk * entered) if known and risk and entered else None,
        first.day, int(((days > first.day) & (days <= at.day)).sum()),
    )  # fmt: skip


def last_price(market: Market, symbol: str, at: Moment) -> tuple[float, float]:
    """The last price by a moment, of any table, and its factor. NaN and 1 where there is none."""
    k, found = market.bars.number[symbol], []
    for table in market.tables:
        begin = int(table.offsets[k])
        known = table.known_at(slice(begin, int(table.offsets[k + 1])))  # its own bars only: a bench asks for hundreds, one by one
        last = begin + int(np.searchsorted(known, at.key, "right")) - 1
        if last >= begin:
            found.append((int(known[last - begin]), float(table.close[last]), float(table.factor[last])))
    return max(found)[1:] if found else (math.nan, 1.0)


def proposed_stop(
    evaluator: Evaluator, symbol: str, at: Moment, held: Holding, stop: float | None, limits: Limits | None = None
) -> tuple[float, str] | None:
    """A stop nearer than the one that rests, with its reason: a tick under the last swing low, the entry once the position is one R ahead, or
    three ATR under the best price since the entry, whichever is nearest and leaves half an ATR to the last price. Mirrored for shorts; None
    where none is. stop: as printed today."""
    engine = evaluator.on("day")
    bars, k = engine.bars, engine.bars.number[symbol]
    begin, end = int(bars.offsets[k]), int(bars.ends(at)[k])
    if end <= begin or not held.shares:
        return None
    sign = 1 if held.side == "long" else -1
    words = ("atr(14)", "swing_low(3)" if sign > 0 else "swing_high(3)")
    scale = float(bars.factor[end - 1])
    atr, swing = (float(c[end - begin - 1]) / scale for c in engine.rows([check_expression(w).op for w in words], symbol, limits))
    if math.isnan(atr):
        return None
    from_ = begin + int((bars.days[begin:end] <= held.first_day).sum())
    far = bars.high if sign > 0 else bars.low
    since = (far[from_:end] * bars.factor[from_:end] / scale * sign).max(initial=held.entry * sign) * sign
    under, low, best = ("under", "low", "highest") if sign > 0 else ("over", "high", "lowest")
    found = [
        (swing - sign * TICK, f"a tick {under} the last swing {low}"),
        (since - sign * TRAIL * atr, f"{TRAIL:g} ATR {under} the {best} price since the entry"),
    ]
    if held.r is not None and held.r >= 1:
        found.append((held.entry, "the entry, since it is more than 1 R ahead"))
    fit = [
        (round(level, 2), why)
        for level, why in found
        if not math.isnan(level)
        and (held.close - level) * sign >= CLOSEST * atr
        and (stop is None or (round(level, 2) - stop) * sign > TICK / 2)
    ]
    return max(fit, key=lambda one: one[0] * sign) if fit else None
