"""Follow-through: what prices did after a rule's hits, beside what the universe did on the same days."""

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np
import numpy.typing as npt

from wickcore.bars.bars import Bars, Bools, Floats, Ints
from wickcore.bars.moment import Moment
from wickcore.language.rule import CheckedRule
from wickcore.scan.evaluate import Evaluator, Limits
from wickcore.scan.scan import hit_truth
from wickcore.study import returns
from wickcore.study.intervals import MEDIAN_DRAWS, Span, day_block_interval, median_interval
from wickcore.study.sample import HorizonFigures, Sample, figures
from wickcore.study.settings import StudySettings
from wickcore.trade.cost_rates import round_trip
from wickcore.trade.entries import NEXT_OPEN, SIGNAL_CLOSE, entry_of
from wickcore.trade.exits import DELISTED, NO_ENTRY, PENDING


@dataclass(frozen=True, slots=True)
class Event:
    """One hit that was entered. entry: the price paid as printed; returns by horizon, None while pending. minute, entry_minute: at which the
    bar of the hit and that of the entry begin; None for daily bars."""

    number: int
    symbol: str
    position: int
    day: int
    entry_day: int | None
    entry: float | None
    returns: dict[int, float | None]
    minute: int | None = None
    entry_minute: int | None = None


@dataclass(frozen=True, slots=True)
class Study:
    """hits: all that were chosen. events: each, in the order of days. samples: by horizon, what the figures were made of. positions: the
    bar of each hit, ascending. frame: whose bars the rule steps on. span: the sessions hits might have fallen on, first and number."""

    settings: StudySettings
    hits: int
    no_entry: int
    horizons: tuple[HorizonFigures, ...]
    events: tuple[Event, ...]
    samples: dict[int, Sample] = field(default_factory=dict, repr=False)
    positions: Ints = field(default_factory=lambda: np.empty(0, np.int64), repr=False)
    frame: str = "day"
    entry: int = NEXT_OPEN
    side: int = 1
    span: Span | None = None


def study(
    evaluator: Evaluator,
    rule: CheckedRule,
    settings: StudySettings,
    members: Bools | None = None,
    limits: Limits | None = None,
    progress: Callable[[str, float], None] = lambda stage, share: None,
) -> Study:
    """Measures the rule's follow-through over history.

    members: for each bar whether it belongs to the universe. progress: told the stage and the share done. Raises Stopped when
    `limits` say so.
    """
    progress("Evaluating the lines", 0.0)
    evaluator = evaluator.stepping(rule.frame)
    return study_of(evaluator, rule, hit_truth(evaluator, rule, members, limits), settings, members, limits, progress)


