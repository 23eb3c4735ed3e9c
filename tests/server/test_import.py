"""Prices in and out: every bad row named, all or nothing, years replaced whole, and the round trip."""

from pathlib import Path
from unittest import mock

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from upperwick.market import store
from upperwick.market.files import PriceFileError, read_prices
from upperwick.market.load import DamagedBlock, data_version, factor, load_market
from upperwick.market.models import BarBlock, Instrument, Member

HEAD = "symbol,date,open,high,low,close,volume\n"
GOOD = HEAD + "ZZA,2024-01-02,10,11,9,10.5,1000\nZZA,2024-01-03,10.5,12,10,11,1500\nZZB,2024-01-02,5,6,4,5,100\n"


def write(folder: Path, text: str, name: str = "prices.csv") -> Path:
    path = folder / name
    path.write_text(text)
    return path


def test_a_good_file_is_read_whole(tmp_path: Path) -> None:
    found = read_prices(write(tmp_path, GOOD))
    assert not found.bad
    assert sorted(found.tables) == ["ZZA", "ZZB"]
    assert found.tables["ZZA"]["close"].tolist() == [10.5, 11]


@pytest.mark.parametrize(
    ("row", "reason"),
    [
        ("ZZA,2024-01-04,ten,11,9,10,100", "open `ten` is not a number"),
        ("ZZA,2024-01-04,10,8,9,10,100", "high is below low"),
        ("ZZA,2024-01-03,10,11,9,10,100", "stands twice"),
        ("ZZA,2024-01-01,10,11,9,10,100", "comes after a later one"),
        ("ZZA,2024-01-04,10,11,9,10,-5", "volume is negative"),
        ("ZZA,2024-01-04,10,NaN,9,10,100", "high `NaN` is not a number"),
        ("ZZA,2024-01-04,10,11,9,,100", "close is missing"),
        ("ZZA,04/01/2024,10,11,9,10,100", "not of the form"),
        ("ZZA,2024-02-30,10,11,9,10,100", "not of the form"),
        (",2024-01-04,10,11,9,10,100", "symbol is missing"),
        ("ZZA,2024-01-04,10,11,9", "5 columns where 7 are expected"),
        ("ZZA,2024-01-04,0,11,0,10,100", "not above zero"),
        ("ZZA,2024-01-04,10,inf,9,10,100", "is not a number"),
        ("ZZA,2024-01-04,10,11,9,20,100", "close lies outside low and high"),
    ],
)
def test_a_bad_row_is_named_with_its_line(tmp_path: Path, row: str, reason: str) -> None:
    found = read_prices(write(tmp_path, GOOD + row + "\nZZB,2024-01-03,5,6,4,5,100\n"))
    assert [b.line for b in found.bad] == [5], found.bad
    assert reason in found.bad[0].reason
    assert len(found.tables["ZZB"]["days"]) == 2  # rows after it are still right


def test_headers_in_any_case_and_order_and_other_delimiters(tmp_path: Path) -> None:
    found = read_prices(write(tmp_path, "Close;Date;Symbol;OPEN;High;Low;Volume\n10;2024-01-02;ZZA;10;11;9;5\n"))
    assert found.tables["ZZA"]["high"].tolist() == [11]


def test_a_folder_of_one_file_a_symbol(tmp_path: Path) -> None:
    for name in ("ZZA", "ZZB"):
        write(tmp_path, "date,open,high,low,close,volume\n2024-01-02,10,11,9,10,100\n", f"{name}.csv")
    assert sorted(read_prices(tmp_path).tables) == ["ZZA", "ZZB"]


def test_parquet_and_csv_say_the_same(tmp_path: Path) -> None:
    prices = {name: [1.0, 2.0] for name in ("open", "high", "low", "close", "volume")}
    table = pa.table({"symbol": ["ZZA", "ZZA"], "date": pa.array([19724, 19725], pa.date32()), **prices})
    pq.write_table(table, tmp_path / "p.parquet")
    assert read_prices(tmp_path / "p.parquet").tables["ZZA"]["days"].tolist() == [19724, 19725]


def test_what_is_no_price_file_says_why(tmp_path: Path) -> None:
    for name, text, words in [
        ("a.csv", "", "is empty"),
        ("b.csv", "date,close\n", "no column"),
        ("c.parquet", "nonsense", "cannot be read"),
    ]:
        with pytest.raises(PriceFileError, match=words):
            read_prices(write(tmp_path, text, name))
    with pytest.raises(PriceFileError, match="no file"):
        read_prices(tmp_path / "missing.csv")


