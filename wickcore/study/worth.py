"""What each line of a rule is worth: the rule without it, measured beside the rule with it."""

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np

from wickcore.bars.bars import Bools
from wickcore.language.rule import CheckedRule, Line
from wickcore.measures.frame import TRUE
from wickcore.scan.evaluate import Evaluator, Limits
from wickcore.study.compare import difference
from wickcore.study.follow import Study, study_of
from wickcore.study.sample import HorizonFigures

DRAWS, NOTHING = 500, 5e-5


@dataclass(frozen=True, slots=True)
class LineWorth:
    """without: figures of the rule without the line, None where nothing decides any more. more: hits that leaving the line out adds; fewer
    than none where the line ends runs of bars that would otherwise be one hit each. gain: how much more excess the rule has with the line
    than without, with its 95% interval (both from the same draws of days); None where either is unknown. clutter: the line removes hits,
    and the excess is no better for it by a two-hundredth of a percent."""

    line: Line
    without: HorizonFigures | None
    more: int
    gain: float | None
    gain_low: float | None
    gain_high: float | None
    clutter: bool


def line_worth(
    evaluator: Evaluator,
    rule: CheckedRule,
    found: Study,
    horizon: int,
    members: Bools | None = None,
    limits: Limits | None = None,
    progress: Callable[[str, float], None] = lambda stage, share: None,
) -> tuple[LineWorth, ...]:
    """Each deciding line against the study of the whole rule, at one horizon. Raises Stopped when `limits` say so."""
    deciding = rule.deciding
    evaluator = evaluator.stepping(rule.frame)
    size = len(evaluator.bars)
    fails, failing = np.zeros(size, np.uint16), np.zeros(size, np.uint16)
    for i, (_, column) in enumerate(evaluator.each([line.op for line in deciding], limits)):
        false = column != TRUE
        fails += false
        failing[false] = i
    settings = found.settings.changed(horizons=(horizon,), draws=min(found.settings.draws, DRAWS))
    with_it = next(f for f in found.horizons if f.bars == horizon)
    rows = []
    for i, line in enumerate(deciding):
        progress(f"Measuring without line {line.number}", i / len(deciding))
        if len(deciding) == 1:
            rows.append(LineWorth(line, None, 0, None, None, None, False))
            continue
        if limits is not None:
            limits.check()
        hits = (fails == 0) | ((fails == 1) & (failing == i))
        if members is not None:
            hits &= members
        other = study_of(evaluator, rule, hits, settings, members, limits, listed=False)
        without, brings = other.horizons[0], difference(other, found, horizon, DRAWS)
        more, gain = without.count - with_it.count, brings.excess
        rows.append(LineWorth(line, without, more, gain, brings.low, brings.high, gain is not None and more > 0 and gain < NOTHING))
    return tuple(rows)


def survivors_only(evaluator: Evaluator, members: Bools | None, as_of: int) -> Bools:
    """Membership as it would look to someone who only knew today's list: the instruments that belong on the as-of day, on all days.

    A study over it beside the same study over dated membership shows the survivorship bias.
    """
    bars = evaluator.bars
    position = bars.on(as_of)
    today = position >= 0
    if members is not None:
        today &= members[np.maximum(position, 0)]
    return np.asarray(today[bars.owner])
