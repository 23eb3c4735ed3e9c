"""Paper orders against books: the same orders, and the same fills."""

from dataclasses import replace

import numpy as np
import pytest

from tests.core.books import checked, ready, small_market
from tests.made import inner_market, one
from wickcore.bars.bars import build_bars
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, of_key
from wickcore.book.prepare import Span, prepare
from wickcore.book.run import BookRun, Trade, run
from wickcore.book.tape import OUTCOMES
from wickcore.language.book_check import check_book
from wickcore.language.check import check_expression
from wickcore.language.problems import RuleError
from wickcore.plan.holdings import Done, holding
from wickcore.plan.paper_orders import Paper, PaperFill, PaperOrder, moved, placed, play, rests
from wickcore.scan.evaluate import Evaluator

PARTS, EACH = 40, 10
ENTRIES = {
    "long": ("high + 0.25", "close * 98%", "low", "close", "close * 106%"),
    "short": ("low - 0.25", "close * 102%", "high", "close", "close * 94%"),
}
STOPS = {"long": ("low - 0.5", "close * 90%", "low - atr(3)", ""), "short": ("high + 0.5", "close * 110%", "high + atr(3)", "")}
TARGETS = {
    "long": ((), (("close + 1", 1.0),), (("close * 103%", 0.5), ("close + atr(3)", 0.3), ("close * 112%", 1.0))),
    "short": ((), (("close - 1", 1.0),), (("close * 97%", 0.5), ("close - atr(3)", 0.3), ("close * 88%", 1.0))),
}
FOLLOWS = {
    "long": ("", "best - 2 * atr(3)", "lowest(low, 3)", "min(entry, best - 1)"),
    "short": ("", "best + 2 * atr(3)", "highest(high, 3)", "max(entry, best + 1)"),
}


def in_steps(
    engine: Evaluator, order: PaperOrder, paper: Paper, moments: list[Moment], rng: np.random.Generator
) -> tuple[Paper, list[PaperFill]]:
    """Played moment by moment, some of them several at once."""
    fills: list[PaperFill] = []
    for i, moment in enumerate(moments):
        if rng.random() < 0.6 or i == len(moments) - 1:
            paper, found = play(engine, order, paper, moment)
            fills += found
    return paper, fills


def parts_of(made: BookRun, signal_day: int) -> list[Trade]:
    return [x for x in made.trades if x.signal_day == signal_day]


@pytest.mark.parametrize("part", range(PARTS))
def test_a_plan_left_to_the_clock_fills_as_the_same_order_of_a_book(part: int) -> None:
    filled = 0
    for seed in range(part * EACH, (part + 1) * EACH):
        filled += compare(seed)
    assert filled > EACH


