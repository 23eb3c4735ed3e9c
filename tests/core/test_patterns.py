"""Chart patterns by construction: shapes that satisfy each condition or just miss it, at several scales, upside down, and over long walks
against the slow version."""

import math

import numpy as np
import pytest

from tests import made
from tests.core import constructed, slow_patterns
from tests.core.test_meaning import example_of, same
from wickcore.bars.bars import build_bars
from wickcore.bars.market import Market
from wickcore.language.check import check_expression, check_rule
from wickcore.language.mirror import mirror
from wickcore.language.problems import RuleError
from wickcore.language.read_aloud import read_aloud
from wickcore.language.shapes import SHAPES
from wickcore.measures.frame import TRUE
from wickcore.scan.evaluate import Evaluator

# A price path by its turning points (bar, close): a fall, two lows at 80 with a rise to 90 between, then a rise through it.
DOUBLE = [(0, 100), (20, 80), (32, 90), (44, 80), (60, 95)]
SHOULDERS = [(0, 110), (20, 90), (28, 97), (40, 82), (52, 97), (62, 90), (80, 105)]


def path(points: list[tuple[int, float]], noise: float = 0.0, seed: int = 1) -> np.ndarray:
    """Closes along straight lines of the logarithm, with some noise that leaves the turning points where they are."""
    at = np.arange(points[-1][0] + 1)
    log = np.interp(at, [p for p, _ in points], [math.log(v) for _, v in points])
    rough = np.random.default_rng(seed).normal(0, noise, len(at))
    rough[[p for p, _ in points]] = 0
    return np.exp(log + rough)


def engine(close: np.ndarray) -> Evaluator:
    """Bars that open where they close, with a tenth of a percent of range around."""
    table = {"days": made.weekdays(len(close)), "open": close, "close": close, "high": close * 1.001, "low": close / 1.001}
    return Evaluator(Market((build_bars({"A": {**table, "volume": np.full(len(close), 1000.0)}}),)))


def column(close: np.ndarray, text: str) -> np.ndarray:
    return engine(close).rows([check_expression(text).op], "A")[0]


def test_a_double_bottom_appears_with_the_bar_that_confirms_it_and_not_before() -> None:
    close = path(DOUBLE)
    forming = column(close, "double_bottom")
    seen = np.flatnonzero(forming == TRUE)
    assert seen[0] == 44 + 3  # three higher lows after the second
    # The close first above the neckline confirms it: from then on none is forming.
    broke = int(np.argmax(close[47:] > 90 * 1.001)) + 47
    assert seen[-1] == broke - 1
    assert column(close, "double_bottom.low1")[47] == pytest.approx(80 / 1.001)
    assert column(close, "double_bottom.neckline")[47] == pytest.approx(90 * 1.001)
    assert column(close, "double_bottom.height")[47] == pytest.approx(90 * 1.001 - 80 / 1.001)
    assert column(close, "double_bottom.target")[47] == pytest.approx(2 * 90 * 1.001 - 80 / 1.001)
    assert column(close, "double_bottom.start")[47] == 27
    assert column(close, "double_bottom.age")[50] == 3
    assert np.isnan(column(close, "double_bottom.low1")[:47]).all()
    # The pattern whose trigger was just crossed is still the one meant on the bar of the break, and after it.
    fresh = column(close, "close > double_bottom.neckline and close 1 ago <= double_bottom.neckline 1 ago")
    assert np.flatnonzero(fresh == TRUE).tolist() == [broke]
    assert np.flatnonzero(column(close, "triggered(double_bottom, 3)") == TRUE).tolist() == [broke, broke + 1, broke + 2]
    assert column(close, "double_bottom.state")[[47, broke]].tolist() == [1, 2]
    assert column(close, "double_bottom.quality")[47] == pytest.approx(
        100 * (1 + (math.log(90 / 80) + math.log(1.001**2)) / (2 * math.log(1.08)) + 1) / 3
    )


