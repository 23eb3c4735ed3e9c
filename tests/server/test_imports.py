"""What is brought in: every table in every form, counted first, taken whole, undone in any order, and out again as the same market."""

import json
import re
from datetime import date
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest
from hypothesis import HealthCheck, example, given, settings
from hypothesis import strategies as st

from upperwick.base.errors import Refused
from upperwick.data.importing.import_service import KEPT, count, take
from upperwick.data.importing.package import write_package
from upperwick.data.importing.rows import stored_rows
from upperwick.data.importing.undo import undo, undoable
from upperwick.data.models import Before, Import
from upperwick.data.reading.answers import Answers
from upperwick.data.reading.batch import read_all
from upperwick.data.reading.infer import infer_file
from upperwick.data.reading.source import PriceFileError
from upperwick.market import demo, load
from upperwick.market.load import load_market
from upperwick.market.models import BarBlock, CalendarEvent, DataVersion, Instrument, Member, OwnFact, Split, Universe
from upperwick.market.services import overview
from wickcore.demo.market import make_market

HEAD = "symbol,date,open,high,low,close,volume\n"
GOOD = HEAD + "ZZA,2024-01-02,10,11,9,10.5,1000\nZZA,2024-01-03,10.5,12,10,11,1500\nZZB,2024-01-02,5,6,4,5,100\n"
pytestmark = pytest.mark.usefixtures("empty_market")


def write(folder: Path, text: str, name: str = "prices.csv") -> Path:
    path = folder / name
    path.write_text(text)
    return path


def bring(*files: Path, universe: str | None = None, **answers: str) -> Import:
    return take(read_all(list(files), Answers(**answers)), source="test", universe=universe)


def contents() -> dict[str, Any]:
    """The whole market, by what it says."""
    market = load_market()
    bars = {
        (t.frame, s): [getattr(t, n)[t.offsets[k] : t.offsets[k + 1]].tolist() for n in ("days", "open", "high", "low", "close", "volume")]
        for t in market.tables
        for k, s in enumerate(t.symbols)
    }  # fmt: skip
    tables = ("instruments", "splits", "dividends", "members", "reports", "calendar", "own")
    return {"bars": bars, **{t: sorted(stored_rows(t), key=repr) for t in tables}}


# -- what a file is -----------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("name", "head", "table"),
    [
        ("x.csv", "symbol,date,open,high,low,close,volume", "bars"),
        ("x.csv", "Ticker,Date,O,H,L,C,Vol", "bars"),
        ("x.csv", "symbol,day,ratio", "splits"),
        ("x.csv", "symbol,day,amount", "dividends"),
        ("x.csv", "universe,symbol,first,last", "members"),
        ("x.csv", "symbol,day,shares,revenue,earnings", "reports"),
        ("x.csv", "day,kind,name", "calendar"),
        ("x.csv", "symbol,day,name,value", "own"),
        ("x.csv", "symbol,name,sector", "instruments"),
    ],
)
def test_a_table_is_known_by_its_columns(tmp_path: Path, name: str, head: str, table: str) -> None:
    found = infer_file(write(tmp_path, head + "\n", name))
    assert found.table.name == table
    assert all(ours for _, ours in found.headings)


@pytest.mark.parametrize(
    ("written", "meant"),
    [
        ("2024-06-28", "2024-06-28"), ("2024/6/28", "2024-06-28"), ("20240628", "2024-06-28"), ("28.06.2024", "2024-06-28"),
        ("6/28/2024", "2024-06-28"), ("28 Jun 2024", "2024-06-28"), ("28-June-2024", "2024-06-28"), ("Jun 28, 2024", "2024-06-28"),
    ],
)  # fmt: skip
def test_the_usual_forms_of_dates(tmp_path: Path, written: str, meant: str) -> None:
    bring(write(tmp_path, f'symbol;day;ratio\nZZA;"{written}";2\n'))
    assert Split.objects.get().day == date.fromisoformat(meant)


