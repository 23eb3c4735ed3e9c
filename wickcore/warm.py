"""Compiles kernels ahead on a handful of bars, in parts; the compiled code is kept on disk."""

from collections.abc import Iterable

import numpy as np

from wickcore.bars.bars import build_bars
from wickcore.bars.factor import steps_of_ratio
from wickcore.bars.market import Beside, Facts, Market, Membership, market_of
from wickcore.bars.moment import Moment
from wickcore.book.figures import figures
from wickcore.book.luck import luck
from wickcore.book.paths import path_ends
from wickcore.book.settings import BookChoice
from wickcore.book.simulation import Trial
from wickcore.book.trade_levels import levels
from wickcore.language.book_check import check_book
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.check import check_rule
from wickcore.language.problems import RuleError
from wickcore.plan.paper_orders import PaperOrder, placed, play
from wickcore.precedents.morning import STAGES, morning
from wickcore.precedents.outcomes import chosen, outcome, sessions_of, way
from wickcore.precedents.statements import statements_of
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.patterns import drawn, of_all
from wickcore.scan.scan import scan
from wickcore.study.follow import study
from wickcore.study.path import path
from wickcore.study.settings import StudySettings


def warm_rules(texts: Iterable[str], parts: dict[str, str] | None = None) -> None:
    """What scans of these rules need; those with errors are passed over."""
    engine = Evaluator(_market())
    day = engine.market.bars.last_day
    for text in texts:
        try:
            scan(engine, check_rule(text, parts, base="5min"), day)
        except RuleError:
            continue  # an example that cannot stand inside another frame


def warm_patterns() -> None:
    """All chart patterns, in rules and on charts."""
    warm_rules(_examples(patterns=True))
    engine = Evaluator(_market())
    for frame in ("day", "week"):
        list(drawn(engine, of_all(frame), "A", 40, every=True))


def warm_mornings() -> None:
    """What a morning is looked at with: its bars and nights are laid out anew, as other arrays than those of a stored market."""
    days = np.arange(60) + 15_000
    price = 10.0 + np.sin(np.arange(60) / 3.0)
    table = {"days": days, "volume": price * 100, **dict.fromkeys(("open", "high", "low", "close"), price)}
    night = [(int(d), 10.0, 11.0, 9.0, 10.5, 1.0) for d in days]
    beside = Beside(overnight={"A": night, "B": night}, events={"News": [15_020]}, benchmark="A")
    market = market_of({"day": {"A": table, "B": table}}, beside)
    ops = [check_rule(f"decide: open\n{s.line}").lines[0].op for s in statements_of(market.events)]
    for stage in STAGES:
        laid = morning(market, int(days[-1]), stage, ["A", "B"])
        of = sessions_of(laid, "A", ops)
        outcome(way(laid, of, 0, 0.0), chosen(of))


def warm_measures() -> None:
    """Every measure, fact and frame, each for the table's own frame and for coarser ones, and the studies."""
    warm_rules(_examples(patterns=False))
    warm_rules(["bars: 5min\nclose > on(day, sma(2))\nhigh > on(week, open)\nvolume < on(day, volume)", "on(15min, high) > 1"])
    windows = (
        "close > highest(high, all)\ncount(close > open, since close > 11) > 1\ncount of (close > 1, open > 2) > 1\nclose ^ 2 > 4"
    )
    warm_rules([windows, f"bars: week\n{windows}"])
    steps_of_ratio(np.array([10.0, 11.0]), np.array([0.5, 0.5]))
    engine = Evaluator(_market())
    for frame in ("day", "week"):
        rule = check_rule(f"bars: {frame}\nclose > 11")
        members = engine.market.members("all")
        path(engine, study(engine, rule, StudySettings(horizons=(1, 2), draws=2), members), members, draws=2)
    warm_mornings()


def warm_books() -> None:
    """The day loop and what is asked of its runs."""
    engine = Evaluator(_market())
    text = 'enter "A" at next open\nstop: entry - 1\nfollow: best - 1\ntarget: entry + 1\nexit when close > 12 or gain < 0'
    rules = {"A": "close > 10"}
    trial = Trial(engine, lambda dials: check_book(text, rules, dials), engine.market.members, BookChoice())
    made = trial.run()
    figures(made)
    path_ends(np.zeros(4), 2, 1)
    for trade in made.trades[:1]:
        levels(made.prepared, trade)
    luck(made.prepared, made, 2)
    market, days = engine.market, engine.market.bars.days
    order = PaperOrder("A", "long", 11.5, 9.0, ((13.0, 0.5),), "best - 3", 10.0, int(days[-1]))
    play(engine, order, placed(market, order, Moment(int(days[0]))), market.latest)


def _examples(patterns: bool) -> list[str]:
    found = [entry.example for entry in CATALOGUE.entries.values() if (entry.kind == "pattern") == patterns]
    return [text for example in found for text in (example, f"on(week, {example})")]


def _market() -> Market:
    length = 60
    price = 10.0 + np.arange(length) % 5
    days = np.arange(length) + 15_000
    table = {
        "days": days,
        "volume": price * 100,
        "factor": 1.0 + (days > 15_030),
        **dict.fromkeys(("open", "high", "low", "close"), price),
    }
    day = np.array([15_001, 15_002], np.int32)
    facts = {name: np.ones(2) for name in ("shares", "eps", "revenue_growth", "eps_growth", "eps_surprise")}
    two = np.array([0, 1, 2])
    last = np.full(6, days[-1])
    inner = {**{name: column[-6:] for name, column in table.items()}, "days": last, "minute": 570 + 5 * np.arange(6)}
    return Market(
        (build_bars({"A": table, "B": table}), build_bars({"A": inner, "B": inner}, "5min")),
        texts={"sector": ("x", "x")},
        facts=Facts(two, day, np.array([True, True]), facts),
        dividends=(two, day, np.array([0.1, 0.1])),
        listed=day,
        optionable=np.array([True, False]),
        weekly_options=np.array([False, False]),
        universes={"all": Membership(np.array([0, 1]), day, day + 99)},
        benchmark="A",
    )