@pytest.mark.parametrize(
    ("points", "there"),
    [
        (DOUBLE, True),
        ([(0, 100), (20, 80), (32, 90), (44, 82.2), (60, 95)], True),  # 2.8% apart
        ([(0, 100), (20, 80), (32, 90), (44, 82.6), (60, 95)], False),  # 3.3% apart
        ([(0, 100), (20, 80), (32, 86.2), (44, 80), (60, 95)], False),  # a rise of 7.75%
        ([(0, 100), (20, 80), (32, 86.3), (44, 80), (60, 95)], True),  # with the range of the bars 8.1%
        ([(0, 100), (20, 80), (25, 90), (29, 80), (45, 95)], False),  # nine bars apart
        ([(0, 100), (20, 80), (25, 90), (30, 80), (46, 95)], True),  # ten
        ([(0, 84), (20, 80), (32, 90), (44, 80), (60, 95)], False),  # no fall before
        ([(0, 100), (20, 80), (26, 88), (30, 78), (34, 90), (44, 80), (60, 95)], True),  # the lowest of three counts as the first
        ([(0, 100), (20, 80), (80, 90), (141, 80), (160, 95)], False),  # 121 bars from the first low to the second
    ],
)
def test_each_condition_of_a_double_bottom_decides(points: list[tuple[int, float]], there: bool) -> None:
    assert (column(path(points), "double_bottom") == TRUE).any() == there


@pytest.mark.parametrize(
    ("points", "there"),
    [
        (SHOULDERS, True),
        ([*SHOULDERS[:5], (62, 86.3), SHOULDERS[6]], False),  # shoulders 4.3% apart
        ([*SHOULDERS[:5], (62, 86.8), SHOULDERS[6]], True),  # 3.7%
        ([*SHOULDERS[:3], (40, 87.5), *SHOULDERS[4:]], False),  # a head only 2.9% below
        ([(0, 90.5), *SHOULDERS[1:]], False),  # no fall before
        (
            [*SHOULDERS[:4], (48, 97), (54, 87), (60, 97), (72, 90), (90, 105)],
            True,
        ),  # the nearer low is the shoulder, before the later
    ],
)
def test_each_condition_of_shoulders_and_head_decides(points: list[tuple[int, float]], there: bool) -> None:
    assert (column(path(points), "inverse_head_shoulders") == TRUE).any() == there


def test_the_neckline_of_shoulders_may_slope() -> None:
    close = path([(0, 110), (20, 90), (28, 97), (40, 82), (52, 95), (62, 90), (80, 105)])
    neckline = column(close, "inverse_head_shoulders.neckline")
    seen = np.flatnonzero(~np.isnan(neckline))
    gain = (math.log(95) - math.log(97)) / 24
    broke = int(np.flatnonzero(column(close, "triggered(inverse_head_shoulders, 1)") == TRUE)[0])
    # From the close that confirmed it on it stands still.
    line = math.log(95 * 1.001) + gain * (np.minimum(seen, broke) - 52)
    assert np.log(neckline[seen]) == pytest.approx(line)
    assert seen[0] < broke < seen[-1]
    assert column(close, "inverse_head_shoulders.head")[seen[0]] == pytest.approx(82 / 1.001)


def test_a_pattern_that_is_undercut_fails_and_one_that_waits_too_long_expires() -> None:
    down = path([*DOUBLE[:4], (50, 84), (70, 70)])
    broke = int(np.argmax(down[47:] < 80 / 1.001)) + 47
    assert np.flatnonzero(column(down, "failed(double_bottom, 1)") == TRUE).tolist() == [broke]
    assert not (column(down, "double_bottom")[broke:] == TRUE).any()
    flat = path([*DOUBLE[:4], (50, 84), (160, 85)])
    forming = np.flatnonzero(column(flat, "double_bottom(lasts=15)") == TRUE)
    assert (forming[0], forming[-1]) == (47, 47 + 15)
    state = column(flat, "double_bottom(lasts=15).state")
    assert (state[63], state[77]) == (4, 4)
    assert np.isnan(state[78])


def test_the_one_before_the_latest() -> None:
    close = path([(0, 100), (20, 80), (32, 90), (44, 80), (56, 90), (68, 80), (90, 95)])
    assert column(close, "double_bottom.start")[71] == 27  # lows at 44 and 68
    assert column(close, "double_bottom(nth=2).start")[71] == 51  # lows at 20 and 44
    assert np.isnan(column(close, "double_bottom(nth=3).start")[71])


@pytest.mark.parametrize("scale", [0.001, 1.0, 4000.0])
@pytest.mark.parametrize("noise", [0.0, 0.0015])
def test_scale_and_noise_change_nothing(scale: float, noise: float) -> None:
    for points, name in ((DOUBLE, "double_bottom"), (SHOULDERS, "inverse_head_shoulders")):
        close = path(points, noise)
        whole = column(close * scale, name)
        assert (whole == TRUE).any()
        assert whole.tolist() == column(close, name).tolist()