def test_a_date_that_can_be_read_two_ways_is_asked_about(tmp_path: Path) -> None:
    file = write(tmp_path, "symbol,day,ratio\nZZA,03/04/2024,2\nZZA,05/04/2024,3\n")
    (question,) = infer_file(file).questions
    assert question.key == "dates"
    assert question.ask == "Which day is 03/04/2024?"
    assert question.options == [("day first", "day first: 3 April 2024"), ("month first", "month first: 4 March 2024")]
    bring(file, dates="day first")
    assert sorted(Split.objects.values_list("day", flat=True)) == [date(2024, 4, 3), date(2024, 4, 5)]


def test_one_day_beyond_the_twelfth_tells(tmp_path: Path) -> None:
    found = infer_file(write(tmp_path, "symbol,day,ratio\nZZA,03/04/2024,2\nZZA,13/04/2024,3\n"))
    assert (found.dates, found.questions) == ("day first", [])


@pytest.mark.parametrize(
    ("cells", "decimal", "asked"),
    [
        (["1,5", "2,25"], "comma", False), (["1.234,5"], "comma", False), (["1,234.5"], "point", False), (["1,234"], "point", True),
        (["1,234", "2.5"], "point", False), (["1,234", "0,5"], "comma", False), (["12.5"], "point", False), (["1,234,567"], "point", False),
    ],
)  # fmt: skip
def test_how_decimals_are_written(tmp_path: Path, cells: list[str], decimal: str, asked: bool) -> None:
    rows = "".join(f"ZZA;2024-01-{i + 2:02d};{cell}\n" for i, cell in enumerate(cells))
    found = infer_file(write(tmp_path, "symbol;day;amount\n" + rows))
    assert found.decimal == decimal
    assert [q.key for q in found.questions] == (["decimal"] if asked else [])


def test_moments_with_an_offset_come_to_the_exchanges_clock_daylight_saving_included(tmp_path: Path) -> None:
    """Clocks of the European Union go forward on the last Sunday of March (Directive 2000/84/EC): 31 March in 2024."""
    rows = [("2024-03-28T08:00:00Z", 10 * 60), ("2024-04-02T07:00:00Z", 10 * 60), ("2024-04-02T09:05+02:00", 10 * 60 + 5)]
    text = HEAD + "".join(f"ZZA,{moment},10,11,9,10,5\n" for moment, _ in rows)
    file = write(tmp_path, text)
    assert [q.key for q in infer_file(file).questions] == ["zone"]
    bring(file, zone="Europe/Helsinki")
    assert load_market().table("5min").minute.tolist() == [minute for _, minute in rows]
    with pytest.raises(PriceFileError, match="no time zone `Harbour`"):
        infer_file(file, Answers(zone="Harbour"))


def test_columns_can_be_named_by_hand(tmp_path: Path) -> None:
    file = write(tmp_path, "who,date,open,high,low,close,volume\nZZA,2024-01-02,10,11,9,10,5\n", "ZZQ.csv")
    assert sorted(read_all([file], Answers()).prices.tables["day"]) == ["ZZQ"]
    assert sorted(read_all([file], Answers(columns={"who": "symbol"})).prices.tables["day"]) == ["ZZA"]


@pytest.mark.parametrize("ending", ["csv", "parquet", "arrow"])
def test_each_form_says_the_same(tmp_path: Path, ending: str) -> None:
    table = pa.table({"symbol": ["ZZA"], "day": pa.array([19725], pa.date32()), "name": ["Tone of news"], "value": [0.25]})
    path = tmp_path / f"own.{ending}"
    if ending == "csv":
        pa.csv.write_csv(table, path)
    elif ending == "parquet":
        pq.write_table(table, path)
    else:
        with pa.ipc.new_file(path, table.schema) as writer:
            writer.write_table(table)
    bring(path)
    assert list(OwnFact.objects.values_list("instrument__symbol", "name", "day", "value")) == [
        ("ZZA", "tone_of_news", date(2024, 1, 3), 0.25)
    ]


# -- counted, taken, undone ---------------------------------------------------------------------------------------------