def study_of(
    evaluator: Evaluator,
    rule: CheckedRule,
    hits: Bools,
    settings: StudySettings,
    members: Bools | None = None,
    limits: Limits | None = None,
    progress: Callable[[str, float], None] = lambda stage, share: None,
    listed: bool = True,
) -> Study:
    """As `study`, of hits already known by bar; the rule tells frame, side and moment of decision. listed: whether each event, and the median's
    interval, are wanted."""
    market = evaluator.market
    evaluator = evaluator.stepping(rule.frame)
    bars = evaluator.bars
    as_of = settings.until(bars)
    steps = returns.RuleBars.of(bars, rule.frame, as_of)
    at = steps.positions
    hits = hits if len(at) == len(bars) else hits[at]
    chosen = returns.choose_hits(hits, steps.offsets, settings.repeats, max(settings.horizons))
    where = np.flatnonzero(chosen)
    day = bars.days[at[where]]
    where = where[(day >= (settings.first or day.min(initial=0))) & (day <= (settings.last or day.max(initial=0)))]
    entry = entry_of(rule.decide, settings.entry)
    side = 1 if rule.side == "long" else -1
    cost = round_trip(settings.cost, settings.slippage)
    belongs = np.ones(len(at), np.bool_) if members is None else members[at]
    span = span_between(bars, settings, as_of)
    found, columns, statuses, samples = [], {}, [], {}
    at_hit = at[where]
    for i, h in enumerate(settings.horizons):
        progress(f"Measuring {h} bar{'' if h == 1 else 's'} ahead", (i + 1) / (len(settings.horizons) + 1))
        if limits is not None:
            limits.check()
        values, status, base = returns.follow(market, bars, steps, as_of, where, belongs, h, entry, side, cost)
        favourable, adverse = returns.excursions(bars, steps, as_of, where, h, entry, side)
        columns[h] = values
        statuses.append(status)
        counted = ~np.isnan(values)
        session = bars.session[at_hit].astype(np.int64)
        sample = Sample(
            h, values[counted], base[counted], session[counted],
            bars.owner[at_hit[counted]].astype(np.int64), np.flatnonzero(counted),
            favourable[counted], adverse[counted],
        )  # fmt: skip
        samples[h] = sample
        interval = day_block_interval(sample.excess, sample.session, h, settings.seed + h, settings.draws, span)
        middle = share = (np.nan, np.nan)
        if listed:
            # From the same draws, so that the two never contradict each other: more than half won means a median above zero.
            draws = min(settings.draws, MEDIAN_DRAWS)
            middle = median_interval(sample.returns, sample.session, h, settings.seed + h, draws, span)
            share = day_block_interval(sample.won, sample.session, h, settings.seed + h, draws, span)
        pending, delisted = int(np.sum(status == PENDING)), int(np.sum(status == DELISTED))
        found.append(figures(sample, bars.symbols, interval, pending, delisted, middle=middle, share=share))
    no_entry = int(np.sum(statuses[0] == NO_ENTRY)) if statuses else 0
    events = _events(evaluator, at_hit, columns, entry, as_of) if listed else ()
    return Study(settings, len(where), no_entry, tuple(found), events, samples, at_hit, rule.frame, entry, side, span)


def span_between(bars: Bars, settings: StudySettings, as_of: Moment) -> Span:
    """The sessions hits may fall on: the first, and how many."""
    begin = 0 if settings.first is None else min(bars.session_on(settings.first - 1) + 1, len(bars.sessions) - 1)
    day = as_of.day if as_of.closed or bars.minute is not None else as_of.day - 1
    end = bars.session_on(day if settings.last is None else min(settings.last, day))
    return begin, max(1, end - begin + 1)


def _events(evaluator: Evaluator, positions: Ints, columns: dict[int, Floats], entry: int, as_of: Moment) -> tuple[Event, ...]:
    bars = evaluator.bars
    number = bars.owner[positions].astype(np.int64)
    at = positions + (1 if entry == NEXT_OPEN else 0)
    there = at < bars.ends(as_of)[number]
    at = np.where(there, at, 0)
    price = (bars.close if entry == SIGNAL_CLOSE else bars.open)[at]
    order = np.lexsort((number, bars.known_at(positions)))  # instruments are sorted by symbol

    def told(values: npt.NDArray[Any], known: Bools) -> list[Any]:
        return [v if k else None for v, k in zip(values[order].tolist(), known[order].tolist(), strict=True)]

    minute = np.zeros(len(bars), np.int32) if bars.minute is None else bars.minute
    inner = np.full(len(at), bars.minute is not None)
    gained = zip(*(told(column, ~np.isnan(column)) for column in columns.values()), strict=True)
    horizons = tuple(columns)
    return tuple(
        Event(k, bars.symbols[k], position, day, into, paid, dict(zip(horizons, r, strict=True)), begins, enters)
        for k, position, day, into, paid, r, begins, enters in zip(
            number[order].tolist(), positions[order].tolist(), bars.days[positions][order].tolist(), told(bars.days[at], there),
            told(price, there), gained, told(minute[positions], inner), told(minute[at], inner & there), strict=True,
        )
    )  # fmt: skip
