"""Files as strangers send them, by all three ways in, and what is remembered of their senders."""

import json
import shutil
from datetime import date
from pathlib import Path
from typing import Any

import pytest

from tests.server.conftest import Api
from tests.server.strangers import BARS, DAYS, FILES, SYMBOLS, hostile
from tests.server.test_data import ended, sent_files
from upperwick.cli.main import main
from upperwick.data import drop_folder, vendors
from upperwick.data.drop_folder import bring_in, folder
from upperwick.data.importing.import_service import take
from upperwick.data.models import DataIssue, Import, Vendor
from upperwick.data.reading.answers import Answers
from upperwick.data.reading.grouping import name_pattern
from upperwick.market.load import load_market
from upperwick.market.models import BarBlock, OwnFact
from wickcore.bars.moment import iso

pytestmark = pytest.mark.usefixtures("empty_market")

UNKNOWN_VOLUMES = {"notes-around.csv": {"BREKOM"}}


def stored() -> list[tuple[Any, ...]]:
    bars = load_market().bars
    found = []
    for k, symbol in enumerate(bars.symbols):
        for i in range(int(bars.offsets[k]), int(bars.offsets[k + 1])):
            volume = None if bars.volume[i] != bars.volume[i] else int(bars.volume[i])
            prices = (float(getattr(bars, name)[i]) for name in ("open", "high", "low", "close"))
            found.append((symbol, iso(int(bars.days[i])), *prices, volume))
    return found


def expected(name: str) -> list[tuple[Any, ...]]:
    unknown = UNKNOWN_VOLUMES.get(name, set())
    return [(s, d.isoformat(), *p[:4], None if s in unknown else p[4]) for s, d, *p in BARS]


@pytest.fixture
def place(tmp_path: Path, settings: Any) -> Path:
    settings.DATA_DIR = tmp_path
    return folder()


def answered(asked: list[tuple[str, str, list[str]]]) -> dict[str, Any]:
    answers: dict[str, Any] = {}
    for key, answer, _ in asked:
        kind, _, heading = key.partition(":")
        if heading:
            answers.setdefault(kind, {})[heading] = answer
        else:
            answers[kind] = answer
    return answers


@pytest.mark.parametrize("name", FILES)
def test_a_strangers_file_comes_in_as_its_bars_in_the_browser(api: Api, place: Path, name: str) -> None:
    content, asked = FILES[name]
    upload = sent_files(api, {name: content})
    look = ended(api, api.post("/data/look", {"upload": upload}))["result"]["look"]
    keys = {q["key"] + (f":{q['heading']}" if q["heading"] else "") for f in look["files"] for q in f["questions"]}
    assert keys == {key for key, _, _ in asked}
    group = look["files"][0]["name"]
    done = ended(api, api.post("/data/import", {"upload": upload, "answers": {group: answered(asked)}}))
    assert done["state"] == "done", done
    assert stored() == expected(name)
    notes = Import.objects.get().notes
    assert any("unknown" in note for note in notes) == (name in UNKNOWN_VOLUMES)


@pytest.mark.parametrize("name", FILES)
def test_a_strangers_file_comes_in_by_the_folder_or_waits_to_be_asked_about(place: Path, name: str) -> None:
    content, asked = FILES[name]
    (place / name).write_bytes(content)
    bring_in(place, [place / name])
    if not asked:
        assert stored() == expected(name)
        return
    assert not BarBlock.objects.exists()
    assert [drop_folder.plain_name(p) for p in drop_folder.asked_files()] == [name]
    issue = DataIssue.objects.get()
    assert (issue.kind, issue.settled) == ("asked", None)
    assert name in issue.text