def test_files_of_one_name_are_told_apart_by_their_folders(tmp_path: Path) -> None:
    for year in ("2023", "2024"):
        (tmp_path / year).mkdir()
        write(tmp_path / year, GOOD.replace("2024", year), "ZZA.csv")
    read = read_all([tmp_path], Answers(), by_group={"2023/ZZA.csv": Answers(columns={"volume": ""})})
    assert read.files == ["2023/ZZA.csv", "2024/ZZA.csv"]
    assert [dict(g.headings)["volume"] for g in read.groups] == [""]


def test_what_an_import_would_do_is_counted_and_nothing_is_done(tmp_path: Path) -> None:
    bring(write(tmp_path, GOOD))
    before = contents()
    again = write(
        tmp_path, HEAD + "ZZA,2024-01-03,10.5,12,10,11.5,1500\nZZA,2024-01-04,11,12,10,11,5\nZZB,2024-01-02,5,6,4,5,100\n"
    )
    read = read_all([again], Answers())
    found = count(read)
    assert found.tables["bars"] == {"added": 1, "replaced": 1, "same": 1, "left": 1}
    assert found.changes == [
        {"table": "bars", "key": "ZZA 2024-01-03", "old": "10.5 12 10 11, volume 1,500", "new": "10.5 12 10 11.5, volume 1,500"}
    ]
    assert contents() == before
    assert take(read, source="test").counts == found.tables


def test_every_table_is_merged_by_its_key(tmp_path: Path) -> None:
    bring(write(tmp_path, GOOD))
    bring(write(tmp_path, "symbol,name,sector\nZZA,Zeal,Fittings\nZZC,Zest,Glass\n"))
    done = bring(write(tmp_path, "symbol,sector\nZZA,Glass\nZZC,Glass\n"))
    assert done.counts == {"instruments": {"added": 0, "replaced": 1, "same": 1, "left": 1}}
    assert done.changes == [{"table": "instruments", "key": "ZZA", "old": "sector Fittings", "new": "sector Glass"}]
    assert Instrument.objects.get(symbol="ZZA").name == "Zeal"


def test_what_is_said_of_a_symbol_without_bars_waits_for_them(tmp_path: Path) -> None:
    done = bring(write(tmp_path, "symbol,day,ratio\nZZQ,2024-01-03,2\n"))
    assert "no prices yet of ZZQ" in done.notes[0]
    bring(write(tmp_path, HEAD + "ZZQ,2024-01-02,10,11,9,10,5\nZZQ,2024-01-03,5,6,4,5,5\n"))
    assert load_market().bars.factor.tolist() == [1.0, 2.0]


def test_an_import_is_undone_and_leaves_nothing(tmp_path: Path) -> None:
    bring(write(tmp_path, GOOD), universe="Mine")
    before = contents()
    more = HEAD + "ZZA,2023-12-29,9,10,8,9,5\nZZA,2024-01-03,10.5,12,10,11.5,1500\nZZC,2024-01-02,5,6,4,5,100\n"
    second = bring(
        write(tmp_path, more),
        write(tmp_path, "symbol,day,ratio\nZZA,2024-01-03,2\nZZD,2024-01-03,2\n", "splits.csv"),
        universe="Mine",
    )
    assert contents() != before
    undo(second.id)
    assert contents() == before
    assert not Before.objects.filter(of=second).exists()
    with pytest.raises(Refused, match="undone already"):
        undo(second.id)


def test_an_import_is_undone_beneath_a_later_one(tmp_path: Path) -> None:
    bring(write(tmp_path, GOOD))
    wrong = bring(write(tmp_path, HEAD + "ZZA,2024-01-03,1,2,1,1,1\nZZA,2024-01-04,1,2,1,1,1\n"))
    right = bring(write(tmp_path, HEAD + "ZZA,2024-01-03,11,12,10,11,7\n"))
    undo(wrong.id)
    assert contents()["bars"]["day", "ZZA"][4] == [10.5, 11]  # the third import's bar stays, the second's other is gone
    undo(right.id)
    assert contents()["bars"]["day", "ZZA"][5] == [1000, 1500]  # as the first had it, not as the undone one


