"""Stored blocks that are not what they should be: left out, named, and restored by importing them."""

import hashlib
from datetime import date
from pathlib import Path
from unittest import mock

import pytest

from tests.server.test_import import GOOD, HEAD, write
from upperwick.data.reading.bars import read_prices
from upperwick.market import load, packing, store
from upperwick.market.load import load_market
from upperwick.market.models import BarBlock, BlockData
from wickcore.bars.bars import Bars
from wickcore.bars.moment import to_day


@pytest.mark.django_db
def test_a_damaged_block_is_left_out_and_named_and_an_import_mends_it(tmp_path: Path) -> None:
    rows = "ZZB,2023-12-29,10,12,9,11,5000\n"
    whole = write(tmp_path, GOOD + rows)
    store.save_tables(read_prices(whole).tables, None, "x")
    before = load_market().bars
    block = BarBlock.objects.filter(instrument__symbol="ZZB", year=2024).select_related("content").get()
    block.content.data = bytes(block.content.data)[:-1] + b"!"
    block.content.save()
    for _ in range(2):  # however often it is looked at
        with mock.patch.object(load, "_held", None):
            market = load.evaluator().market
            assert load.damage() == [("ZZB", "day", 2024)]
    k = market.bars.number["ZZB"]
    assert market.bars.days[market.bars.offsets[k] : market.bars.offsets[k + 1]].tolist() == [to_day(date(2023, 12, 29))]
    others = [s for s in before.symbols if s != "ZZB"]
    assert [market.bars.close[rows_of(market.bars, s)].tolist() for s in others] == [
        before.close[rows_of(before, s)].tolist() for s in others
    ]
    store.save_tables(read_prices(whole).tables, None, "again")
    with mock.patch.object(load, "_held", None):
        assert load.evaluator().market.bars.close.tolist() == before.close.tolist()
        assert load.damage() == []


@pytest.mark.django_db
@pytest.mark.parametrize("harm", ["bytes", "gone"])
def test_a_day_imported_into_a_damaged_year_does_not_take_the_place_of_the_year(tmp_path: Path, harm: str) -> None:
    store.save_tables(read_prices(write(tmp_path, GOOD)).tables, None, "x")
    block = BarBlock.objects.filter(instrument__symbol="ZZA").select_related("content").get()
    if harm == "gone":
        BlockData.objects.filter(id=block.content_id).delete()
    else:
        block.content.data = b"!" + bytes(block.content.data)
        block.content.save()
    more = "ZZA,2024-01-04,11,12,10,11,900\nZZB,2024-01-03,5,6,4,5,100\nZZA,2025-01-02,11,12,10,11,900\n"
    done = store.save_tables(read_prices(write(tmp_path, HEAD + more)).tables, None, "an evening")
    assert "are damaged, and the file has fewer" in done.notes[0]
    assert done.added == 2  # the other symbol's day, and that of another year
    with mock.patch.object(load, "_held", None):
        load.evaluator()
        assert load.damage() == [("ZZA", "day", 2024)]  # still said
    done = store.save_tables(read_prices(write(tmp_path, HEAD + "ZZA,2024-01-05,11,12,10,11,900\n")).tables, None, "alone")
    assert (done.added, done.notes) == (1, [])  # what follows lies beside what is damaged
    store.save_tables(read_prices(write(tmp_path, GOOD)).tables, None, "all that is damaged")
    with mock.patch.object(load, "_held", None):
        bars = load.evaluator().market.bars
        assert (load.damage(), len(bars.days[rows_of(bars, "ZZA")])) == ([], 4)


def rows_of(bars: Bars, symbol: str) -> slice:
    k = bars.number[symbol]
    return slice(int(bars.offsets[k]), int(bars.offsets[k + 1]))


@pytest.mark.django_db
@pytest.mark.parametrize("harm", ["rows", "stream", "gone"])
def test_a_block_that_is_not_what_it_should_be_is_left_out(tmp_path: Path, harm: str) -> None:
    """The places of all other blocks are counted by their rows."""
    store.save_tables(read_prices(write(tmp_path, GOOD)).tables, None, "x")
    block = BarBlock.objects.filter(instrument__symbol="ZZB").select_related("content").get()
    if harm == "rows":
        block.rows += 1
    elif harm == "gone":
        BlockData.objects.filter(id=block.content_id).delete()
    else:
        block.content.data = b"no stream at all"
        block.content.save()
        block.checksum = packing.digest(b"no stream at all")
    block.save()
    with mock.patch.object(load, "_held", None):
        assert "ZZB" not in load.evaluator().market.bars.number
        assert load.damage() == [("ZZB", "day", 2024)]


def test_older_checksums_are_understood() -> None:

    assert packing.fits(packing.digest(b"bars"), b"bars")
    assert packing.fits(hashlib.blake2b(b"bars", digest_size=16).hexdigest(), b"bars")
    assert not packing.fits(packing.digest(b"bars"), b"Bars")
    # The check value of CRC-32 (ISO 3309) over the digits 1 to 9 is published as cbf43926.
    assert packing.digest(b"123456789") == "cbf43926"