def compare(seed: int) -> int:
    rng = np.random.default_rng(seed)
    market = small_market(seed)
    engine = Evaluator(market, threads=1)
    side = "short" if seed % 3 == 0 else "long"
    name = "Down" if side == "short" else str(rng.choice(["Up", "Strong", "Dip"]))
    symbol, bars_waited = f"S{int(rng.integers(1, 6)):02d}", int(rng.integers(1, 5))
    price, stop, follow = (str(rng.choice(of[side])) for of in (ENTRIES, STOPS, FOLLOWS))
    targets = TARGETS[side][int(rng.integers(3))]
    cost, slip = float(rng.choice([0.0, 0.001])), float(rng.choice([0.0, 0.002]))
    text = "\n".join([
        f"universe: only {symbol}", "start: 100k", "slots: 1", "size: money 9k", f"cost: {cost:.1%}", f"slip: {slip:.1%}",
        f'enter "{name}" at {price} for {bars_waited} bars', *([f"stop: {stop}"] if stop else []), *([f"follow: {follow}"] if follow else []),
        *(f"target: {p}" + ("" if share == 1.0 else f", {share:.0%}") for p, share in targets),
        "exit when bars_held >= 999",
    ])  # fmt: skip
    made = run(ready(market, checked(text), seed=3))
    bars, k = market.bars, market.bars.number[symbol]
    begin, end = int(bars.offsets[k]), int(bars.offsets[k + 1])

    def value(words: str, row: int) -> float:
        """A price on the signal's bar, on the continuous scale."""
        (column,) = engine.rows([check_expression(words).op], symbol)
        return float(column[row - begin])

    filled = 0
    for s, outcome in zip(made.prepared.signals.each, made.outcome.tolist(), strict=True):
        row, day = int(s["row"]), int(bars.days[s["row"]])
        if OUTCOMES[outcome] not in ("traded", "unfilled"):
            continue
        parts = parts_of(made, day)
        shares = sum(x.shares for x in parts) if parts else 10.0
        last = row + bars_waited
        until = int(bars.days[last]) if last < end else int(bars.days[-1]) + 400
        acts = made.prepared.tape
        between = (acts.act_row > row) & (acts.act_row <= (parts[0].entry_row if parts else row))
        shares /= float(np.prod(acts.act_shares[between]))  # a book sizes at the fill, a plan when it is placed
        order = PaperOrder(
            symbol, side, value(price, row), value(stop, row) if stop else None,
            tuple((value(p, row), share) for p, share in targets), follow, shares, until, cost, slip,
        )  # fmt: skip
        if (order.stop is not None and np.isnan(order.stop)) or any(np.isnan(p) for p, _ in order.targets):
            continue
        after = [Moment(int(d)) for d in bars.sessions[bars.sessions > day]]
        if not after:
            continue
        paper, fills = in_steps(engine, order, placed(market, order, Moment(day)), after, rng)
        words = f"seed {seed} {iso_of(fills)}\n{text}"
        if OUTCOMES[outcome] == "unfilled":
            assert not fills, words
            assert paper.state == "expired" or until > after[-1].day, words
            continue
        filled += 1
        assert (fills[0].moment.day, fills[0].price) == (parts[0].entry_day, pytest.approx(parts[0].entry, rel=1e-12)), words
        assert fills[0].reason == "entry"
        ends = [x for x in parts if x.reason != "end"]
        assert [(f.moment.day, f.reason) for f in fills[1:]] == [(x.exit_day, x.reason) for x in ends], words
        for f, x in zip(fills[1:], ends, strict=True):
            assert (f.price, f.result) == (pytest.approx(x.exit, rel=1e-12), pytest.approx(x.result, rel=1e-9, abs=1e-7)), words
        assert paper.state == ("held" if len(ends) < len(parts) else "closed"), words
        sums = holding(market, symbol, [done(f) for f in fills], after[-1])
        assert sums is not None
        if paper.state == "closed":
            assert sums.shares == 0
            assert sums.realised == pytest.approx(sum(f.result or 0 for f in fills), rel=1e-9, abs=1e-7), words
        else:
            assert sums.shares == pytest.approx(paper.position["shares"], rel=1e-9), words
        if paper.state == "held":
            (open_,) = made.open
            level = rests(paper, float(bars.factor[end - 1]))
            assert (level is None and open_.stop is None) or level == pytest.approx(open_.stop, rel=1e-12), words
            assert paper.position["shares"] == pytest.approx(open_.shares, rel=1e-9)
    return filled


def done(f: PaperFill) -> Done:
    return Done(f.moment.key, f.action, f.shares, f.price, f.cost, f.factor)  # type: ignore[arg-type]


def iso_of(fills: list[PaperFill]) -> str:
    return "; ".join(f"{f.moment} {f.reason} {f.shares:g} at {f.price:g}" for f in fills)


