"""A study taken apart at one horizon, as the API gives it."""

from collections.abc import Callable
from dataclasses import asdict
from typing import Any

from upperwick.rules.checking import PreparedRule
from wickcore.bars.moment import iso
from wickcore.scan.evaluate import Limits
from wickcore.study.breakdowns import breakdowns, by_instrument, hits_a_day
from wickcore.study.follow import Study
from wickcore.study.path import path
from wickcore.study.sample import HorizonFigures, Sample
from wickcore.study.stops import with_stop
from wickcore.study.worth import line_worth
from wickcore.trade.cost_rates import round_trip

MOST_DOTS = 2_000
STOPS = tuple(i / 200 for i in range(1, 81))  # half a percent to forty, a step of the what-if line
SHOWN = ("count", "days", "win_rate", "win_rate_low", "win_rate_high", "mean", "median", "excess", "excess_low", "excess_high")


def taken_apart(
    found: PreparedRule, made: Study, horizon: int, limits: Limits, tell: Callable[[str, float], None]
) -> dict[str, Any]:
    """Breakdowns, path, names, days and line worth. Raises Stopped."""
    engine, rule = found.engine, found.rule
    tell("Grouping the hits", 0.05)
    groups = breakdowns(engine, made, horizon, rule.universe or "", limits)
    tell("Following the path", 0.25)
    points = path(engine, made, found.members)
    limits.check()
    longest = max(made.samples)
    horizons = (horizon, longest) if longest != horizon else (horizon,)
    names = by_instrument(engine, made, horizons)

    def worth_tell(stage: str, share: float) -> None:
        tell(stage, 0.5 + share / 2)

    worth = line_worth(engine, rule, made, horizon, found.members, limits, worth_tell)
    cost = round_trip(made.settings.cost, made.settings.slippage)
    return {
        "horizon": horizon,
        "breakdowns": {
            kind: [{"label": g.label, "small": g.small, **shown(g.figures)} for g in rows] for kind, rows in groups.items()
        },
        "path": [asdict(point) for point in points],
        "name_horizons": list(horizons),
        "names": [{**asdict(row), "rates": list(row.rates), "means": list(row.means)} for row in names],
        "days": [{"day": iso(day), "count": count} for day, count in hits_a_day(engine, made)],
        "scatter": _scatter(made.samples[horizon]),
        "stops": [asdict(with_stop(made.samples[horizon], stop, cost)) for stop in STOPS],
        "worth": [
            {
                "number": w.line.number,
                "text": w.line.text,
                "more": w.more,
                "gain": w.gain,
                "gain_low": w.gain_low,
                "gain_high": w.gain_high,
                "clutter": w.clutter,
                "without": shown(w.without) if w.without else None,
            }
            for w in worth
        ],
    }


def shown(figures: HorizonFigures) -> dict[str, Any]:
    """The figures of a part that its table shows."""
    return {key: getattr(figures, key) for key in SHOWN}


def _scatter(sample: Sample) -> list[dict[str, float]]:
    """The worst on the way against the end, for each hit; every so many of them where there are more than a picture can show."""
    step = max(1, -(-len(sample.returns) // MOST_DOTS))
    return [
        {"adverse": float(f"{a:.4g}"), "end": float(f"{r:.4g}")}
        for a, r in zip(sample.adverse[::step], sample.returns[::step], strict=True)
    ]