def test_rows_keep_what_a_later_import_said_of_them(tmp_path: Path) -> None:
    bring(write(tmp_path, "symbol,name,sector\nZZA,Zeal,Fittings\n"))
    named = bring(write(tmp_path, "symbol,name\nZZA,Zest\n"))
    moved = bring(write(tmp_path, "symbol,sector\nZZA,Glass\n"))
    undo(named.id)
    one = Instrument.objects.get()
    assert (one.name, one.sector) == ("Zeal", "Glass")
    undo(moved.id)
    one.refresh_from_db()
    assert (one.name, one.sector) == ("Zeal", "Fittings")


def test_what_a_later_import_said_again_stays_without_the_first(tmp_path: Path) -> None:
    def splits(ratio: int, name: str) -> Path:
        return write(tmp_path, f"symbol,day,ratio\nZZA,2024-02-08,{ratio}\n", f"{name}.csv")

    bring(write(tmp_path, GOOD), splits(4, "one"))
    three = bring(splits(3, "two"))
    again = bring(splits(3, "three"))  # as it was already, and yet said
    undo(three.id)
    assert Split.objects.get().ratio == 3
    undo(again.id)
    assert Split.objects.get().ratio == 4


@pytest.mark.parametrize("order", [(0, 1), (1, 0)])
def test_an_instrument_goes_with_the_last_import_that_spoke_of_it(tmp_path: Path, order: tuple[int, int]) -> None:
    bring(write(tmp_path, "symbol,name\nZZZ,Other\n"))
    made = [bring(write(tmp_path, HEAD + f"ZZA,2024-01-0{day},1,2,1,1,1\n", f"d{day}.csv")) for day in (2, 3)]
    for n in order:
        undo(made[n].id)
    assert list(Instrument.objects.values_list("symbol", flat=True)) == ["ZZZ"]


@given(seed=st.integers(0, 10**6), undone=st.lists(st.sampled_from(range(4)), unique=True, min_size=1, max_size=3))
@example(seed=5771, undone=[0, 1, 3])  # the last import that spoke of an instrument was not the next one
@settings(max_examples=25, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_undone_in_any_order_the_market_is_as_if_they_had_never_been(tmp_path: Path, seed: int, undone: list[int]) -> None:
    """Against the plain way: all imports but the undone ones, anew from nothing."""
    rng = np.random.default_rng(seed)
    files = []
    for i in range(4):
        rows = {(f"ZZ{'AB'[rng.integers(2)]}", int(rng.integers(1, 9))): rng.integers(10, 99) for _ in range(5)}
        text = "".join(f"{s},202{3 + d % 2}-01-{d:02d},{p},{p},{p},{p},{p}\n" for (s, d), p in rows.items())
        splits = {(f"ZZ{'AB'[rng.integers(2)]}", int(rng.integers(1, 9))): int(rng.integers(2, 5)) for _ in range(2)}
        events = "symbol,day,ratio\n" + "".join(f"{s},2024-02-{d:02d},{r}\n" for (s, d), r in splits.items())
        files.append((write(tmp_path, HEAD + text, f"p{i}.csv"), write(tmp_path, events, f"splits{i}.csv")))

    def clear() -> None:
        for model in (Import, BarBlock, Member, Split, Instrument):
            model.objects.all().delete()

    clear()
    made = [bring(*pair) for pair in files]
    for i in undone:
        undo(made[i].id)
    found = {k: contents()[k] for k in ("bars", "splits", "instruments")}
    clear()
    for i, pair in enumerate(files):
        if i not in undone:
            bring(*pair)
    assert found == {k: contents()[k] for k in ("bars", "splits", "instruments")}


def test_the_last_ten_can_be_undone(tmp_path: Path) -> None:
    made = [bring(write(tmp_path, HEAD + f"ZZA,2024-01-{i + 1:02d},10,11,9,10,5\n")) for i in range(KEPT + 2)]
    assert undoable() == [one.id for one in reversed(made[2:])]
    with pytest.raises(Refused, match="no longer kept"):
        undo(made[0].id)


# -- out, and in again ---------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("name", "text"),
    [
        ("out.zip", True),
        ("out", True),
        ("out", False),
        ("out.zip", False),
    ],
)
def test_everything_leaves_and_comes_in_again_as_the_same_market(tmp_path: Path, name: str, text: bool) -> None:
    demo.save_demo(make_market(seed=5, listed=30, delisted=5, index_within=70))
    five = write(tmp_path, HEAD.replace("date", "date,time") + "ZZF,2024-06-28,09:30,1.1,1.3,1.05,1.2,7\n", "five.csv")
    adjusted = write(
        tmp_path, "symbol,date,open,high,low,close,volume,adj_close\nZZG,2024-06-27,3,3,3,3,3,1\nZZG,2024-06-28,3,3,3,3,3,3\n"
    )
    own = write(tmp_path, "symbol,day,name,value\nZZF,2024-06-28,tone,0.1\nZZF,2024-06-29,tone,-0.30000000000000004\n", "own.csv")
    bring(five, adjusted, own)
    before, benchmark = contents(), load_market().benchmark
    counts = write_package(tmp_path / name, text)
    assert {"bars-day", "bars-5min", "instruments", "members", "reports", "calendar", "own"} <= counts.keys()
    for model in (Import, CalendarEvent, Universe, BarBlock, Instrument, DataVersion):
        model.objects.all().delete()
    assert contents()["bars"] == {}
    read = read_all([tmp_path / name], Answers())
    assert not read.bad
    assert not read.questions
    take(read, source="test", **read.market)
    assert contents() == before
    assert load_market().benchmark == benchmark == "HARBOUR"


