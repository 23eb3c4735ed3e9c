"""What only sessions have, worked by hand on a few bars; the slow comparison over made markets stands in test_intraday."""

from dataclasses import replace

import numpy as np
import pytest

from tests import made
from tests.core.slow import Slow
from wickcore.bars.bars import build_bars
from wickcore.bars.calendar import Calendar
from wickcore.bars.market import Dated, Facts, Market, nights
from wickcore.language.check import check_expression, check_rule
from wickcore.language.problems import RuleError
from wickcore.measures.frame import FALSE, TRUE, UNKNOWN
from wickcore.scan.evaluate import Evaluator

OPENS, STEP = 570, 5
DAYS = made.weekdays(2)
# Two sessions of half an hour: six bars each. Open, high, low, close.
BARS = [
    (10, 11, 9, 10.5), (10.5, 12, 10, 11), (11, 11.5, 10.5, 11), (11, 13, 11, 12.5), (12.5, 12.5, 12, 12), (12, 12.2, 11.8, 12),
    (13, 14, 13, 13.5), (13.5, 13.6, 13, 13.2), (13.2, 13.4, 12.9, 13), (13, 13.1, 12, 12.5), (12.5, 12.9, 12.4, 12.8), (12.8, 15, 12.8, 15),
]  # fmt: skip
VOLUME = [100, 50, 50, 20, 20, 60, 200, 50, 200, 10, 30, 110]


def market(keep: list[int] | None = None) -> Market:
    rows = keep if keep is not None else list(range(12))
    columns = {name: np.array([BARS[i][at] for i in rows], float) for at, name in enumerate(("open", "high", "low", "close"))}
    inner = {
        "days": np.repeat(DAYS, 6)[rows], "minute": np.tile(OPENS + STEP * np.arange(6), 2)[rows].astype(np.int32), **columns,
        "volume": np.array([VOLUME[i] for i in rows], float),
    }  # fmt: skip
    night = nights([[(int(DAYS[1]), 12.0, 12.9, 11.5, 12.8, 1.0)]])
    return Market((build_bars({"A": inner}, "5min", Calendar(frozenset(), OPENS, OPENS + 30)),), overnight=night)


def column(text: str, of: Market | None = None) -> list[float]:
    engine = Evaluator(of or market()).on("5min")
    return np.asarray(engine.column(check_expression(text, "5min", "5min").op), float).tolist()


NAN = pytest.approx(float("nan"), nan_ok=True)


def test_the_opening_range_is_unknown_until_its_minutes_are_over() -> None:
    assert column("opening_range(15).high") == [NAN, NAN, 12, 12, 12, 12, NAN, NAN, 14, 14, 14, 14]
    assert column("opening_range(15).low") == [NAN, NAN, 9, 9, 9, 9, NAN, NAN, 12.9, 12.9, 12.9, 12.9]
    assert column("opening_range(15).open")[2::6] == [10, 13]
    assert column("opening_range(15).close")[5::6] == [11, 13]
    assert column("opening_range(15).range")[2::6] == pytest.approx([3, 1.1])
    assert column("opening_range(15).place")[2::6] == pytest.approx([2 / 3, 0.1 / 1.1])
    assert column("opening_range(5).high")[0] == 11  # the first bar alone
    assert column("opening_range(60).high") == [NAN] * 12  # a session of half an hour never has an hour behind it


def test_a_bar_that_is_missing_where_the_range_ends_makes_it_known_with_the_next() -> None:
    found = column("opening_range(15).high", market([0, 1, 3, 4, 5, 9, 10]))
    assert found == [NAN, NAN, 12, 12, 12, NAN, NAN]  # the second session has no bar within its first quarter of an hour


def test_the_pace_is_the_volume_so_far_against_what_was_usual_by_then() -> None:
    """By hand: by the third bar 200 shares the day before, 450 today: 2.25."""
    found = column("pace(1)")
    assert found[:6] == [NAN] * 6
    assert found[6:] == pytest.approx([200 / 100, 250 / 150, 450 / 200, 460 / 220, 490 / 240, 600 / 300])


