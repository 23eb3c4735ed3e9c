"""Prices in and out: every bad row named, all or nothing, merged by moment, and the round trip."""

from datetime import date
from pathlib import Path
from unittest import mock

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from upperwick.data.reading.bars import read_prices
from upperwick.data.reading.source import PriceFileError
from upperwick.market import merging, packing, staging, store
from upperwick.market.block_spans import spans
from upperwick.market.load import data_version, load_market
from upperwick.market.models import BarBlock, BlockData, Instrument, Member
from wickcore.bars.bars import FIELDS
from wickcore.bars.factor import factor
from wickcore.bars.merge import merge

HEAD = "symbol,date,open,high,low,close,volume\n"
GOOD = HEAD + "ZZA,2024-01-02,10,11,9,10.5,1000\nZZA,2024-01-03,10.5,12,10,11,1500\nZZB,2024-01-02,5,6,4,5,100\n"


def write(folder: Path, text: str, name: str = "prices.csv") -> Path:
    path = folder / name
    path.write_text(text)
    return path


def test_a_good_file_is_read_whole(tmp_path: Path) -> None:
    found = read_prices(write(tmp_path, GOOD))
    assert not found.bad
    assert sorted(found.tables["day"]) == ["ZZA", "ZZB"]
    assert found.tables["day"]["ZZA"]["close"].tolist() == [10.5, 11]