@pytest.mark.parametrize("name", FILES)
def test_a_strangers_file_comes_in_by_the_command_or_is_refused_with_the_option_that_answers(
    place: Path, tmp_path: Path, name: str, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr("upperwick.cli.data.with_database", lambda: None)
    content, asked = FILES[name]
    file = tmp_path / name
    file.write_bytes(content)
    if asked:
        assert main(["import", str(file)]) == 2
        said = capsys.readouterr().err
        assert asked[0][2][0] in said
    options = [word for _, _, words in asked for word in words]
    assert main(["import", str(file), *options]) == 0, capsys.readouterr().err
    assert stored() == expected(name)


def test_a_column_a_symbol_is_no_prices_and_is_offered_as_a_number_of_ones_own(api: Api, place: Path) -> None:
    rows = [[d.isoformat(), *(f"{close + i}" for close in SYMBOLS.values())] for i, d in enumerate(DAYS)]
    content = "\n".join([",".join(["Day", *SYMBOLS]), *(",".join(row) for row in rows)]).encode() + b"\n"
    (place / "wide-closes.csv").write_bytes(content)
    bring_in(place, [place / "wide-closes.csv"])
    assert not Import.objects.exists()
    assert "no open, high, low and close" in DataIssue.objects.get().text
    upload = sent_files(api, {"wide-closes.csv": content})
    look = ended(api, api.post("/data/look", {"upload": upload}))["result"]["look"]
    assert [o["answer"] for q in look["files"][0]["questions"] for o in q["options"]] == ["own"]
    ended(api, api.post("/data/import", {"upload": upload, "answers": {"wide-closes.csv": {"table": "own"}}}))
    assert OwnFact.objects.filter(name="wide_closes").count() == len(DAYS) * len(SYMBOLS)
    assert OwnFact.objects.get(instrument__symbol="BREKOM", day=DAYS[1]).value == SYMBOLS["BREKOM"] + 1


def test_five_minute_bars_with_an_offset_ask_for_the_zone_once(place: Path, tmp_path: Path) -> None:
    rows = [
        ("ARDVUL", f"2024-07-09T{9 + (30 + 5 * i) // 60:02d}:{(30 + 5 * i) % 60:02d}:00-04:00", 10, 11, 9, 10, 100)
        for i in range(12)
    ]
    content = "code,bar_start,o,h,l,c,qty\n" + "".join(",".join(map(str, row)) + "\n" for row in rows)
    file = tmp_path / "minutes.csv"
    file.write_text(content)
    read = vendors.read_files([file])
    assert [q.key for _, q in read.questions] == ["zone"]
    take(vendors.read_files([file], Answers(zone="America/New_York")), source="test", zone="America/New_York")
    inner = load_market().table("5min")
    assert inner.minute.tolist() == [9 * 60 + 30 + 5 * i for i in range(12)]
    assert vendors.read_files([file]).questions == []  # the market's zone is known now


# -- what is remembered ------------------------------------------------------------------------------------------------

DAILY = "Ticker,Trade Date,Open,High,Low,Last,Vol\n"


def daily(day: str, close: float = 10.0) -> str:
    return DAILY + "".join(f"{s},{day},{close},{close + 1},{close - 1},{close},100\n" for s in ("ZZA", "ZZB"))


def laid(place: Path, name: str, content: str) -> Import | None:
    (place / name).write_text(content)
    return bring_in(place, [place / name])


def test_what_was_answered_once_is_used_for_every_later_file_like_it(api: Api, place: Path) -> None:
    assert laid(place, "eod-2024-06-03.csv", daily("03/06/2024")) is None  # 3 June or 6 March
    upload = api.post("/data/asked").json()["upload"]
    look = ended(api, api.post("/data/look", {"upload": upload}))["result"]["look"]
    (question,) = look["files"][0]["questions"]
    assert question["key"] == "dates"
    answers = {look["files"][0]["name"]: {"dates": "day first"}}
    ended(api, api.post("/data/import", {"upload": upload, "answers": answers}))
    assert not drop_folder.asked_files()
    assert not DataIssue.objects.filter(settled__isnull=True).exists()
    vendor = Vendor.objects.get()
    assert (vendor.pattern, vendor.answers["dates"]) == ("eod-*.csv", "day first")
    assert laid(place, "eod-2024-06-04.csv", daily("04/06/2024")) is not None
    assert {iso(int(d)) for d in load_market().bars.days} == {"2024-06-03", "2024-06-04"}


def test_a_history_of_day_first_files_tells_how_the_next_one_is_read(place: Path, tmp_path: Path) -> None:
    """A file whose days tell by themselves is remembered too, so that the first of July is not asked about."""
    files = []
    for day in ("26/06/2024", "27/06/2024", "28/06/2024"):
        file = tmp_path / f"eod_{day.replace('/', '')}.csv"
        file.write_text(daily(day))
        files.append(file)
    read = vendors.read_files(files)
    assert len(read.groups) == 1
    take(read, source="test")
    vendors.remember(read)
    assert laid(place, "eod_01072024.csv", daily("01/07/2024")) is not None
    assert iso(int(load_market().bars.days[-1])) == "2024-07-01"


def test_it_is_asked_anew_when_another_reading_fits_the_next_session_better(place: Path) -> None:
    take(vendors.read_files([_file(place, "a-2024-06-28.csv", daily("06/28/2024"))]), source="test")
    Vendor.objects.create(
        name="a",
        heading="ticker|trade_date|open|high|low|last|vol",
        pattern="a-*.csv",
        answers={"dates": "month first", "table": "bars"},
    )
    assert laid(place, "a-2024-07-01.csv", daily("01/07/2024")) is None  # 7 January as remembered, and 1 July is the next session
    assert "Which day is 01/07/2024?" in DataIssue.objects.get().text
    assert laid(place, "a-2024-07-02.csv", daily("07/02/2024")) is not None  # as remembered it is a session, and nothing is asked


def test_it_is_asked_anew_when_prices_break_from_those_stored(place: Path) -> None:
    read = vendors.read_files([_file(place, "a-1.csv", daily("25.06.2024"))])
    take(read, source="test")
    vendors.remember(read)
    assert laid(place, "a-2.csv", daily("26.06.2024", 10.5)) is not None
    assert laid(place, "a-3.csv", daily("27.06.2024", 1050.0)) is None  # another vendor with the same headings, or pence for pounds
    assert "do not go on from those stored" in DataIssue.objects.get().text


def _file(place: Path, name: str, content: str) -> Path:
    path = place.parent / name
    path.write_text(content)
    return path


def test_a_year_of_daily_files_is_one_import_with_one_question(api: Api, place: Path) -> None:
    days = [date.fromordinal(date(2024, 1, 1).toordinal() + i) for i in range(12)]
    files = {f"eod-{d:%Y%m%d}.csv": daily(f"{d:%d/%m/%Y}").encode() for d in days if d.weekday() < 5}
    upload = sent_files(api, files)
    look = ended(api, api.post("/data/look", {"upload": upload}))["result"]["look"]
    assert [(f["files"], [q["key"] for q in f["questions"]]) for f in look["files"]] == [(len(files), ["dates"])]
    done = ended(api, api.post("/data/import", {"upload": upload, "answers": {look["files"][0]["name"]: {"dates": "day first"}}}))
    assert done["state"] == "done"
    assert Import.objects.count() == 1
    assert len(load_market().bars.days) == 2 * len(files)


def test_prices_that_are_adjusted_already_are_not_adjusted_twice(place: Path, tmp_path: Path) -> None:
    rows = [("2024-06-24", 20.0), ("2024-06-25", 20.0), ("2024-06-26", 21.0)]  # on the scale after a split of 2 for 1 on the 26th
    file = _file(
        place, "h.csv", "symbol,date,open,high,low,close,volume\n" + "".join(f"ZZA,{d},{c},{c},{c},{c},1\n" for d, c in rows)
    )
    take(vendors.read_files([file], Answers(adjusted="splits")), source="test")
    splits = _file(place, "splits.csv", "symbol,day,ratio\nZZA,2024-06-26,2\nZZA,2024-06-28,3\n")
    take(vendors.read_files([splits]), source="test")
    later = _file(place, "h2.csv", "symbol,date,open,high,low,close,volume\nZZA,2024-06-28,7,7,7,7,3\n")
    take(vendors.read_files([later], Answers(adjusted="splits")), source="test")
    bars = load_market().bars
    assert (bars.factor / bars.factor[0]).tolist() == [1, 1, 1, 3]


def test_vendors_are_changed_exported_and_brought_in_again(
    api: Api, capsys: pytest.CaptureFixture[str], monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setattr("upperwick.cli.vendors.with_database", lambda: None)
    one = Vendor.objects.create(
        name="eod", heading="ticker|date", pattern="eod-*.csv", answers={"dates": "day first", "table": "bars"}
    )
    assert (
        api.client.patch(
            f"/api/data/vendors/{one.id}", json.dumps({"answers": {"adjusted": "full"}}), "application/json"
        ).status_code
        == 200
    )
    bad = api.client.patch(f"/api/data/vendors/{one.id}", json.dumps({"answers": {"dates": "upside down"}}), "application/json")
    assert (bad.status_code, "no answer for dates" in bad.json()["detail"]) == (422, True)
    assert main(["vendors", "set", "eod", "decimal=comma"]) == 0
    assert "decimal comma" in capsys.readouterr().out
    file = tmp_path / "vendors.json"
    assert main(["vendors", "export", str(file)]) == 0
    assert main(["vendors", "delete", "eod"]) == 0
    assert main(["vendors", "import", str(file)]) == 0
    assert Vendor.objects.get().answers == {"dates": "day first", "table": "bars", "adjusted": "full", "decimal": "comma"}
    assert main(["vendors", "show", "nobody"]) == 2
    assert "there are: eod" in capsys.readouterr().err


@pytest.mark.parametrize(
    ("name", "pattern"),
    [
        ("eod-2024-06-28.csv", "eod-*.csv"), ("20240628.txt", "*.txt"), ("prices_28JUN2024.CSV", "prices_*.csv"), ("closes.csv", "closes.csv"),
        ("x2024-06-28T1630.csv", "x*.csv"),
    ],
)  # fmt: skip
def test_a_name_s_pattern_leaves_out_what_changes(name: str, pattern: str) -> None:
    assert name_pattern(name) == pattern


# -- nothing ends the folder's watch ---------------------------------------------------------------------------------


def test_three_hundred_hostile_files_between_good_ones_end_nothing(place: Path) -> None:
    symbols = [f"GOOD{i}" for i in range(10)]
    for n in range(300):
        name, content = hostile(n)
        (place / name).write_bytes(content)
        if n % 30 == 0:
            symbol = symbols[n // 30]
            (place / f"good-{symbol}.csv").write_text(
                f"symbol,date,open,high,low,close,volume\n{symbol},2024-01-02,10,11,9,10.5,1000\n"
            )
    with open(bytes(place) + b"/latin-\xe9.csv", "wb") as raw:
        raw.write(b"nothing")
    seen: Any = {}
    for _ in range(2):
        seen = drop_folder.look(place, seen)
    assert not seen
    assert [p.name for p in place.iterdir() if p.is_file()] == []
    assert list((place / ".taking").iterdir()) == []
    stored_symbols = set(load_market().bars.symbols)
    assert set(symbols) <= stored_symbols
    reports = list((place / "refused").glob("*.why.txt"))
    refused = [p for p in (place / "refused").iterdir() if not p.name.endswith(".why.txt")]
    assert len(reports) == len(refused) > 250
    assert all(report.read_text().strip() for report in reports)
    assert DataIssue.objects.filter(kind="refused").count() == len(refused)
    shutil.rmtree(place / "refused")
    assert laid(folder(), "after.csv", "symbol,date,open,high,low,close,volume\nLATER,2024-01-02,10,11,9,10.5,1000\n") is not None
