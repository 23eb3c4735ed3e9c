"""Findings about data: each kind planted into a copy of the demo market is found, and none of the sound instruments is accused."""

from dataclasses import replace
from typing import Any

import numpy as np
import pytest

from tests import made
from wickcore.bars.bars import build_bars
from wickcore.bars.market import Market, Membership, market_of
from wickcore.bars.quality import KINDS, Finding, Recorded, findings
from wickcore.demo.market import DemoMarket, make_market

SPLITS_PLANTED = 40


@pytest.fixture(scope="module")
def demo() -> DemoMarket:
    return make_market(listed=150, delisted=20)


def tables_of(demo: DemoMarket) -> dict[str, dict[str, dict[str, Any]]]:
    day = {i.symbol: {"days": i.days.copy(), **{n: c.copy() for n, c in i.columns.items()}} for i in demo.instruments}
    inner = {
        i.symbol: {
            "days": i.inner.days.copy(),
            "minute": i.inner.minute.copy(),
            **{n: c.copy() for n, c in i.inner.columns.items()},
        }
        for i in demo.instruments
        if i.inner is not None
    }
    return {"day": day, "5min": inner}


def recorded_of(demo: DemoMarket) -> Recorded:
    return Recorded({i.symbol: i.splits for i in demo.instruments}, {i.symbol: i.dividends for i in demo.instruments})


def market_from(demo: DemoMarket, tables: dict[str, dict[str, dict[str, Any]]], recorded: Recorded) -> Market:
    from wickcore.bars.market import Beside

    gone = {i.symbol: i.delisted for i in demo.instruments if i.delisted is not None}
    return market_of(
        tables,
        Beside(
            splits=recorded.splits, dividends=recorded.dividends, delisted=gone, members=dict(demo.universes), benchmark="HARBOUR"
        ),
    )


def kinds(found: list[Finding]) -> dict[str, set[str]]:
    return {kind: {f.symbol for f in found if f.kind == kind} for kind in KINDS}


def test_nobody_sound_is_accused(demo: DemoMarket) -> None:
    """186 instruments, 530,000 daily bars, twelve years with takeovers, insolvencies, splits and report gaps: no finding at all."""
    recorded = recorded_of(demo)
    assert findings(market_from(demo, tables_of(demo), recorded), recorded) == []


def test_every_planted_fault_is_found_and_nobody_else(demo: DemoMarket) -> None:
    tables, recorded = tables_of(demo), recorded_of(demo)
    day = tables["day"]
    shares = sorted(i.symbol for i in demo.instruments if i.kind == "share" and len(i.days) > 2000 and i.delisted is None)
    planted: dict[str, set[str]] = {kind: set() for kind in KINDS}

    def columns(symbol: str, rows: Any, **changed: Any) -> None:
        for name, value in changed.items():
            day[symbol][name][rows] = value

    def drop(symbol: str, rows: list[int]) -> None:
        day[symbol] = {name: np.delete(column, rows) for name, column in day[symbol].items()}

    taken = iter(shares)
    for at in (700, 900):
        symbol = next(taken)
        drop(symbol, [at, at + 1, at + 2])
        planted["missing"].add(symbol)
    for ratio in (2.0, 5.0, 0.1):
        symbol = next(taken)
        for name in ("open", "high", "low", "close"):
            columns(symbol, slice(1500, None), **{name: day[symbol][name][1500:] / ratio})
        for table in [tables["5min"].get(symbol)]:
            if table is not None:
                for name in ("open", "high", "low", "close"):
                    table[name] /= ratio
        planted["split"].add(symbol)
    symbol = next(taken)
    wild = day[symbol]["close"][800] * 10
    columns(symbol, 800, close=wild, high=wild)
    planted["spike"].add(symbol)
    symbol = next(taken)
    columns(symbol, 810, high=day[symbol]["low"][810] * 0.9)
    planted["impossible"].add(symbol)
    symbol = next(taken)
    price = day[symbol]["close"][820]
    columns(symbol, slice(821, 829), open=price, high=price, low=price, close=price)
    planted["still"].add(symbol)
    symbol = next(taken)
    columns(symbol, slice(830, 833), volume=0.0)
    planted["volume"].add(symbol)
    symbol = next(s for s in taken if recorded.dividends[s] and not recorded.splits[s])
    own = np.ones(len(day[symbol]["days"]))  # adjusted closes that know of no dividend
    day[symbol]["ratio"] = own
    planted["adjusted"].add(symbol)
    symbol = next(taken)
    tables["5min"][symbol]["high"][500] *= 1.2
    tables["5min"][symbol]["close"][-1] *= 1.01
    tables["5min"][symbol]["high"][-1] *= 1.02
    planted["within"].add(symbol)
    market = market_from(demo, tables, recorded)
    gone = next(i for i in demo.instruments if i.delisted is not None)
    k = market.bars.number[gone.symbol]
    delisted = market.delisted.copy()
    delisted[k] = int(gone.days[-3])
    planted["gone"].add(gone.symbol)
    odd = Membership(
        np.array([k], np.int64), np.array([int(gone.days[-1]) - 50], np.int32), np.array([int(gone.days[-1]) + 400], np.int32)
    )
    planted["member"].add(gone.symbol)
    market = replace(market, delisted=delisted, universes={**market.universes, "Odd": odd})
    found = findings(market, recorded)
    assert kinds(found) == planted
    (two,) = (f for f in found if f.kind == "split" and f.ratio == 2.0)
    assert two.day == int(day[two.symbol]["days"][1500])
    assert {round(f.ratio or 0.0, 6) for f in found if f.kind == "split"} == {2.0, 5.0, 0.1}
    assert sorted(f.until - f.day for f in found if f.kind == "missing") == sorted(
        int(m.days[at + 2] - m.days[at])
        for m, at in (
            (next(i for i in demo.instruments if i.symbol == s), at) for s, at in zip(shares[:2], (700, 900), strict=True)
        )
    )