def test_a_package_follows_the_standard(tmp_path: Path) -> None:
    """Data Package 2.0 and Table Schema: every resource has a name of small letters, digits and hyphens, a path inside the package, and a
    schema whose fields are the columns of its file."""
    bring(write(tmp_path, GOOD))
    write_package(tmp_path / "out", text=True)
    said = json.loads((tmp_path / "out" / "datapackage.json").read_text())
    assert [r["name"] for r in said["resources"]] == ["bars-day", "instruments"]
    for resource in said["resources"]:
        assert re.fullmatch(r"[a-z0-9._-]+", resource["name"])
        head = (tmp_path / "out" / resource["path"]).read_text().splitlines()[0].replace('"', "").split(",")
        fields = [f["name"] for f in resource["schema"]["fields"]]
        assert set(head) <= set(fields)
        assert set(resource["schema"]["primaryKey"]) <= set(fields)
        assert {f["type"] for f in resource["schema"]["fields"]} <= {"string", "number", "date", "boolean"}


def test_a_package_cannot_lead_outside_itself(tmp_path: Path) -> None:
    folder = tmp_path / "in"
    folder.mkdir()
    write(tmp_path, GOOD)
    write(folder, json.dumps({"resources": [{"name": "bars", "path": "../prices.csv"}]}), "datapackage.json")
    with pytest.raises(PriceFileError, match="outside its folder"):
        read_all([folder], Answers())


def test_a_market_of_minutes_alone_stands_on_its_close_once_the_session_is_over(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(load, "_held", None)  # what is rolled back leaves the number of its version to another
    rows = [f"ZZA,2024-03-0{d},{h:02d}:{m:02d},10,11,9,10,100" for d in (4, 5) for h, m in ((9, 30), (9, 35), (9, 40))]
    file = tmp_path / "m.csv"
    file.write_text("\n".join(["symbol,date,time,open,high,low,close,volume", *rows]) + "\n")
    take(read_all([file], Answers()), source="test")
    found = overview()
    assert (found["latest"], found["sessions"]) == ("2024-03-05", ["2024-03-04", "2024-03-05"])
    more = tmp_path / "n.csv"
    more.write_text("symbol,date,time,open,high,low,close,volume\nZZA,2024-03-06,09:30,10,11,9,10,100\n")
    take(read_all([more], Answers()), source="test")
    found = overview()
    assert (found["latest"], found["sessions"][-1]) == ("2024-03-06T09:35", "2024-03-06")
