"""The drop folder: what is whole is taken once, what is wrong is refused whole with its reasons, and nothing is lost when a process dies."""

import threading
from pathlib import Path
from typing import Any

import pytest

from upperwick.data import contents, drop_folder
from upperwick.data.drop_folder import bring_in, digest, folder, look, shown
from upperwick.data.importing.import_service import take
from upperwick.data.importing.undo import undo
from upperwick.data.models import DataIssue, Import
from upperwick.data.quality.issues import open_issues
from upperwick.data.reading.answers import Answers
from upperwick.data.reading.batch import read_all
from upperwick.market.load import data_version, load_market
from upperwick.market.models import DataVersion

HEAD = "symbol,date,open,high,low,close,volume\n"
GOOD = HEAD + "ZZA,2024-01-02,10,11,9,10.5,1000\n"
pytestmark = pytest.mark.usefixtures("empty_market")


@pytest.fixture
def place(tmp_path: Path, settings: Any) -> Path:
    settings.DATA_DIR = tmp_path
    return folder()


def names(place: Path) -> dict[str, list[str]]:
    return {
        part: sorted(p.name.split("-", 2)[-1] for p in (place / part).iterdir() if p.is_file())
        for part in ("done", "refused", "asked", ".taking")
    }


def test_a_file_is_taken_once_it_has_stopped_growing(place: Path) -> None:
    file = place / "evening.csv"
    file.write_text(GOOD[:60])
    seen = look(place, {})
    assert not Import.objects.exists()  # seen for the first time
    file.write_text(GOOD)
    seen = look(place, seen)
    assert not Import.objects.exists()  # it has grown since
    seen = look(place, seen)
    assert load_market().bars.close.tolist() == [10.5]
    assert names(place) == {"done": ["evening.csv"], "refused": [], "asked": [], ".taking": []}
    assert not look(place, seen)
    assert Import.objects.count() == 1


def test_files_laid_together_come_in_as_one_and_a_bad_one_is_refused_whole(place: Path) -> None:
    (place / "bars.csv").write_text(GOOD)
    (place / "splits.csv").write_text("symbol,day,ratio\nZZA,2024-01-02,2\n")
    (place / "bad.csv").write_text(HEAD + "ZZB,2024-01-02,10,11,9,10.5,1000\nZZB,2024-01-03,10,8,9,10.5,1000\n")
    (place / "note.docx").write_text("?")
    (place / "asked.csv").write_text("symbol,day,ratio\nZZA,03/04/2024,2\n")
    before = data_version()
    bring_in(place, sorted(p for p in place.iterdir() if p.is_file()))
    assert data_version() != before
    assert DataVersion.objects.count() == 1
    assert load_market().bars.symbols == ("ZZA",)
    assert names(place)["done"] == ["bars.csv", "splits.csv"]
    assert names(place)["refused"] == sorted(f"{n}{e}" for n in ("bad.csv", "note.docx") for e in ("", ".why.txt"))
    assert names(place)["asked"] == ["asked.csv"]
    reports = {p.name.split("-", 2)[-1]: p.read_text() for p in (place / "refused").glob("*.why.txt")}
    assert reports["bad.csv.why.txt"] == "bad.csv, line 3: high is below low\n1 row cannot be taken, so nothing of the file was.\n"
    issues = dict(DataIssue.objects.values_list("kind", "text"))
    assert "Which day is 03/04/2024?" in issues["asked"]
    assert shown()["asked"] == ["asked.csv"]
    assert "ends in .docx is not understood" in reports["note.docx.why.txt"]
    assert {one["name"] for one in shown()["refused"]} == {"bad.csv", "note.docx"}
    next((place / "asked").iterdir()).unlink()  # somebody takes it away by hand
    (place / "next.csv").write_text(GOOD.replace("2024-01-02", "2024-01-03"))
    bring_in(place, [place / "next.csv"])
    assert not open_issues().filter(kind="asked").exists()


def test_the_last_day_is_shown_though_few_instruments_have_it(place: Path) -> None:
    rows = [f"ZZ{k},{day},10,11,9,10.5,1000" for k in range(50) for day in ("2024-01-02", "2024-01-03")]
    (place / "history.csv").write_text(HEAD + "\n".join(rows) + "\n")
    bring_in(place, [place / "history.csv"])
    (place / "next.csv").write_text(GOOD.replace("2024-01-02", "2024-01-04"))
    bring_in(place, [place / "next.csv"])
    (frame,) = contents.contents()["frames"]
    assert (frame["first"], frame["last"]) == ("2024-01-02", "2024-01-04")


def test_the_same_name_again_takes_nobodys_place(place: Path) -> None:
    for close in ("10", "10.5"):
        (place / "evening.csv").write_text(HEAD + f"ZZA,2024-01-02,10,11,9,{close},1000\n")
        bring_in(place, [place / "evening.csv"])
    assert len(list((place / "done").iterdir())) == 2
    assert load_market().bars.close.tolist() == [10.5]


def test_what_was_taken_when_a_process_died_is_imported_once(place: Path) -> None:
    done, begun = place / ".taking" / "done.csv", place / ".taking" / "begun.csv"
    done.write_text(GOOD)
    begun.write_text(GOOD.replace("ZZA", "ZZB"))
    one = take(read_all([done], Answers()), source="drop folder", digests=[digest(done)])
    drop_folder._settle_what_was_taken(place)
    assert names(place)["done"] == ["done.csv"]
    assert (place / "begun.csv").exists()
    undo(one.id)  # and who undoes it and lays it there again means it
    (place / "done.csv").write_text(GOOD)
    bring_in(place, [place / "done.csv"])
    assert "ZZA" in load_market().bars.symbols


def test_what_is_still_being_written_is_left_alone(place: Path) -> None:
    for name in ("a.csv.part", "b.tmp", ".hidden.csv"):
        (place / name).write_text(GOOD)
    assert not look(place, look(place, {}))
    assert len([p for p in place.iterdir() if p.is_file()]) == 3


def test_the_watch_looks_when_something_is_laid_there(place: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    ending, found = threading.Event(), threading.Event()

    def looked(at: Path, seen: Any) -> Any:
        if (at / "evening.csv").exists():
            found.set()
        return seen

    monkeypatch.setattr(drop_folder, "look", looked)
    watching = threading.Thread(target=drop_folder.keep_watch, args=(ending,), daemon=True)
    watching.start()
    (place / "evening.csv").write_text(GOOD)
    assert found.wait(30)
    ending.set()
    watching.join(30)
    assert not watching.is_alive()


def test_a_file_that_is_called_as_the_feed_s_is_waited_for_and_undone_like_any(place: Path) -> None:
    file = place / "feed-2024-01-02-within-0935.csv"
    file.write_text(GOOD[:60])
    seen = look(place, {})
    assert not Import.objects.exists()  # half written, whatever its name
    file.write_text(GOOD)
    look(place, look(place, seen))
    (one,) = Import.objects.all()
    assert one.source == "drop folder"
    undo(one.id)
    assert len(load_market().bars) == 0


@pytest.mark.parametrize("text", [HEAD, ""])
def test_a_file_without_a_row_is_refused_aloud(place: Path, text: str) -> None:
    (place / "evening.csv").write_text(text)
    bring_in(place, [place / "evening.csv"])
    assert [issue.kind for issue in open_issues()] == ["refused"]