@pytest.mark.parametrize(
    ("row", "reason"),
    [
        ("ZZA,2024-01-04,ten,11,9,10,100", "open `ten` is not a number"),
        ("ZZA,2024-01-04,10,8,9,10,100", "high is below low"),
        ("ZZA,2024-01-03,10,11,9,10,100", "stands twice"),
        ("ZZA,2024-06-28T10:35+02:00,10,11,9,10,100", "has an offset"),
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
    assert len(found.tables["day"]["ZZB"]["days"]) == 2  # rows after it are still right


def test_headers_in_any_case_and_order_and_other_delimiters(tmp_path: Path) -> None:
    found = read_prices(write(tmp_path, "Close;Date;Symbol;OPEN;High;Low;Volume\n10;2024-01-02;ZZA;10;11;9;5\n"))
    assert found.tables["day"]["ZZA"]["high"].tolist() == [11]


def test_a_folder_of_one_file_a_symbol(tmp_path: Path) -> None:
    for name in ("ZZA", "ZZB"):
        write(tmp_path, "date,open,high,low,close,volume\n2024-01-02,10,11,9,10,100\n", f"{name}.csv")
    assert sorted(read_prices(tmp_path).tables["day"]) == ["ZZA", "ZZB"]


def test_parquet_and_csv_say_the_same(tmp_path: Path) -> None:
    prices = {name: [1.0, 2.0] for name in ("open", "high", "low", "close", "volume")}
    table = pa.table({"symbol": ["ZZA", "ZZA"], "date": pa.array([19724, 19725], pa.date32()), **prices})
    pq.write_table(table, tmp_path / "p.parquet")
    assert read_prices(tmp_path / "p.parquet").tables["day"]["ZZA"]["days"].tolist() == [19724, 19725]


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
    table = read_prices(write(tmp_path, text)).tables["day"]["ZZA"]
    assert factor(table["days"], table["close"], table["ratio"], [], []).tolist() == [1, 1, 2]


def test_split_and_dividend_factors_by_hand() -> None:
    # A 2:1 split on day 3; a dividend of 1 on day 4 after a close of 10: 1 / (1 - 1/10).
    days, close = np.array([1, 2, 3, 4]), np.array([20.0, 20.0, 10.0, 9.0])
    assert factor(days, close, None, [(3, 2.0)], [(4, 1.0)]).tolist() == pytest.approx([1, 1, 2, 2 / 0.9])
    assert factor(days, close, None, [(99, 2.0)], []).tolist() == [1, 1, 1, 1]
    # Adjusted closes on the last two days only: the split before them is the recorded one, and what they say of day 4 is theirs.
    assert factor(days, close, np.array([np.nan, np.nan, 0.9, 1.0]), [(3, 2.0)], [(4, 5.0)]).tolist() == pytest.approx(
        [1, 1, 2, 2 / 0.9]
    )
    # One adjusted close alone says nothing of steps; the recorded split stays.
    assert factor(days, close, np.array([np.nan, np.nan, np.nan, 1.0]), [(3, 2.0)], []).tolist() == [1, 1, 2, 2]


def closes(symbol: str) -> list[float]:
    bars = load_market().bars
    k = bars.number[symbol]
    return bars.close[bars.offsets[k] : bars.offsets[k + 1]].tolist()


@pytest.mark.django_db
def test_an_import_replaces_what_it_holds_and_nothing_else(tmp_path: Path) -> None:
    store.save_tables(read_prices(write(tmp_path, GOOD.replace("2024-01-02", "2023-12-29"))).tables, "Mine", "first")
    assert BarBlock.objects.filter(instrument__symbol="ZZA").count() == 2
    before = data_version()
    rows = "ZZA,2024-01-04,51,51,51,51,1\nZZA,2024-01-03,50,50,50,50,1\n"  # the newest first, as some files have it
    done = store.save_tables(read_prices(write(tmp_path, HEAD + rows)).tables, None, "second")
    assert (done.added, done.replaced, done.same, done.left) == (1, 1, 0, 1)
    assert [(s, c.old[3], c.new[3]) for s, c in done.changes] == [("ZZA", 11, 50)]
    assert data_version() != before
    assert closes("ZZA") == [10.5, 50, 51]
    assert Member.objects.filter(universe__name="Mine").count() == 2


@pytest.mark.django_db
def test_a_day_appended_to_a_stored_year_leaves_the_year(tmp_path: Path) -> None:
    days = np.busday_offset("2024-01-02", np.arange(34), roll="forward").astype(str)
    rows = [f"ZZA,{day},10,11,9,{9.5 + i / 100},100\n" for i, day in enumerate(days)]
    store.save_tables(read_prices(write(tmp_path, HEAD + "".join(rows[:33]))).tables, None, "a month and a half")
    done = store.save_tables(read_prices(write(tmp_path, HEAD + rows[33])).tables, None, "a day")
    assert (done.added, done.replaced, done.same, done.left) == (1, 0, 0, 33)
    assert len(closes("ZZA")) == 34
    again = store.save_tables(read_prices(write(tmp_path, HEAD + rows[33])).tables, None, "the same day")
    assert (again.added, again.replaced, again.same, again.left) == (0, 0, 1, 33)


ROWS = st.lists(st.tuples(st.integers(0, 1), st.integers(0, 700), st.integers(0, 3)), min_size=1, max_size=30)


@pytest.mark.django_db
@settings(max_examples=25, deadline=None, derandomize=True, suppress_health_check=list(HealthCheck))
@given(files=st.lists(ROWS, min_size=1, max_size=4), adjusted=st.booleans(), minutes=st.booleans(), most=st.sampled_from([1, 12]))
def test_any_files_in_any_order_store_what_one_file_would(files: list, adjusted: bool, minutes: bool, most: int) -> None:
    """The later file wins where they differ; a split of 2 for 1 lies in the middle of the history. most: parts of a span, about."""

    def table(rows: dict[int, int]) -> dict[str, np.ndarray]:
        steps = np.array(sorted(rows))
        close = np.array([20.0 + rows[i] for i in steps])
        days = (19_000 + steps // (3 if minutes else 1)).astype(np.int32)
        found = {"days": days, **dict.fromkeys(("open", "high", "low", "close"), close), "volume": close}
        if minutes:
            found["minute"] = (570 + 5 * (steps % 3)).astype(np.int32)
        return {**found, "ratio": np.where(steps < 350, 0.5, 1.0)} if adjusted else found

    whole: dict[int, dict[int, int]] = {}
    for model in (Instrument, Member):
        model.objects.all().delete()
    frame = "5min" if minutes else "day"
    for file in files:
        parts: dict[int, dict[int, int]] = {}
        for symbol, step, value in file:
            parts.setdefault(symbol, {})[step] = value
            whole.setdefault(symbol, {})[step] = value
        with mock.patch.object(merging, "PARTS", most):
            store.save_tables({frame: {f"Z{s}": table(rows) for s, rows in parts.items()}}, "Mine", "a part")
    pieces = stored_bars()
    members = sorted(Member.objects.values_list("instrument__symbol", "first", "last"))
    Instrument.objects.all().delete()
    store.save_tables({frame: {f"Z{s}": table(rows) for s, rows in whole.items()}}, "Mine", "all at once")
    assert pieces == stored_bars()
    assert members == sorted(Member.objects.values_list("instrument__symbol", "first", "last"))


@pytest.mark.django_db
@pytest.mark.parametrize("minutes", [False, True])
def test_evening_after_evening_lies_in_parts_that_become_one(minutes: bool) -> None:
    """Ninety evenings, one bar each, of two instruments: never more parts than there may be, and always the bars as they came."""
    most = 0
    for evening in range(90):
        day = np.array([19_720 + (evening if not minutes else evening // 3)], np.int32)
        table = {"days": day, **({"minute": np.array([570 + evening % 3 * 5], np.int32)} if minutes else {})}
        table |= {name: np.array([10.0 + evening]) for name in FIELDS}
        done = store.save_tables({"5min" if minutes else "day": {"ZA": table, "ZB": table}}, None, "an evening")
        assert (done.added, done.replaced, done.same, done.left) == (2, 0, 0, 2 * evening)
        most = max(most, *BarBlock.objects.values_list("part", flat=True))
        if evening == 30:
            came = stored_bars()
            assert merging.join_parts() == 2
            assert merging.join_parts() == 0
            assert stored_bars() == came
    assert merging.PARTS < most <= merging.MOST
    bars = load_market().table("5min" if minutes else "day")
    for k in (bars.number["ZA"], bars.number["ZB"]):
        assert bars.close[bars.offsets[k] : bars.offsets[k + 1]].tolist() == [10.0 + evening for evening in range(90)]
    assert BlockData.objects.count() == BarBlock.objects.count()
    # A bar of an evening in the middle makes the span one block again.
    middle = {**table, "days": np.array([19_740], np.int32), "close": np.array([99.0])}
    done = store.save_tables({"5min" if minutes else "day": {"ZA": middle}}, None, "a correction")
    assert (done.added, done.replaced, done.left) == (0, 1, 89)
    assert list(BarBlock.objects.filter(instrument__symbol="ZA", year=spans(middle)[0]).values_list("part", flat=True)) == [0]


def stored_bars() -> list[tuple]:
    """What the blocks hold, span by span: of one in parts, the parts one after another."""
    rows = BarBlock.objects.order_by("instrument__symbol", "year", "part")
    listed = dict(Instrument.objects.values_list("symbol", "listed"))
    found: dict[tuple, tuple[int, dict[str, list]]] = {}
    for s, frame, span, n, last, checksum, data in rows.values_list(
        "instrument__symbol", "frame", "year", "rows", "last", "checksum", "content__data"
    ):
        table = packing.unpack(bytes(data))
        assert packing.fits(checksum, data)
        assert len(table["days"]) == n
        assert last == packing.last_key(table)
        before, columns = found.get((s, listed[s], frame, span), (0, {name: [] for name in table}))
        found[s, listed[s], frame, span] = before + n, {name: columns[name] + table[name].tolist() for name in table}
    return sorted((*place, n, sorted(columns.items())) for place, (n, columns) in found.items())


@pytest.mark.django_db
def test_adjusted_closes_of_another_day_are_brought_on_one_scale(tmp_path: Path) -> None:
    """After a split a source's older adjusted closes all halve: with a day in common nothing jumps, and the split is known."""
    head = HEAD.strip() + ",adj_close\n"
    first = "".join(f"ZZA,2024-01-0{d},20,20,20,20,5,20\n" for d in (2, 3, 4))
    store.save_tables(read_prices(write(tmp_path, head + first)).tables, None, "before the split")
    after = "ZZA,2024-01-04,20,20,20,20,5,10\nZZA,2024-01-05,10,10,10,10,5,10\n"
    done = store.save_tables(read_prices(write(tmp_path, head + after)).tables, None, "after it")
    assert (done.added, done.replaced, done.left, done.notes) == (1, 1, 2, [])
    bars = load_market().bars
    k = bars.number["ZZA"]
    assert bars.factor[bars.offsets[k] : bars.offsets[k + 1]].tolist() == [1, 1, 1, 2]
    apart = "ZZA,2024-01-08,10,10,10,10,5,2.5\n"  # adjusted years later, without a day in common
    done = store.save_tables(read_prices(write(tmp_path, head + apart)).tables, None, "much later")
    assert "jump by -75%" in done.notes[0]
    assert "a day of the stored bars" in done.notes[0]


def test_bars_between_those_of_a_file_are_brought_on_its_scale_too() -> None:
    """A file of two days, adjusted after a later split: the days between must not look like a split and its opposite."""

    def table(days: list[int], ratio: float) -> dict:
        prices = dict.fromkeys(("open", "high", "low", "close", "volume"), np.full(len(days), 20.0))
        return {"days": np.array(days, np.int32), **prices, "ratio": np.full(len(days), ratio)}

    merged = merge(table([1, 2, 3, 4, 5, 6], 1.0), table([2, 5], 0.5))
    assert merged.table["ratio"].tolist() == [0.5] * 6
    assert (merged.rescaled, merged.left, merged.replaced) == (True, 4, 2)


@pytest.mark.django_db(transaction=False)
def test_an_import_that_dies_midway_leaves_nothing(tmp_path: Path) -> None:
    tables = read_prices(write(tmp_path, GOOD)).tables
    version, count = data_version(), Instrument.objects.count()
    real, calls = merging.blocks, []

    def dies(*arguments: object) -> object:
        calls.append(1)
        if len(calls) == 2:
            raise KeyboardInterrupt
        return real(*arguments)

    with mock.patch.object(merging, "blocks", dies), pytest.raises(KeyboardInterrupt):
        store.save_tables(tables, None, "never")
    assert (data_version(), Instrument.objects.count()) == (version, count)
    assert not BarBlock.objects.filter(instrument__symbol__startswith="ZZ").exists()
    assert BlockData.objects.count() == BarBlock.objects.count()


@pytest.mark.django_db(transaction=False)
def test_one_import_at_a_time(tmp_path: Path) -> None:
    tables = read_prices(write(tmp_path, GOOD)).tables
    with staging.importing(), pytest.raises(staging.AnotherImport, match="under way"):
        store.save_tables(tables, None, "never")
    assert not BarBlock.objects.filter(instrument__symbol="ZZB").exists()


@pytest.mark.django_db
def test_what_is_replaced_is_cleared_away(tmp_path: Path) -> None:
    for n in range(3):
        store.save_tables(read_prices(write(tmp_path, GOOD.replace("5000", f"{6000 + n}"))).tables, None, "x")
    assert BlockData.objects.count() == BarBlock.objects.count()


BASE = {
    "symbol": ["ZZA"], "date": [date(2024, 1, 2)], "open": [1.0], "high": [2.0], "low": [1.0], "close": [1.0], "volume": [5.0],
}  # fmt: skip


@pytest.mark.parametrize(
    ("content", "said"),
    [
        (HEAD.replace("close", "close,close") + "ZZA,2024-01-02,1,2,1,1,1,1\n", "has 2 columns that may be close"),
        (bytes(range(256)) * 8, "not a text"),
        (b"PK\x03\x04 and so on", "a zip"),
        ({"close": [["x"]]}, "column close holds list"),
        ({"close": [True]}, "column close holds bool"),
        ({"date": [{"a": 1}]}, "column date holds struct"),
    ],
)
def test_a_file_that_is_no_table_of_prices_is_said_to_be_none(tmp_path: Path, content: object, said: str) -> None:
    path = tmp_path / ("prices.parquet" if isinstance(content, dict) else "prices.csv")
    if isinstance(content, dict):
        pq.write_table(pa.table({**BASE, **content}), path)
    else:
        path.write_bytes(content if isinstance(content, bytes) else str(content).encode())
    with pytest.raises(PriceFileError, match=said):
        read_prices(path)


@pytest.mark.parametrize("kind", [pa.decimal128(10, 2), pa.float32(), pa.int64(), pa.uint64()])
def test_numbers_of_any_kind_are_numbers(tmp_path: Path, kind: pa.DataType) -> None:
    pq.write_table(pa.table({**BASE, "close": pa.array([1], kind)}), tmp_path / "p.parquet")
    assert read_prices(tmp_path / "p.parquet").tables["day"]["ZZA"]["close"].tolist() == [1.0]


@pytest.mark.parametrize(
    ("row", "said"),
    [
        ("ZZA,9999-12-31,1,2,1,1,1", "lies after next week"),
        ("ZZA,0001-01-01,1,2,1,1,1", "before there were any markets"),
        ("Z" * 40 + ",2024-01-02,1,2,1,1,1", "has 40 characters"),
        ("Z\tA,2024-01-02,1,2,1,1,1", "cannot be seen"),
    ],
)
def test_what_can_hardly_be_meant_is_asked_about(tmp_path: Path, row: str, said: str) -> None:
    path = write(tmp_path, HEAD + row + "\n")
    assert said in read_prices(path).bad[0].reason
    if "date" in said or "week" in said or "markets" in said:
        assert not read_prices(path, any_date=True).bad


@pytest.mark.django_db
def test_the_stored_demo_market_loads_as_it_was_made() -> None:
    from wickcore.demo.market import make_market

    demo, market = make_market(listed=70, delisted=10, index_within=250), load_market()
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
