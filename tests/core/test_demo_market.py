"""The invented market: the same bytes for one seed, lawful bars, dated members, and the stylised facts of real prices."""

import hashlib

import numpy as np
import pytest
from scipy import stats

from wickcore.demo import calendar, names
from wickcore.demo.market import DemoMarket, make_market


@pytest.fixture(scope="module")
def demo() -> DemoMarket:
    return make_market(listed=150, delisted=20)


def closes(demo: DemoMarket, kind: str) -> dict[str, np.ndarray]:
    """Log returns by symbol, with splits and dividends taken out."""
    found = {}
    for i in demo.instruments:
        if i.kind != kind:
            continue
        ratio, paid = dict(i.splits), dict(i.dividends)
        close = i.columns["close"]
        before = close[:-1] / np.array([ratio.get(int(d), 1.0) for d in i.days[1:]])
        before = before - np.array([paid.get(int(d), 0.0) for d in i.days[1:]])
        found[i.symbol] = np.log(close[1:] / before)
    return found


def test_one_seed_gives_the_same_bytes() -> None:
    def digest(seed: int) -> str:
        h = hashlib.sha256()
        for i in make_market(seed=seed, listed=60, delisted=8).instruments:
            h.update(i.symbol.encode() + i.days.tobytes() + b"".join(c.tobytes() for c in i.columns.values()))
            h.update(repr((i.splits, i.dividends, i.reports, i.delisted)).encode())
        return h.hexdigest()

    assert digest(4) == digest(4)
    assert digest(4) != digest(5)


def test_what_the_market_holds(demo: DemoMarket) -> None:
    kinds = [i.kind for i in demo.instruments]
    assert (kinds.count("share"), kinds.count("fund"), kinds.count("index")) == (170, 12, 4)
    gone = [i for i in demo.instruments if i.delisted is not None]
    assert len(gone) == 20
    assert {i.reason for i in gone} <= set(names.REASONS)
    assert len({i.symbol for i in demo.instruments}) == len(demo.instruments)
    sessions = calendar.sessions()
    assert (sessions[-1] - sessions[0]) / 365.25 == pytest.approx(12, abs=0.02)
    assert str(np.datetime64(int(sessions[-1]), "D")) == "2024-06-28"
    assert len({kind for _, kind in demo.events}) >= 4
    assert demo.holidays
    assert not {d for d, _ in demo.holidays} & set(sessions.tolist())
    assert len(demo.universes) >= 3
    assert any(i.splits for i in demo.instruments)
    assert any(i.dividends for i in demo.instruments)
    assert any(i.optionable for i in demo.instruments)
    weeklies = [i for i in demo.instruments if i.weekly_options]
    assert all(i.optionable for i in weeklies)
    assert 0.2 < len(weeklies) / sum(i.optionable for i in demo.instruments) < 0.5
    assert not all(i.optionable for i in demo.instruments if i.kind == "share")


def test_every_bar_is_lawful(demo: DemoMarket) -> None:
    for i in demo.instruments:
        c = i.columns
        assert (np.diff(i.days) > 0).all()
        assert (c["low"] > 0).all()
        assert (c["low"] <= np.minimum(c["open"], c["close"])).all()
        assert (c["high"] >= np.maximum(c["open"], c["close"])).all()
        assert (c["volume"] > 0).all()
        if i.delisted is not None:
            assert i.days[-1] == i.delisted


def test_membership_changes_and_members_are_listed(demo: DemoMarket) -> None:
    by_symbol = {i.symbol: i for i in demo.instruments}
    for rows in demo.universes.values():
        assert len({first for _, first, _ in rows}) > 3  # reviewed more than once
        for symbol, first, last in rows:
            assert by_symbol[symbol].days[0] <= first <= by_symbol[symbol].days[-1]
            gone = by_symbol[symbol].delisted
            assert gone is None or last <= gone + 10


def test_reports_come_quarterly_and_grow_from_the_company(demo: DemoMarket) -> None:
    for i in demo.instruments:
        if i.kind == "share" and len(i.reports) > 8:
            gaps = np.diff([r.day for r in i.reports])
            assert np.median(gaps) == pytest.approx(91, abs=6)
            assert all(r.shares > 0 and r.revenue > 0 for r in i.reports)


# The facts below are those of R. Cont, "Empirical properties of asset returns: stylized facts and statistical issues",
# Quantitative Finance 1, 2001, pages 223-236 (thresholds from memory: signs and rough sizes).


def test_tails_are_fat(demo: DemoMarket) -> None:
    kurtosis = [stats.kurtosis(r) for r in closes(demo, "share").values() if len(r) > 1000]
    assert np.median(kurtosis) > 2  # a normal distribution has 0
    assert stats.kurtosis(closes(demo, "index")["HARBOUR"]) > 1


def test_volatility_clusters_while_returns_do_not(demo: DemoMarket) -> None:
    def auto(x: np.ndarray, lag: int) -> float:
        return float(np.corrcoef(x[:-lag], x[lag:])[0, 1])

    index = closes(demo, "index")["HARBOUR"]
    assert auto(np.abs(index), 1) > 0.1
    assert auto(np.abs(index), 20) > 0.04
    assert abs(auto(index, 1)) < 0.12