def test_minutes_are_played_as_a_book_on_minutes_plays_them() -> None:
    """A book on 5-minute bars against a plan with the same levels; without a stop that follows, which a plan moves at closes only."""
    filled = 0
    for seed in range(60):
        rng = np.random.default_rng(seed)
        whole = inner_market(seed)
        market = replace(whole, tables=(whole.table("5min"),))
        engine = Evaluator(market, threads=1)
        table = market.table("5min")
        symbol = f"S{int(rng.integers(3)):02d}"
        k = market.bars.number[symbol]
        ends_at = int(table.offsets[k + 1])
        text = "\n".join([
            f"universe: only {symbol}", "start: 100k", "slots: 1", "size: money 9k", 'enter "Minutes" at high * 100.2% for 12 bars',
            "stop: low * 99.5%", "target: close * 100.6%, half", "target: close * 101%", "exit when bars_held >= 9999",
        ])  # fmt: skip
        book = check_book(text, {"Minutes": "bars: 5min\nclose > highest(high, 4) 1 ago"}, base="5min")
        made = run(prepare(engine, book, Span(), lambda universe: None))
        for s, outcome in zip(made.prepared.signals.each, made.outcome.tolist(), strict=True):
            row = int(s["row"])
            if OUTCOMES[outcome] != "traded" or row + 12 >= ends_at:
                continue
            at, factor = of_key(int(table.known_at(slice(row, row + 1))[0])), float(table.factor[row])
            parts = [x for x in made.trades if x.signal_row == row]
            if parts[0].entry_day != at.day:  # the plan's splits would be floored, and its last day is a day
                continue
            high, low, close = (float(getattr(table, n)[row]) * factor for n in ("high", "low", "close"))
            order = PaperOrder(
                symbol, "long", high * 1.002, low * 0.995, ((close * 1.006, 0.5), (close * 1.01, 1.0)), "", sum(x.shares for x in parts), at.day,
            )  # fmt: skip
            after = [
                of_key(int(m))
                for m in sorted(
                    {
                        *table.moments[table.moments > at.key].tolist(),
                        *(Moment(int(d)).key for d in market.bars.sessions if d >= at.day),
                    }
                )
            ]
            _, fills = in_steps(engine, order, placed(market, order, at), after, rng)
            ends = [x for x in parts if x.reason != "end"]
            words = f"seed {seed} {symbol} {at}: {iso_of(fills)}"
            assert fills[0].price == pytest.approx(parts[0].entry, rel=1e-12), words
            assert [(f.moment.key, f.reason) for f in fills[1:]] == [
                (int(table.known_at(slice(x.exit_row, x.exit_row + 1))[0]), x.reason) for x in ends
            ], words
            assert [f.price for f in fills[1:]] == pytest.approx([x.exit for x in ends], rel=1e-12), words
            filled += 1
    assert filled > 60


def four_days() -> Market:
    """Closes of 50, 51, 55 and 46 with a range of one each way."""
    return Market(
        (one([50.0, 51.0, 55.0, 46.0], open=[50.0, 50.5, 54.0, 47.0], high=[50.5, 52.0, 56.0, 48.0], low=[49.5, 50.0, 53.0, 45.0]),)
    )


def test_a_plan_worked_out_by_hand() -> None:
    """Buy 100 at 51.50 on the way up, stop 48, half at 55. Day 2 reaches 52: bought at 51.50. Day 3 opens at 54 and reaches 56: half sold at 55.
    Day 4 opens at 47, under the stop: the rest is sold there. Result: 50 × 3.50 − 50 × 4.50 = −50."""
    market = four_days()
    engine, days = Evaluator(market, threads=1), market.bars.days.tolist()
    order = PaperOrder("A", "long", 51.5, 48.0, ((55.0, 0.5),), "", 100.0, days[0] + 30)
    paper, fills = play(engine, order, placed(market, order, Moment(days[0])), Moment(days[-1]))
    assert [(f.action, f.shares, f.price, f.reason) for f in fills] == [
        ("buy", 100, 51.5, "entry"), ("sell", 50, 55.0, "target"), ("sell", 50, 47.0, "stop"),
    ]  # fmt: skip
    assert sum(f.result or 0 for f in fills) == pytest.approx(-50)
    assert paper.state == "closed"
    assert play(engine, order, paper, Moment(days[-1] + 9)) == (paper, [])


def test_a_stop_that_is_moved_holds_from_then_on() -> None:
    market = four_days()
    engine, days = Evaluator(market, threads=1), market.bars.days.tolist()
    order = PaperOrder("A", "long", 51.5, 48.0, (), "", 100.0, days[0] + 30)
    paper, _ = play(engine, order, placed(market, order, Moment(days[0])), Moment(days[1]))
    nearer = PaperOrder("A", "long", 51.5, 53.5, (), "", 100.0, days[0] + 30)
    paper, fills = play(engine, nearer, moved(paper, nearer, Moment(days[1])), Moment(days[3]))
    assert [(f.moment.day, f.price, f.reason) for f in fills] == [(days[2], 53.5, "stop")]