def test_adjusted_closes_give_the_factor_from_the_first_bar(tmp_path: Path) -> None:
    text = "symbol,date,open,high,low,close,volume,adj_close\n"
    text += "ZZA,2024-01-02,20,20,20,20,5,10\nZZA,2024-01-03,22,22,22,22,5,11\nZZA,2024-01-04,11,11,11,11,5,11\n"
    table = read_prices(write(tmp_path, text)).tables["ZZA"]
    assert table["factor"].tolist() == [1, 1, 2]


def test_split_and_dividend_factors_by_hand() -> None:
    # A 2:1 split on day 3; a dividend of 1 on day 4 after a close of 10: 1 / (1 - 1/10).
    days, close = np.array([1, 2, 3, 4]), np.array([20.0, 20.0, 10.0, 9.0])
    assert factor(days, close, [(3, 2.0)], [(4, 1.0)]).tolist() == pytest.approx([1, 1, 2, 2 / 0.9])
    assert factor(days, close, [(99, 2.0)], []).tolist() == [1, 1, 1, 1]


@pytest.mark.django_db
def test_an_import_replaces_only_the_years_it_touches(tmp_path: Path) -> None:
    store.save_tables(read_prices(write(tmp_path, GOOD.replace("2024-01-02", "2023-12-29"))).tables, "Mine", "first")
    assert BarBlock.objects.filter(instrument__symbol="ZZA").count() == 2
    before = data_version()
    store.save_tables(
        read_prices(write(tmp_path, HEAD + "ZZA,2024-01-03,50,50,50,50,1\nZZA,2024-01-04,51,51,51,51,1\n")).tables, None, "second"
    )
    assert data_version() != before
    market = load_market()
    k = market.bars.number["ZZA"]
    assert market.bars.close[market.bars.offsets[k] : market.bars.offsets[k + 1]].tolist() == [10.5, 50, 51]
    assert Member.objects.filter(universe__name="Mine").count() == 2


@pytest.mark.django_db(transaction=False)
def test_an_import_that_dies_midway_leaves_nothing(tmp_path: Path) -> None:
    tables = read_prices(write(tmp_path, GOOD)).tables
    version, count = data_version(), Instrument.objects.count()
    real, calls = store.blocks, []

    def dies(*arguments: object) -> object:
        calls.append(1)
        if len(calls) == 2:
            raise KeyboardInterrupt
        return real(*arguments)

    with mock.patch.object(store, "blocks", dies), pytest.raises(KeyboardInterrupt):
        store.save_tables(tables, None, "never")
    assert (data_version(), Instrument.objects.count()) == (version, count)
    assert not BarBlock.objects.filter(instrument__symbol__startswith="ZZ").exists()


@pytest.mark.django_db
def test_a_damaged_block_is_named(tmp_path: Path) -> None:
    store.save_tables(read_prices(write(tmp_path, GOOD)).tables, None, "x")
    block = BarBlock.objects.filter(instrument__symbol="ZZB").get()
    block.data = bytes(block.data)[:-1] + b"!"
    block.save()
    with pytest.raises(DamagedBlock, match="ZZB for 2024"):
        load_market()


@pytest.mark.django_db
def test_a_block_with_fewer_rows_than_it_should_have_is_said(tmp_path: Path) -> None:
    """The places of all other blocks are counted by their rows."""
    store.save_tables(read_prices(write(tmp_path, GOOD)).tables, None, "x")
    block = BarBlock.objects.filter(instrument__symbol="ZZB").get()
    block.rows += 1
    block.save()
    with pytest.raises(DamagedBlock, match="more or fewer rows"):
        load_market()


def test_older_checksums_are_understood() -> None:
    import hashlib

    assert store.fits(store.digest(b"bars"), b"bars")
    assert store.fits(hashlib.blake2b(b"bars", digest_size=16).hexdigest(), b"bars")
    assert not store.fits(store.digest(b"bars"), b"Bars")
    # The check value of CRC-32 (ISO 3309) over the digits 1 to 9 is published as cbf43926.
    assert store.digest(b"123456789") == "cbf43926"


@pytest.mark.django_db
def test_the_stored_demo_market_loads_as_it_was_made() -> None:
    from wickcore.demo.market import make_market

    demo, market = make_market(listed=70, delisted=10), load_market()
    assert [i.symbol for i in demo.instruments] == list(market.bars.symbols)
    one = next(i for i in demo.instruments if i.splits and i.dividends)
    k = market.bars.number[one.symbol]
    part = slice(int(market.bars.offsets[k]), int(market.bars.offsets[k + 1]))
    assert market.bars.close[part].tobytes() == one.columns["close"].tobytes()
    day, ratio = one.splits[0]
    at = int(np.searchsorted(one.days, day))
    factors = market.bars.factor[part]
    assert factors[0] == 1
    assert factors[at] / factors[at - 1] == pytest.approx(ratio)
    assert set(market.universes) == set(demo.universes)
