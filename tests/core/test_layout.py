"""A market of some instruments: each field, by walking the declared layouts, against a plain reading of one instrument at a time."""

from dataclasses import dataclass, field, fields, replace
from typing import Any

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests import made
from wickcore.bars import layout
from wickcore.bars.bars import Bars
from wickcore.bars.market import Market, dated, nights

COUNT = 9


def _market() -> Market:
    base = made.market(seed=8, count=COUNT, length=90)
    rng = np.random.default_rng(1)
    own = dated(
        [[(int(base.bars.days[base.bars.offsets[k]]) + n, float(rng.normal())) for n in range(k % 4)] for k in range(COUNT)]
    )
    over = nights(
        [
            [(int(base.bars.days[0]) + n, *map(float, rng.normal(50, 1, 4)), float(n % 2)) for n in range(k % 3)]
            for k in range(COUNT)
        ]
    )
    full = replace(base, tables=(base.bars,), own={"own.score": own}, overnight=over, delisted=np.arange(COUNT, dtype=np.int32) - 1)
    full.add_list("mine", [base.bars.symbols[k] for k in (1, 4, 6)])
    return full


WHOLE = _market()


def _all_of(market: Market, k: int) -> dict[str, Any]:
    """All that a market says of one instrument, field by field, written out by hand."""

    def rows(offsets: Any, column: Any) -> list[float]:
        return [column[i].item() for i in range(offsets[k], offsets[k + 1])]

    def members(of: Any) -> list[tuple[int, int]]:
        return [(int(a), int(b)) for who, a, b in zip(of.instrument, of.first, of.last, strict=True) if who == k]

    assert market.facts is not None
    assert market.dividends is not None
    paid, days, money = market.dividends
    columns = ("days", "open", "high", "low", "close", "volume", "factor")
    return {
        "tables": [(t.symbols[k], {n: rows(t.offsets, getattr(t, n)) for n in columns}) for t in market.tables],
        "texts": {name: each[k] for name, each in market.texts.items()},
        "names": market.names[k],
        "delisted": int(market.delisted[k]),
        "listed": int(market.listed[k]),
        "optionable": bool(market.optionable[k]),
        "weekly_options": bool(market.weekly_options[k]),
        "facts": [
            rows(market.facts.offsets, c) for c in (market.facts.days, market.facts.is_report, *market.facts.columns.values())
        ],
        "dividends": [rows(paid, days), rows(paid, money)],
        "universes": {name: members(of) for name, of in market.universes.items()},
        "benchmark": market.benchmark,
        "events": {name: list(map(int, each)) for name, each in market.events.items()},
        "own": {name: [rows(of.offsets, of.days), rows(of.offsets, of.values)] for name, of in market.own.items()},
        "overnight": {name: [rows(of.offsets, of.days), rows(of.offsets, of.values)] for name, of in market.overnight.items()},
        "_lists": {name: members(of) for name, of in market._lists.items()},
    }


ALL = [_all_of(WHOLE, k) for k in range(COUNT)]


def test_each_field_of_a_market_is_compared_here() -> None:
    assert set(ALL[0]) == {f.name for f in fields(Market)} - {"version", "_lists_lock"}


@given(st.lists(st.integers(0, COUNT - 1), unique=True, min_size=1))
@settings(max_examples=150, deadline=None)
def test_a_market_of_some_instruments_says_of_each_what_the_whole_does(numbers: list[int]) -> None:
    some = WHOLE.only(numbers)
    assert [_all_of(some, at) for at in range(len(numbers))] == [ALL[k] for k in numbers]
    assert some.version != WHOLE.version
    # Of those some again, in another order.
    again = some.only(range(len(numbers) - 1, -1, -1))
    assert [_all_of(again, at) for at in range(len(numbers))] == [ALL[k] for k in reversed(numbers)]


def test_every_column_of_bars_is_cut() -> None:
    inner = made.inner_market(seed=4, count=6, length=60, inner=20)
    whole = inner.mixed.bars
    for bars in (inner.bars, inner.table("5min"), whole):
        cut = bars.only(np.array([2, 0]))
        assert cut.names == bars.names
        for name in bars.names:
            parts = [getattr(bars, name)[bars.offsets[k] : bars.offsets[k + 1]] for k in (2, 0)]
            assert np.array_equal(getattr(cut, name), np.concatenate(parts)), name
        assert (cut.frame, cut.calendar) == (bars.frame, bars.calendar)
    arrays = {f.name for f in fields(Bars) if isinstance(getattr(whole, f.name), np.ndarray)}
    assert arrays == {"offsets", *whole.names}


def test_what_is_not_known_of_any_stays_unknown() -> None:
    bare = Market((WHOLE.bars,)).only([3, 1])
    assert (bare.names, bare.facts, bare.dividends, len(bare.delisted), len(bare.optionable)) == ((), None, None, 0, 0)


def test_a_field_without_a_layout_is_refused_by_name() -> None:
    @dataclass(frozen=True)
    class Short:
        ranks: Any = field(default=())

    with pytest.raises(TypeError, match="Short: ranks has no layout"):
        layout.laid_out(Short)