def test_what_a_target_took_is_not_taken_again_when_another_is_added() -> None:
    market = four_days()
    engine, days = Evaluator(market, threads=1), market.bars.days.tolist()
    order = PaperOrder("A", "long", 51.5, 40.0, ((53.0, 0.5),), "", 100.0, days[0] + 30)
    paper, fills = play(engine, order, placed(market, order, Moment(days[0])), Moment(days[2]))
    assert [(f.shares, f.price, f.reason) for f in fills[1:]] == [(50, 54.0, "target")]
    more = replace(order, targets=((53.0 * 1.00001, 0.5), (60.0, 0.5)))
    paper, fills = play(engine, more, moved(paper, more, Moment(days[2])), Moment(days[3]))
    assert fills == []
    assert paper.position["shares"] == 50


def test_of_the_bar_of_a_session_that_runs_only_its_close_counts() -> None:
    """Placed at 11 on day 2, without minutes: its high of 52 may lie before that. The close of 51 fills nothing; the next open does."""
    market = four_days()
    engine, days = Evaluator(market, threads=1), market.bars.days.tolist()
    order = PaperOrder("A", "long", 51.5, 40.0, (), "", 100.0, days[0] + 30)
    paper, fills = play(engine, order, placed(market, order, Moment(days[1], 660)), Moment(days[2]))
    assert [(f.moment.day, f.price) for f in fills] == [(days[2], 54.0)]
    early, _ = play(engine, order, placed(market, order, Moment(days[0])), Moment(days[2], 660))
    nearer = replace(order, stop=53.5)  # the low of 53 on day 3 may lie before 11; day 4 opens under the stop
    paper, fills = play(engine, nearer, moved(early, nearer, Moment(days[2], 660)), Moment(days[3]))
    assert [(f.moment.day, f.price, f.reason) for f in fills] == [(days[3], 47.0, "stop")]
    assert paper.state == "closed"
    _, fills = play(engine, order, replace(early, leaves=days[2]), Moment(days[3]))
    assert [(f.moment.day, f.price, f.reason) for f in fills] == [
        (days[3], 47.0, "exit")
    ]  # the next session's open, not the next bar's


def test_an_order_of_which_a_split_leaves_nothing_ends() -> None:
    days = np.arange(3) + 18_262
    close = np.array([1.0, 10.0, 20.0])
    table = {
        "days": days,
        "volume": close,
        **dict.fromkeys(("open", "high", "low", "close"), close),
        "factor": np.array([1.0, 0.1, 0.1]),
    }
    market = Market((build_bars({"A": table}),))
    order = PaperOrder("A", "long", 1.5, 0.5, (), "", 5.0, 20_000)
    paper, fills = play(Evaluator(market, threads=1), order, placed(market, order, Moment(18_262)), Moment(18_264))
    assert (paper.state, paper.shares, fills) == ("expired", 0.0, [])


def test_what_is_to_be_left_is_left_at_the_next_open_and_what_waits_too_long_ends() -> None:
    market = four_days()
    engine, days = Evaluator(market, threads=1), market.bars.days.tolist()
    order = PaperOrder("A", "long", 51.5, 40.0, (), "", 100.0, days[0] + 30)
    paper, _ = play(engine, order, placed(market, order, Moment(days[0])), Moment(days[1]))
    paper, fills = play(engine, order, replace(paper, leaves=days[1]), Moment(days[2]))
    assert [(f.price, f.reason, f.result) for f in fills] == [(54.0, "exit", 250.0)]
    late = PaperOrder("A", "long", 60.0, 40.0, (), "", 100.0, days[1])
    waits, _ = play(engine, late, placed(market, late, Moment(days[0])), Moment(days[1], 600))
    assert waits.state == "waiting"
    assert play(engine, late, waits, Moment(days[3]))[0].state == "expired"


def test_a_line_that_cannot_follow_is_said() -> None:
    market = four_days()
    order = PaperOrder("A", "long", 51.5, 48.0, (), "best - ", 100.0, 99_999)
    with pytest.raises(RuleError):
        play(Evaluator(market, threads=1), order, placed(market, order, Moment(int(market.bars.days[0]))), market.latest)
