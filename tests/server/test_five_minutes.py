"""Five-minute bars from files and from the database, beside daily ones, on the command line."""

from pathlib import Path

import numpy as np
import pytest

from tests import made
from tests.commands import answer, run
from upperwick.data.reading.bars import PriceFileError, read_prices
from wickcore.bars.bars import Bars
from wickcore.bars.moment import Moment, clock, iso
from wickcore.language.check import check_expression, check_rule
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.scan import scan


def written(path: Path, bars: Bars, joined: bool = False) -> Path:
    """A table as CSV, with a column `time` or, joined, with date-times."""
    inner = bars.minute is not None
    rows = ["symbol,date,time,open,high,low,close,volume" if inner and not joined else "symbol,date,open,high,low,close,volume"]
    for i in range(len(bars)):
        when = iso(bars.days[i])
        if bars.minute is not None:
            when += ("T" if joined else ",") + clock(int(bars.minute[i]))
        rows.append(f"{bars.symbols[bars.owner[i]]},{when}," + ",".join(repr(float(getattr(bars, n)[i])) for n in FIELDS))
    path.write_text("\n".join(rows) + "\n")
    return path


FIELDS = ("open", "high", "low", "close", "volume")
MARKET = made.inner_market(seed=4, splits=False)
LAST = int(MARKET.table("5min").days.max())
RULE = "bars: 5min\nclose > sma(3)\nclose > on(day, sma(10))\n"


@pytest.fixture(scope="module")
def files(tmp_path_factory: pytest.TempPathFactory) -> tuple[str, str]:
    folder = tmp_path_factory.mktemp("prices")
    return str(written(folder / "daily.csv", MARKET.bars)), str(written(folder / "inner.csv", MARKET.table("5min")))


def test_a_moment_inside_a_session(files: tuple[str, str]) -> None:
    at = f"{iso(LAST)}T10:05"
    found = answer("scan", "-", "--prices", *files, "--as-of", at, text=RULE)
    direct = scan(Evaluator(MARKET), check_rule(RULE, base="5min"), Moment(LAST, 605))
    assert found["as_of"] == at
    assert [h["symbol"] for h in found["hits"]] == [h.symbol for h in direct.hits]
    daily = answer("scan", "-", "--prices", *files, "--as-of", at, text="close > open")
    assert daily["partial"]
    assert "the day so far" in run("scan", "-", "--prices", *files, "--as-of", at, text="close > open").stdout


def test_files_may_be_named_one_by_one_or_as_a_folder(files: tuple[str, str]) -> None:
    together = answer("scan", "-", "--prices", *files, text=RULE)
    assert together == answer("scan", "-", "--prices", files[1], "--prices", files[0], text=RULE)
    assert together == answer("scan", "-", "--prices", str(Path(files[0]).parent), text=RULE)
    assert together["as_of"].startswith(f"{iso(LAST)}T")  # the last session has no daily bar yet: its five-minute bars are stood on


def test_values_of_both_kinds_of_bars(files: tuple[str, str]) -> None:
    found = answer("values", "on(day, sma(5))", "--bars", "5min", "--prices", *files, "--symbol", "S01")
    op = check_expression("on(day, sma(5))", "5min", "5min").op
    expected = Evaluator(MARKET).on("5min").rows([op], "S01")[0]
    np.testing.assert_allclose(np.array(found["values"], float), expected)
    assert found["times"][0] == "09:30"
    at = f"{iso(LAST)}T09:50"
    days = answer("values", "close", "--prices", *files, "--symbol", "S01", "--as-of", at)
    assert days["days"][-1] == iso(LAST)  # the day so far, which has no daily bar yet
    assert days["times"][-1] == "09:45"
    assert days["times"][-2] is None


