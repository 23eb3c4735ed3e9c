"""A moment scanned on the last bars alone against the same moment behind the whole history: to the last digit, for all there is."""

import gc
from dataclasses import replace
from weakref import ref

import numpy as np
import pytest

from tests import made
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, of_key
from wickcore.language.catalogue import CATALOGUE
from wickcore.language.check import check_expression, check_rule
from wickcore.language.operations import Op
from wickcore.language.problems import RuleError
from wickcore.scan import at_moment as moments
from wickcore.scan import tail as tails
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.scan import Hit, scan
from wickcore.scan.tail import reach, tail_of

LENGTH = 900


@pytest.fixture(scope="module")
def engine() -> Evaluator:
    market = made.dress(made.market(seed=11, count=9, length=LENGTH).bars)
    return Evaluator(market)


def without_some_days(market: Market) -> Market:
    """Days that only their five-minute bars tell."""
    rng = np.random.default_rng(3)
    bars = market.bars
    lost = (rng.random(len(bars)) < 0.1) & (bars.session > len(bars.sessions) - 50) & (bars.owner % 2 == 0)
    lengths = np.bincount(bars.owner[~lost], minlength=len(bars.symbols))
    offsets = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
    return replace(market, tables=(bars.taken(np.flatnonzero(~lost), offsets), market.table("5min")))


@pytest.fixture(scope="module", params=["as it is", "days missing", "no days"])
def within(request: pytest.FixtureRequest) -> Evaluator:
    market = made.inner_market(seed=4, count=6, length=160, inner=60)
    if request.param == "days missing":
        market = without_some_days(market)
    return Evaluator(replace(market, tables=(market.table("5min"),)) if request.param == "no days" else market).on("5min")


@pytest.fixture(autouse=True)
def short(monkeypatch: pytest.MonkeyPatch) -> None:
    """Tails are taken wherever they can be, and runs soon reach back beyond them."""
    monkeypatch.setattr(tails, "SIZES", (40, 80, 160, 320, 640))
    monkeypatch.setattr(tails, "SPARE", 6)
    monkeypatch.setattr(tails, "WORTH", 1)
    monkeypatch.setattr(moments, "FEW", 1)


def expressions() -> list[str]:
    found = []
    for entry in CATALOGUE.entries.values():
        if not entry.inner and entry.example:
            try:
                check_expression(entry.example)
            except RuleError:
                continue
            found.append(entry.example)
    return found


MORE = [
    "close > sma(rsi(5), 7)",
    "sma(sma(close, 9) / sma(volume, 4), 6) > 0",
    "stdev(change, 13) < 5%",
    "slope(wma(close, 7), 9) > 0",
    "fit(close / sma(close, 30), 11) > 0.3",
    "rank(slope(close, 8)) > 40",
    "rank(change(20)) > 30 held 3",
    "rank(rsi(9)) > 40",
    "high >= highest(high, 8w)",
    "off_high(12w) > -9%",
    "on(week, close > sma(6))",
    "on(week, stdev(change, 4)) > 3%",
    "on(month, low <= lowest(low, 2) 1 ago)",
    "sma(on(week, close / open), 5) > 1",
    "on(week, sma(volume, 7) > volume held 2)",
    "on(month, slope(close, 3)) > 0",
    "on(week, median(close, 5)) < close",
    "rank(close / ema(13)) > 20 once in 4",
    "group(ema(change, 9), by=sector) > 0",
    "close / benchmark(ema(11)) > sma(close / benchmark(ema(11)), 8)",
    "ema(breadth(close > ema(9)), 5) > 20%",
    "close / benchmark(close) >= highest(close / benchmark(close), 15)",
    "benchmark(close > sma(21))",
    "group(change(9), by=sector) > 0",
    "breadth(close > sma(9)) > 30%",
    "sma(close, 10) > on(week, sma(close, 5))",
    "(close > sma(10) held 3) once in 9",
    "mean_dev(close, 8) < median(high - low, 9)",
    "corr(close, volume, 12) > 0",
    "bars_since_highest(high, 30) < bars_since_lowest(low, 30)",
    "percentile(volume, 25) > 50",
    "count(close > open, 8) >= 4",
    "log(close) > sma(log(close), 12)",
]


LEAST, MOST = 16, 64  # expressions that share a tail: those that look back as far, or about as far where they are few


def groups(frame: str) -> list[list[tuple[str, Op]]]:
    """All expressions by how far they look back, those that have no tail apart."""
    ops = [(text, check_expression(text, base=frame).op) for text in (*MORE, *expressions())]
    far = {text: reach(op, frame) for text, op in ops}
    parts: list[list[tuple[str, Op]]] = []
    before: object = None
    for text, op in sorted(ops, key=lambda pair: (pair[1] not in far[pair[0]].laid, far[pair[0]].bars)):
        place = -1 if op in far[text].laid else far[text].bars
        if before is None or len(parts[-1]) == MOST or (place != before and (before == -1 or len(parts[-1]) >= LEAST)):
            parts.append([])
        parts[-1].append((text, op))
        before = place
    return parts