def test_the_index_falls_faster_than_it_rises(demo: DemoMarket) -> None:
    assert stats.skew(closes(demo, "index")["HARBOUR"]) < -0.1


def test_shares_of_a_sector_move_together(demo: DemoMarket) -> None:
    returns = closes(demo, "share")
    length = max(len(r) for r in returns.values())
    full = {s: r for s, r in returns.items() if len(r) == length}
    sector = {i.symbol: i.sector for i in demo.instruments}
    symbols = list(full)
    matrix = np.corrcoef(np.array([full[s] for s in symbols]))
    same = np.array([[sector[a] == sector[b] for b in symbols] for a in symbols])
    off = ~np.eye(len(symbols), dtype=bool)
    within, across = matrix[same & off].mean(), matrix[~same].mean()
    assert across > 0.05  # one market
    assert within > across + 0.05  # and its sectors


def test_volume_rises_with_the_size_of_the_move(demo: DemoMarket) -> None:
    returns = closes(demo, "share")
    found = []
    for i in demo.instruments:
        if i.kind == "share" and len(i.days) > 1000:
            found.append(stats.spearmanr(np.abs(returns[i.symbol]), i.columns["volume"][1:]).statistic)
    assert np.median(found) > 0.1


def test_the_index_moves_as_its_members_do(demo: DemoMarket) -> None:
    """An index is computed from its dated members: its return is the size-weighted return of those who belonged the day before."""
    returns = closes(demo, "share")
    index = closes(demo, "index")["HARBOUR"]
    by_symbol = {i.symbol: i for i in demo.instruments}
    day = int(by_symbol["HARBOUR"].days[2000])
    members = [s for s, first, last in demo.universes["Harbour 500"] if first <= day <= last]
    weights, moved = [], []
    for s in members:
        i = by_symbol[s]
        at = int(np.searchsorted(i.days, day))
        shares = [r.shares for r in i.reports if r.day <= day]
        if at and i.days[at] == day and shares:
            weights.append(shares[-1] * i.columns["close"][at - 1])
            moved.append(np.expm1(returns[s][at - 1]))
    assert np.average(moved, weights=weights) == pytest.approx(np.expm1(index[1999]), abs=2e-3)


def test_names_are_ours(demo: DemoMarket) -> None:
    assert all(len(i.symbol) >= 5 for i in demo.instruments)  # longer than any symbol a person trades


def test_bars_within_the_day_add_up_to_it_to_the_last_digit(demo: DemoMarket) -> None:
    """Of everything in the last sixty sessions, of the indices in all; the nights of the indices join a close to the next open."""
    for one in demo.instruments:
        inner = one.inner
        assert (inner is None) == (one.days[-1] < demo_sessions()[-60])
        if inner is None:
            continue
        sessions = np.unique(inner.days)
        assert len(inner.days) == 78 * len(sessions)
        rows = np.isin(one.days, sessions)
        assert len(sessions) == (len(one.days) if one.kind == "index" else rows.sum()) == rows.sum()
        grid = {name: column.reshape(-1, 78) for name, column in inner.columns.items()}
        daily = {name: column[rows] for name, column in one.columns.items()}
        assert (grid["open"][:, 0] == daily["open"]).all()
        assert (grid["close"][:, -1] == daily["close"]).all()
        assert (grid["high"].max(axis=1) == daily["high"]).all()
        assert (grid["low"].min(axis=1) == daily["low"]).all()
        assert (grid["volume"].sum(axis=1) == daily["volume"]).all()
        assert (grid["high"] >= np.maximum(grid["open"], grid["close"])).all()
        assert (grid["low"] <= np.minimum(grid["open"], grid["close"])).all()
        assert (inner.minute.reshape(-1, 78)[0] == 570 + 5 * np.arange(78)).all()
        assert (one.nights is None) == (one.kind != "index")
        if one.nights is not None:
            night = one.nights.columns
            assert (one.nights.days == one.days[1:]).all()
            assert (night["close"] == one.columns["open"][1:]).all()
            assert (night["low"] <= np.minimum(night["open"], night["close"])).all()
            assert (night["high"] >= np.maximum(night["open"], night["close"])).all()


def demo_sessions() -> np.ndarray:
    return calendar.sessions()


def test_volume_within_a_day_is_high_at_both_its_ends(demo: DemoMarket) -> None:
    """The U of the trading day: common practice; A. R. Admati and P. Pfleiderer, Review of Financial Studies 1(1), 1988, from memory."""
    total = sum(
        i.inner.columns["volume"].reshape(-1, 78)[-60:].sum(axis=0) for i in demo.instruments if i.inner and i.kind == "share"
    )
    share = total / total.sum()
    assert share[:6].sum() > 1.6 * share[36:42].sum()
    assert share[-6:].sum() > 1.6 * share[36:42].sum()
