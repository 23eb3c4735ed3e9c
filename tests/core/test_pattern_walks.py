"""Patterns on a walk: upside down, at any scale, and as a chart draws them."""

import numpy as np
import pytest

from tests import made
from tests.core import constructed
from tests.core.test_meaning import example_of
from wickcore.bars.bars import build_bars
from wickcore.bars.market import Market
from wickcore.language.check import check_expression, check_rule
from wickcore.language.shapes import OPPOSITE, SHAPES
from wickcore.measures.frame import TRUE
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.patterns import STATES, drawn, of_rule


def walked(seed: int, turned: bool, scale: float = 1.0, length: int = 1_000) -> Evaluator:
    """A walk with poles in it, and volumes that follow its moves, then one of every kind of pattern; turned: upside down on a log scale."""
    rng = np.random.default_rng(seed)
    gains = rng.normal(0, 0.02, length) + 0.06 * np.repeat(rng.choice([-1, 0, 0, 0, 0, 0, 1], length // 6 + 1), 6)[:length] * (
        np.arange(length) % 40 < 6
    )
    close = 50 * np.exp(np.cumsum(gains) % 3)
    up, down = (np.abs(rng.normal(0, 0.008, length)) for _ in range(2))
    volume = 1000 * np.exp(rng.normal(0, 0.3, length)) * (1 + 40 * np.abs(gains))
    drawn_ones = constructed.chain(seed)
    up, down = (np.concatenate([x, np.abs(np.log(drawn_ones[n] / drawn_ones["close"]))]) for x, n in ((up, "high"), (down, "low")))
    close = np.concatenate([close, drawn_ones["close"] * (close[-1] / drawn_ones["close"][0])])
    volume = np.concatenate([volume, drawn_ones["volume"]])
    if turned:
        close, up, down = 2_500 / close, down, up
    close = close * scale
    table = {"open": close, "close": close, "high": close * np.exp(up), "low": close * np.exp(-down), "volume": volume}
    return Evaluator(Market((build_bars({"A": {"days": made.weekdays(len(close)), **table}}),)))


SIDED = [*OPPOSITE, *((name, f"{name}(breaks=down)") for name, shape in SHAPES.items() if shape.side == 0)]


def loose(name: str) -> str:
    """Loose enough for a walk to hold some."""
    base, _, down = name.partition("(")
    text = example_of(base).replace("k=1", "k=2").replace("lasts=9", "lasts=20")
    return f"{text[:-1]}, {down}" if down else text


@pytest.mark.parametrize(("up", "down"), SIDED)
def test_upside_down_every_pattern_is_its_opposite_and_no_scale_matters(up: str, down: str) -> None:
    one, other, large = walked(6, False), walked(6, True), walked(6, False, 4_000.0)
    seen = one.rows([check_expression(loose(up)).op], "A")[0]
    assert (seen == TRUE).sum() > 2 or "rectangle" in up
    assert seen.tolist() == other.rows([check_expression(loose(down)).op], "A")[0].tolist()
    assert seen.tolist() == large.rows([check_expression(loose(up)).op], "A")[0].tolist()
    trigger = one.rows([check_expression(f"{loose(up)}.trigger").op], "A")[0]
    opposite = other.rows([check_expression(f"{loose(down)}.trigger").op], "A")[0]
    np.testing.assert_allclose(trigger, 2_500 / opposite, rtol=1e-9)


@pytest.mark.parametrize("frame", ["day", "week"])
def test_what_a_chart_draws_is_what_the_columns_say_on_that_bar(frame: str) -> None:
    engine = walked(6, False)
    drawn_ones = 0
    for name in SHAPES:
        text = loose(name)
        for at in range(390, 2_000, 201):
            op = check_expression(f"{text}.state", frame).op
            found = list(drawn(engine, [op], "A", at, every=True))
            for nth, one in enumerate(found, 1):
                which = f"{text[:-1]}, nth={nth})"
                said = {
                    part: check_expression(f"{which}.{part}", frame).op
                    for part in ("state", "age", "trigger", "invalid", "target", "quality")
                }
                said |= {part: check_expression(f"{which}.{part}", frame).op for part, _, _ in one.parts}
                values = dict(zip(said, (float(row[at]) for row in engine.rows(list(said.values()), "A")), strict=True))
                assert STATES[int(values.pop("state"))] == one.state
                mine = {name: getattr(one, name) for name in ("age", "trigger", "invalid", "target", "quality")}
                assert values == pytest.approx(mine | {part: value for part, value, _ in one.parts}, rel=1e-9)
                now = {part.partition(".")[0]: value for part, value, _ in one.parts if part.endswith(".now")}
                for stroke in one.strokes:
                    ago, price = stroke.points[-1]
                    if ago == 0 and stroke.name in now:
                        assert price == pytest.approx(now[stroke.name])
                drawn_ones += 1
    assert drawn_ones > (60 if frame == "day" else 20)


def test_a_pattern_that_a_rule_names_twice_is_drawn_once() -> None:
    rule = check_rule("base\nclose > base.lower.now\nclose > base(length=40).lower.now\non(week, base)\nlevel(breaks=down)")
    assert [(op.params[0], op.frame) for op in of_rule(line.op for line in rule.deciding)] == [
        ("base", "day"),
        ("base", "day"),
        ("base", "week"),
        ("level", "day"),
    ]


def test_what_was_beyond_its_trigger_and_came_back_is_not_forming() -> None:
    """On walks: since its last point no close of shoulders that are forming lay above their neckline, though they are known a few bars later."""
    state = check_expression("inverse_head_shoulders.state").op
    met = 0
    for seed in range(10):
        engine = walked(seed, False)
        forming = np.flatnonzero(engine.column(state) == 1)[::2]
        for at in forming.tolist():
            (one,) = drawn(engine, of_rule([state]), "A", at)
            _, left, _, right, last = one.points
            gain = np.log(right[1] / left[1]) / (left[0] - right[0])
            for ago in range(last[0]):
                met += 1
                assert engine.bars.close[at - ago] <= right[1] * np.exp(gain * (right[0] - ago)) * (1 + 1e-12), (seed, at, ago)
    assert met > 500