def differ_of_few(engine: Evaluator, named: list[tuple[str, Op]], at: Moment) -> list[str]:
    """The expressions of which what is worked out for some instruments alone is not what the whole column says of them."""
    numbers = np.array([4, 1])
    ops = [op for _, op in named]
    few = moments.at_moment(Evaluator(engine.market, table=engine.table), ops, at, numbers=numbers)
    position = engine.bars.on(at)[numbers]
    there = position >= 0
    return [
        text
        for (text, _), column, whole in zip(named, few, engine.columns(ops), strict=True)
        if column[numbers][there].tobytes() != whole[position[there]].tobytes()
    ]


def differ_in_tail(engine: Evaluator, named: list[tuple[str, Op]], at: Moment) -> list[str] | None:
    """The expressions whose tail is not what the whole history says, to the last digit; None where there is no tail."""
    ops = [op for _, op in named]
    found = tail_of(engine, ops, at)
    if found is None:
        return None
    tail, reaches = found
    bars, differ = engine.bars, []
    for (text, _), far, column, all_rows in zip(named, reaches, tail.columns(ops, reaches), engine.columns(ops), strict=True):
        whole = all_rows[tail.rows]
        sound = np.concatenate([np.arange(a, b) for a, b in zip(tail.sound(far), tail.offsets[1:], strict=True)])
        assert np.isin(tail.place(bars.on(at)[bars.on(at) >= 0]), sound).all()
        if column[sound].tobytes() != whole[sound].tobytes():
            differ.append(text)
    return differ


@pytest.mark.parametrize("named", groups("day"), ids=lambda named: named[0][0])
def test_the_tail_says_what_the_whole_history_says(named: list[tuple[str, Op]], engine: Evaluator) -> None:
    for day in (int(engine.bars.sessions[-1]), int(engine.bars.sessions[600])):
        assert differ_of_few(engine, named, Moment(day)) == []
        differ = differ_in_tail(engine, named, Moment(day))
        if differ is None:
            assert max(reach(op, "day").bars for _, op in named) > 300
        else:
            assert differ == []


RULES = [
    "close > sma(10)",
    "close > sma(200)\nclose > open",
    "ema(5) > sma(20)\nrsi(9) > 40",
    "universe: Turning\nclose > lowest(low, 9)\nvolume > 0.2 * sma(volume, 5)",
    "any of:\n    close > sma(5)\n    close < sma(50)\nrank(change(9)) > 20",
    "high > 0",
    "close > highest(close, 5) 1 ago once in 20\nnot close < sma(3) held 9",
    "double_bottom.state > 0\nclose > sma(4)",
]


@pytest.mark.parametrize("text", RULES)
def test_a_moment_is_scanned_alike(text: str, engine: Evaluator) -> None:
    rule = check_rule(text)
    members = engine.market.members(rule.universe) if rule.universe else None
    hits = 0
    for at in (LENGTH - 1, 700, 451, 300):
        day = int(engine.bars.sessions[min(at, len(engine.bars.sessions) - 1)])
        whole, quick = scan(engine, rule, day, members), scan(engine, rule, day, members, ever=False)
        assert replace(quick, lines=()) == replace(whole, lines=())
        _short_runs(scan(engine, rule, day, members, ever=False, runs=False).hits, whole.hits)
        assert quick.lines == tuple(replace(line, ever=None, never_known=None) for line in whole.lines)
        hits += len(whole.hits)
    assert hits


def _short_runs(short: tuple[Hit, ...], whole: tuple[Hit, ...]) -> None:
    """The same hits, each as long as it was, or marked as longer than was looked."""
    assert [(h.symbol, h.fresh) for h in short] == [(h.symbol, h.fresh) for h in whole]
    for found, true in zip(short, whole, strict=True):
        assert found.days == true.days if not found.longer else 1 < found.days <= true.days