def test_a_study_and_an_explanation_of_a_rule_within_the_day(files: tuple[str, str]) -> None:
    at = f"{iso(LAST)}T10:05"
    arguments = ("study", "-", "--prices", *files, "--horizons", "1,3", "--events", "--repeats", "every", "--as-of", at)
    events = answer(*arguments, text=RULE)["events"]
    assert {"day", "time", "entry_day", "entry_time"} <= set(events[0])
    assert max(e["day"] + e["time"] for e in events) <= f"{iso(LAST)}10:00"
    last = events[-1]
    hour, minute = map(int, last["time"].split(":"))
    moment = f"{last['day']}T{clock(hour * 60 + minute + 5)}"
    lines = answer("explain", "-", "--prices", *files, "--symbol", last["symbol"], "--as-of", moment, text=RULE)["lines"]
    assert [line["truth"] for line in lines] == [True, True]


def test_imported_and_exported_five_minute_bars_are_the_same_market(files: tuple[str, str], tmp_path: Path) -> None:
    data = tmp_path / "data"
    done = answer("import", *files, data=data)
    assert (done["added"], done["replaced"], done["left"]) == (len(MARKET.bars) + len(MARKET.table("5min")), 0, 0)
    assert answer("scan", "-", data=data, text=RULE)["hits"] == answer("scan", "-", "--prices", *files, text=RULE)["hits"]
    one_day = written(tmp_path / "again.csv", MARKET.table("5min").cut(LAST), joined=True)
    again = answer("import", str(one_day), data=data)
    assert (again["added"], again["replaced"], again["same"]) == (0, 0, len(MARKET.table("5min")))
    out = tmp_path / "inner.parquet"
    assert run("export", str(out), "--bars", "5min", data=data).returncode == 0
    back = read_prices([out, Path(files[0])]).tables
    for symbol, table in read_prices([Path(files[1])]).tables["5min"].items():
        assert all(table[name].tolist() == back["5min"][symbol][name].tolist() for name in ("days", "minute", *FIELDS))


HEAD = "symbol,date,time,open,high,low,close,volume\n"


@pytest.mark.parametrize(
    ("row", "words"),
    [
        ("ZZA,2024-01-02,9:32,1,1,1,1,1", "not on a five-minute mark"),
        ("ZZA,2024-01-02,noon,1,1,1,1,1", "not of the form 09:35"),
        ("ZZA,2024-01-02,25:00,1,1,1,1,1", "not of the form 09:35"),
        ("ZZA,2024-01-02,,1,1,1,1,1", "the time is missing"),
        ("ZZA,2024-01-02,09:30,1,1,1,1,1", "the moment 2024-01-02T09:30 stands twice"),
    ],
)
def test_a_bad_time_is_named_with_its_line(tmp_path: Path, row: str, words: str) -> None:
    path = tmp_path / "p.csv"
    path.write_text(HEAD + f"ZZA,2024-01-02,09:30,1,1,1,1,1\n{row}\nZZA,2024-01-02,09:35,1,1,1,1,1\n")
    found = read_prices(path)
    assert [(b.line, words in b.reason) for b in found.bad] == [(3, True)], found.bad
    assert found.tables["5min"]["ZZA"]["minute"].tolist() == [570, 575]


def test_bars_of_another_length_are_refused(tmp_path: Path) -> None:
    path = tmp_path / "p.csv"
    rows = [f"ZZA,2024-01-02,{clock(570 + 15 * i)},1,1,1,1,1\n" for i in range(5)]
    path.write_text(HEAD + "".join(rows))
    with pytest.raises(PriceFileError, match="15 minutes apart"):
        read_prices(path)


def test_days_stamped_with_an_hour_are_days(tmp_path: Path) -> None:
    path = tmp_path / "p.csv"
    path.write_text(
        "symbol,date,open,high,low,close,volume\nZZA,2024-01-02T16:00:00,1,1,1,1,1\nZZA,2024-01-03T16:00:00,1,1,1,1,1\n"
    )
    assert read_prices(path).tables["day"]["ZZA"]["days"].tolist() == [19724, 19725]