def test_how_many_unrecorded_splits_are_found(demo: DemoMarket) -> None:
    """The rate: of splits planted on random days of random shares, 2 for 1 to 1 for 10, at least 95% are found with their ratio."""
    rng, recorded = np.random.default_rng(3), recorded_of(demo)
    tables = {"day": tables_of(demo)["day"]}
    shares = [i for i in demo.instruments if i.kind == "share" and len(i.days) > 1000]
    planted = {}
    for i in rng.choice(len(shares), SPLITS_PLANTED, replace=False):
        one = shares[i]
        at, ratio = int(rng.integers(100, len(one.days) - 100)), float(rng.choice([2, 3, 4, 5, 10, 1 / 2, 1 / 5, 1 / 10]))
        for name in ("open", "high", "low", "close"):
            tables["day"][one.symbol][name][at:] /= ratio
        planted[one.symbol, int(one.days[at])] = ratio
    found = [f for f in findings(market_from(demo, tables, recorded), recorded) if f.kind == "split"]
    right = sum(planted.get((f.symbol, f.day)) == pytest.approx(f.ratio) for f in found)
    assert right >= 0.95 * SPLITS_PLANTED
    assert len(found) == right  # and nothing else is taken for one


def test_a_halved_price_that_comes_back_is_no_split() -> None:
    table = made.walk(made.weekdays(200), np.random.default_rng(4), spread=0.01)
    for name in ("open", "high", "low", "close"):
        table[name][120] /= 2
    found = findings(Market((build_bars({"A": table}),)), Recorded())
    assert [f.kind for f in found] == ["spike"]


def test_a_name_that_trades_now_and_then_is_in_peace_and_so_is_one_listed_late() -> None:
    tables = {s: made.walk(made.weekdays(300), np.random.default_rng(i)) for i, s in enumerate("ABCD")}
    rare = np.random.default_rng(9).random(300) < 0.6
    tables["E"] = {name: column[rare] for name, column in made.walk(made.weekdays(300), np.random.default_rng(5)).items()}
    tables["F"] = {name: column[200:] for name, column in made.walk(made.weekdays(300), np.random.default_rng(6)).items()}
    assert findings(Market((build_bars(tables),)), Recorded()) == []


def test_a_market_without_anything_has_no_findings() -> None:
    assert findings(Market((build_bars({}),)), Recorded()) == []


def test_how_many_unrecorded_renames_are_found(demo: DemoMarket) -> None:
    """The rate: shares that go on under another symbol from a random day on; the night between may be wild, so not quite all."""
    rng, recorded = np.random.default_rng(5), recorded_of(demo)
    day = tables_of(demo)["day"]
    shares = [i for i in demo.instruments if i.kind == "share" and len(i.days) > 1000 and i.delisted is None]
    planted = set()
    for i in rng.choice(len(shares), 40, replace=False):
        one = shares[i]
        at = int(rng.integers(100, len(one.days) - 100))
        table = day[one.symbol]
        day[f"NEW{one.symbol}"] = {name: column[at:] for name, column in table.items()}
        day[one.symbol] = {name: column[:at] for name, column in table.items()}
        first = int(one.days[at])
        for rows in (recorded.splits, recorded.dividends):
            rows[f"NEW{one.symbol}"] = [(on, value) for on, value in rows[one.symbol] if on > first]
            rows[one.symbol] = [(on, value) for on, value in rows[one.symbol] if on < first]
        planted.add((f"NEW{one.symbol}", one.symbol, first))
    found = {
        (f.symbol, f.former, f.day) for f in findings(market_from(demo, {"day": day}, recorded), recorded) if f.kind == "renamed"
    }
    assert len(found & planted) >= 34
    assert len(found - planted) <= 1