def test_minutes_and_the_gain_since_the_open() -> None:
    assert column("minute")[:6] == [5, 10, 15, 20, 25, 30]
    assert column("since_open")[6:8] == pytest.approx([13.5 / 13 - 1, 13.2 / 13 - 1])
    daily = Evaluator(market())
    assert daily.column(check_expression("minute", "day", "5min").op).tolist() == [30, 30]


def test_the_volume_weighted_price_begins_anew_with_each_session() -> None:
    first, second = (14 + 13 + 13.5) / 3, (13.6 + 13 + 13.2) / 3  # high, low and close
    found = column("vwap")
    assert found[:6] == [NAN] * 6  # whether the data begin with a session's first bar is not known
    assert found[6:8] == pytest.approx([first, (first * 200 + second * 50) / 250])


def test_the_night_is_known_from_the_open_on() -> None:
    assert column("overnight.high")[5:7] == [NAN, 12.9]
    assert column("overnight.place")[6] == pytest.approx((12.8 - 11.5) / (12.9 - 11.5))
    assert column("overnight.low_first")[5:7] == [UNKNOWN, TRUE]
    assert column("overnight.high_first")[6] == FALSE
    rule = check_rule("decide: open\novernight.close > on(day, close 1 ago)\ngap > 0%", base="5min")  # at the open it is there
    assert len(rule.lines) == 2


@pytest.mark.parametrize(
    "text", ["first_hour.high > 5", "pace(5) > 1", "minute > 5", "since_open > 0", "opening_range(30).low < close"]
)
def test_at_the_open_nothing_of_the_session_is_known(text: str) -> None:
    with pytest.raises(RuleError, match="not known yet"):
        check_rule(f"decide: open\n{text}", base="5min")


def test_a_plain_vwap_on_days_says_where_it_could_begin() -> None:
    with pytest.raises(RuleError, match="needs where it begins") as found:
        check_rule("close > vwap", base="5min")
    assert found.value.problems[0].mend == "on(5min, vwap)"
    assert check_rule("close > on(5min, vwap)", base="5min").lines


def test_minutes_are_counted_in_fives() -> None:
    with pytest.raises(RuleError, match="5, 10, 15"):
        check_rule("close > opening_range(12).high", base="5min")


def test_a_report_counts_as_known_from_its_days_close() -> None:
    """Its day is told and not its hour; most reports come outside the session (common practice), many of them after it."""
    columns = {"eps": np.array([1.0, -2.0]), "eps_surprise": np.array([0.1, -0.3]), "shares": np.array([9.0, 9.0])}
    told = replace(
        market(), facts=Facts(np.array([0, 2]), DAYS[:2].astype(np.int32), np.ones(2, np.bool_), columns),
        own={"tone": Dated(np.array([0, 1]), DAYS[1:2].astype(np.int32), np.array([5.0]))},
    )  # fmt: skip
    assert column("eps", told) == [NAN] * 5 + [1] * 6 + [-2]
    assert column("days_since_report", told)[5:] == [0] + [float(DAYS[1] - DAYS[0])] * 5 + [0]
    assert column("at_report(eps, 1)", told)[-2:] == [NAN, 1]
    assert column("own.tone", told)[-2:] == [NAN, 5]


def test_a_rule_that_decides_at_the_open_does_not_know_the_report_of_that_day() -> None:
    traded = made.market(11, count=3, length=90)
    for text in ("eps", "eps_growth", "eps_surprise", "days_since_report", "days_to_report", "shares_outstanding", "at_report(eps, 1)",
                 "eps 1 ago", "days_to_dividend", "count(days_since_report == 1, 3)", "days_since_report 1 ago"):  # fmt: skip
        op = check_rule(f"decide: open\nopen > 0\n{text} == 0").lines[-1].op.args[0]
        for symbol in traded.bars.symbols:
            slow = Slow(traded, symbol)
            slow.at_open = True
            wanted = [np.nan if v is None else float(v) for v in slow.expression(text, "day")]
            np.testing.assert_allclose(np.asarray(Evaluator(traded).rows([op], symbol)[0], float), wanted, rtol=1e-12)
    (said,) = check_rule("decide: open\nopen > 1\ndays_since_report == 0").advice
    assert "a report of the same day is not known yet" in said.message