WITHIN = [
    "close > sma(5)",
    "bars: 5min\nclose > sma(12)\nvolume > 0.3 * (sma(volume, 6) 1 ago)",
    "bars: 5min\nclose > on(day, sma(5))\nhigh >= highest(high, 9) 1 ago",
    "bars: 15min\nclose > sma(4)",
    "bars: 65min\nclose > sma(4)\nhigh >= highest(high, 3)",
    "bars: 5min\nclose > on(15min, sma(7))\non(65min, stdev(close, 3)) > 0",
    "close > vwap(first_of(week))\non(5min, close) > on(5min, sma(6))",
    "bars: 5min\nrank(change(7)) > 10\nsince_open > -50%",
    "benchmark(change) > -50%\nclose > open * 0.9",
    "ema(5) > sma(20)\nrsi(9) > 30\nvolume > 0.01 * sma(volume, 20)",
    "rank(rsi(9)) > 20\nsma(rank(change(5)), 3) > 1",
    "close > on(week, ema(close, 3))\nbreadth(close > ema(9)) >= 0%",
    "bars: 5min\nrsi(14) > on(day, rsi(14)) - 60\nclose > on(day, ema(9)) * 0.9",
    "on(5min, ema(6)) > on(day, lowest(low, 9))",
    "sma(on(5min, close), 3) > 0.5 * close",
    "pace(3) > 0.1\non(5min, vwap) > 0.5 * sma(close, 5)",
]


@pytest.mark.parametrize("text", WITHIN)
def test_a_moment_inside_a_session_is_scanned_alike(text: str, within: Evaluator) -> None:
    """On five-minute bars, on the day so far, and on both in one rule."""
    market = within.market
    engine, rule, hits = Evaluator(market), check_rule(text, base="5min"), 0
    inner = market.table("5min")
    moments = [of_key(int(inner.moments[at])) for at in (-1, -9, -27, -400)] + [
        market.latest,
        Moment(int(market.bars.sessions[-2])),
    ]
    for at in moments:
        whole, quick = scan(engine, rule, at), scan(engine, rule, at, ever=False)
        assert replace(quick, lines=()) == replace(whole, lines=())
        _short_runs(scan(engine, rule, at, ever=False, runs=False).hits, whole.hits)
        assert quick.lines == tuple(replace(line, ever=None, never_known=None) for line in whole.lines)
        hits += len(whole.hits)
    assert hits


@pytest.mark.parametrize("named", groups("5min"), ids=lambda named: named[0][0])
def test_days_beside_a_tail_of_the_bars_within_them(named: list[tuple[str, Op]], within: Evaluator) -> None:
    """What days say inside a session, read beside a tail, is what it is beside all bars within the days."""
    inner = within.market.table("5min")
    for at in (of_key(int(inner.moments[-9])), of_key(int(inner.moments[-700]))):
        assert differ_of_few(within, named, at) == []
        assert differ_in_tail(within, named, at) == []


def test_a_tail_is_read_where_it_can_be(engine: Evaluator, monkeypatch: pytest.MonkeyPatch) -> None:
    """And nothing of the whole history where nothing asks for it."""
    rule = check_rule("close > sma(31)\nvolume > sma(volume, 17)\nrank(change(5)) > 10")
    monkeypatch.setattr(Evaluator, "_compute", _only_short(Evaluator._compute))
    result = scan(Evaluator(engine.market), rule, engine.bars.last_day, ever=False)
    assert result.scanned


def _only_short(compute: object) -> object:
    def checked(self: Evaluator, *args: object, **more: object) -> object:
        assert len(self.bars) <= 9 * 80
        return compute(self, *args, **more)  # type: ignore[operator]

    return checked


@pytest.mark.parametrize("table", ["day", "5min"])
def test_tails_go_with_their_market(table: str) -> None:
    """At once: with every step of a session there is another market, and what was computed of the one before is large."""
    engine = Evaluator(made.inner_market(seed=4, count=6, length=160, inner=60))
    at = engine.market.latest if table == "5min" else Moment(int(engine.market.bars.sessions[-2]))
    gc.disable()
    try:
        scan(engine, check_rule("ema(9) > 1\nclose > sma(5)", base="5min"), at, ever=False)
        (tail,) = map(ref, engine.shared.tails.values())
        assert tail() is not None
        shared = ref(engine.shared)
        del engine
        assert (shared(), tail()) == (None, None)
    finally:
        gc.enable()


BESIDE = ["corr(change, benchmark(change), 20)", 'close / of("S03", ema(9))', 'close - of("none", close)', "rank(change)", "sma(5)"]


@pytest.mark.parametrize("text", BESIDE)
@pytest.mark.parametrize("table", ["5min", "mixed"])
def test_one_instrument_is_told_beside_those_it_names(text: str, table: str, within: Evaluator) -> None:
    """Its own rows, without putting in order the bars of all, are those of the whole column."""
    engine, op = within.on(table), check_expression(text, base="5min").op
    whole, bars = engine.column(op), engine.bars
    for symbol in ("S00", "S03", "S05"):
        k = bars.number[symbol]
        assert engine.rows([op], symbol)[0].tobytes() == whole[bars.offsets[k] : bars.offsets[k + 1]].tobytes()
