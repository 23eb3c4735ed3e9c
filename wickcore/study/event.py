"""One hit as it was traded: entry, exit, and how far it went either way."""

from dataclasses import dataclass

import numpy as np

from wickcore.bars.bars import Bools
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, moment_of
from wickcore.language.rule import CheckedRule
from wickcore.study import returns
from wickcore.study.sample import known
from wickcore.study.settings import StudySettings
from wickcore.trade.cost_rates import round_trip
from wickcore.trade.entries import entry_bar, entry_of, price_paid
from wickcore.trade.exits import COUNTED, DELISTED, NO_ENTRY, STATES, last_held


@dataclass(frozen=True, slots=True)
class Trade:
    """Days since 1970 and prices as printed; None where there is none yet. baseline: the day's, favourable and adverse: before costs.
    state: counted, pending, delisted or not entered."""

    day: int
    entry_day: int | None
    entry: float | None
    exit_day: int | None
    exit: float | None
    value: float | None
    baseline: float | None
    favourable: float | None
    adverse: float | None
    state: str


def trade(
    market: Market,
    rule: CheckedRule,
    settings: StudySettings,
    symbol: str,
    at: int | Moment,
    horizon: int,
    members: Bools | None = None,
) -> Trade:
    """The hit of an instrument on the bar known at a moment (a day stands for its close: the day's last bar), held for a number of bars.

    Raises LookupError where it has no bar the rule steps on there.
    """
    bars = market.table(market.stepping(rule.frame))
    as_of = settings.until(bars)
    steps = returns.RuleBars.of(bars, rule.frame, as_of)
    k = bars.number[symbol]
    own = steps.positions[steps.offsets[k] : steps.offsets[k + 1]]
    moment = moment_of(at)
    found = np.flatnonzero((bars.days[own] == moment.day) & (bars.known_at(own) <= moment.key))[-1:]
    if not len(found):
        raise LookupError(symbol)
    at = int(own[found[0]])
    where = np.array([steps.offsets[k] + found[0]])
    entry = entry_of(rule.decide, settings.entry)
    side = 1 if rule.side == "long" else -1
    cost = round_trip(settings.cost, settings.slippage)
    belongs = np.ones(len(steps.positions), np.bool_) if members is None else members[steps.positions]
    value, status, base = returns.follow(market, bars, steps, as_of, where, belongs, horizon, entry, side, cost)
    state = int(status[0])
    end = int(bars.ends(as_of)[k])
    into = entry_bar(at, entry)
    entered = state != NO_ENTRY and into < end
    leave = last_held(int(found[0]), horizon, entry)
    out = None
    if state == COUNTED:
        out = int(own[leave])
    elif state == DELISTED:
        out = end - 1
    best, worst = None, None
    if out is not None:
        up, down = returns.excursions(bars, steps, as_of, where, horizon, entry, side)
        best, worst = float(up[0]), float(down[0])
    return Trade(
        moment.day, int(bars.days[into]) if entered else None, float(price_paid(bars.open[into], bars.close[at], entry)) if entered else None,
        None if out is None else int(bars.days[out]), None if out is None else float(bars.close[out]),
        known(value[0]), known(base[0]), best, worst, STATES[state],
    )  # fmt: skip