@pytest.mark.parametrize(("up", "down"), [("double_bottom", "double_top"), ("inverse_head_shoulders", "head_shoulders")])
def test_a_top_on_the_mirrored_log_price_is_a_bottom(up: str, down: str) -> None:
    rng = np.random.default_rng(6)
    close = 50 * np.exp(np.cumsum(rng.normal(0, 0.02, 3_000)))
    loose = "(k=2, tolerance=5%, apart=4, depth=4%)"
    a, b = column(close, up + loose), column(2500 / close, down + loose)
    assert (a == TRUE).sum() > 5
    assert a.tolist() == b.tolist()
    trigger, other = column(close, f"{up}{loose}.trigger"), column(2500 / close, f"{down}{loose}.trigger")
    np.testing.assert_allclose(trigger, 2500 / other, rtol=1e-9)


RARE = {
    "head_shoulders",
    "inverse_head_shoulders",
    "pennant_bear",
    "cup_handle",
    "inverse_cup_handle",
    "published_rectangle_bottom",
}


@pytest.mark.parametrize("name", slow_patterns.KINDS)
@pytest.mark.parametrize("frame", ["day", "week"])
def test_long_walks_equal_the_slow_version(name: str, frame: str) -> None:
    market = made.market(seed=4, count=2, length=330)
    loose = example_of(name).replace("lasts=9", "lasts=20").replace("k=1", "k=1" if frame == "week" else "k=2")
    ways = [loose, f"{loose[:-1]}, breaks=down)"] if SHAPES[name].side == 0 else [loose]
    known = [same(Evaluator(market), f"{text}{part}", frame) for text in ways for part in (".state", ".invalid", ".since_trigger")]
    assert known[0] > 20 or frame == "week" or name in RARE


@pytest.mark.parametrize("name", constructed.ALL)
def test_constructed_shapes_equal_the_slow_version(name: str) -> None:
    known = [same(Evaluator(constructed.market(name, 4)), f"{name}.{part}", "day") for part in ("state", "trigger", "quality")]
    assert known[0] > 10


@pytest.mark.parametrize("name", constructed.ALL)
def test_what_a_chartist_would_draw_is_seen(name: str) -> None:
    """95 in 100 of those constructed, with the noise of real prices."""
    market = constructed.market(name, 100)
    seen = np.split(Evaluator(market).column(check_expression(name).op) == TRUE, market.bars.offsets[1:-1])
    assert sum(part.any() for part in seen) >= 95


def test_rules_with_patterns_are_mirrored_and_read_by_their_parts() -> None:
    lines = [
        "double_bottom",
        "close > double_bottom.low2",
        "close < double_bottom(depth=10%).neckline",
        "triggered(head_shoulders, 3)",
        "double_top.age < 9",
    ]
    turned = mirror("\n".join(lines)).text
    assert turned.splitlines()[2:] == [
        "double_top",
        "close < double_top.high2",
        "close > double_top(depth=10%).neckline",
        "triggered(inverse_head_shoulders, 3)",
        "double_bottom.age < 9",
    ]
    assert mirror(turned).text.splitlines()[-5:] == lines


def test_what_was_renamed_answers_to_its_first_name() -> None:
    assert check_expression("squeeze_fired(30)").op.key == check_expression("squeeze_released(30)").op.key
    text = "lmw_double_top.trigger - lmw_double_top(within=40).between.age"
    assert check_expression(text).op.key == check_expression(text.replace("lmw", "published")).op.key
    assert any("published double top" in words for _, words in read_aloud("lmw_double_top"))
    own = check_rule(
        "let published_double_top = sma(5)\nclose > published_double_top"
    )  # a name of the rule's own goes before a new word
    assert own.lines[0].op.key == check_rule("close > sma(5)").lines[0].op.key


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("close > double_bottom.low3", "did you mean `double_bottom.low"),
        ("close > double_botom.low1", "is not known"),
        ("triggered(close, 3)", "takes a pattern"),
        ("triggered(double_botom, 3)", "did you mean `double_bottom`?"),
        ("double_bottom(tolerance=0%)", "above 0%"),
        ("double_bottom(nth=5)", "at most 4"),
        ("decide: open\ndouble_bottom", "not known yet"),
    ],
)
def test_mistakes_are_said(text: str, words: str) -> None:
    with pytest.raises(RuleError, match=words):
        check_rule(text)
