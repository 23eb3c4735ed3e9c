"""A renamed symbol joins its history: its bars, what is said of it, what names it; undone, all of it is as it was."""

import itertools
from datetime import date
from pathlib import Path
from typing import Any

import pytest

from tests.server.test_imports import bring, contents, write
from upperwick.accounts.services import add_account
from upperwick.alerts.models import Alert
from upperwick.bench.models import BenchItem, BenchList
from upperwick.data.importing.import_service import count
from upperwick.data.importing.package import write_package
from upperwick.data.importing.undo import undo
from upperwick.data.models import Import
from upperwick.data.quality.findings import look_through, settle
from upperwick.data.reading.answers import Answers
from upperwick.data.reading.batch import read_all
from upperwick.data.reading.source import PriceFileError
from upperwick.market.load import load_market
from upperwick.market.models import DataVersion, Drawing, Finding, Instrument, Rename

pytestmark = pytest.mark.usefixtures("empty_market")
HEAD = "symbol,date,open,high,low,close,volume"
DAYS = [f"2024-01-{d:02d}" for d in (2, 3, 4, 5, 8, 9, 10, 11, 12, 15, 16, 17)]
AT = 7  # where the former symbol ends
RENAME = f"symbol,former,day\nZZNEW,ZZOLD,{DAYS[AT]}\n"


def bars(symbol: str, first: int, last: int, start: float = 10.0) -> list[str]:
    return [
        f"{symbol},{DAYS[i]},{start + i / 10},{start + 1 + i},{start - 1},{start + i / 10 + 0.05},{100 + i}"
        for i in range(first, last)
    ]


def prices(*rows: list[str]) -> str:
    return "\n".join([HEAD, *(row for some in rows for row in some)]) + "\n"


PARTS: dict[str, str] = {
    "old.csv": prices(bars("ZZOLD", 0, AT), bars("ZZC", 0, 12, 30.0)),
    "new.csv": prices(bars("ZZNEW", AT, 12)),
    "splits.csv": f"symbol,day,ratio\nZZOLD,{DAYS[3]},2\n",
    "members.csv": f"universe,symbol,first,last\nU,ZZOLD,{DAYS[0]},\nU,ZZNEW,{DAYS[AT]},\n",
    "own.csv": f"symbol,day,name,value\nZZOLD,{DAYS[2]},tone,1.5\nZZNEW,{DAYS[8]},tone,2.5\n",
    "instruments.csv": "symbol,name,sector\nZZOLD,Old Mill,Mills\n",
    "renames.csv": RENAME,
}
WHOLE = {
    **PARTS, "old.csv": prices(bars("ZZNEW", 0, AT), bars("ZZC", 0, 12, 30.0)), "splits.csv": f"symbol,day,ratio\nZZNEW,{DAYS[3]},2\n",
    "own.csv": f"symbol,day,name,value\nZZNEW,{DAYS[2]},tone,1.5\nZZNEW,{DAYS[8]},tone,2.5\n",
}  # fmt: skip


def brought(folder: Path, parts: dict[str, str], names: Any) -> dict[str, Any]:
    for name in names:
        bring(write(folder, parts[name], name))
    found = contents()
    return {"bars": found["bars"], **{t: found[t] for t in ("splits", "own")}}


def test_in_whatever_order_it_comes_it_is_one_instrument(tmp_path: Path, empty_market: Any) -> None:
    """Beside the slow obvious way: the same files with the new symbol throughout."""
    expected = brought(
        tmp_path,
        {n: t for n, t in WHOLE.items() if n not in ("renames.csv", "members.csv")},
        ["old.csv", "new.csv", "splits.csv", "own.csv"],
    )
    assert len(expected["bars"]["day", "ZZNEW"][0]) == 12
    assert load_market().bars.factor[load_market().bars.offsets[1]] == 1.0
    for order in list(itertools.permutations(["old.csv", "new.csv", "splits.csv", "own.csv", "renames.csv"]))[::11]:
        while done := Import.objects.filter(undone__isnull=True).first():
            undo(done.id)
        assert brought(tmp_path, PARTS, order) == expected, order


def test_undone_it_is_as_it_was_and_what_named_it_goes_with_it(tmp_path: Path) -> None:
    user = add_account("ada", "three-wet-lanterns", staff=True)
    bring(*[write(tmp_path, text, name) for name, text in PARTS.items() if name != "renames.csv"])
    DataVersion.objects.filter(id=DataVersion.objects.last().id).update(benchmark="ZZOLD")
    kept = BenchList.objects.create(owner=user, name="mine", symbols=["ZZC", "ZZOLD", "ZZNEW"])
    other = BenchList.objects.create(owner=user, name="another", symbols=["ZZOLD", "ZZC"])
    item = BenchItem.objects.create(owner=user, symbol="ZZOLD", since=DAYS[2], moved=DAYS[2])
    alert = Alert.objects.create(owner=user, kind="price", symbol="ZZOLD")
    line = Drawing.objects.create(owner=user, instrument=Instrument.objects.get(symbol="ZZOLD"), kind="level", points=[])
    before = contents()
    made = bring(write(tmp_path, RENAME, "renames.csv"))
    assert f"ZZOLD is ZZNEW from {DAYS[AT]} on: 7 stored bars of ZZOLD become ZZNEW's." in made.notes
    market = load_market()
    assert market.bars.symbols == ("ZZC", "ZZNEW")
    assert (market.names[1], market.texts["sector"][1], market.benchmark) == ("Old Mill", "Mills", "ZZNEW")
    assert market.bars.factor[market.bars.offsets[1] : market.bars.offsets[2]].tolist() == [1.0] * 3 + [2.0] * 9
    assert [m["symbol"] for m in contents()["members"]] == ["ZZNEW", "ZZNEW"]
    for one in (kept, other, item, alert, line):
        one.refresh_from_db()
    assert (kept.symbols, other.symbols) == (["ZZC", "ZZNEW"], ["ZZNEW", "ZZC"])
    assert (item.symbol, alert.symbol, line.instrument.symbol) == ("ZZNEW", "ZZNEW", "ZZNEW")
    bring(write(tmp_path, prices(bars("ZZOLD", 1, 2, 11.0)), "late.csv"))  # of before, still under its former symbol
    assert load_market().bars.symbols == ("ZZC", "ZZNEW")
    undo(Import.objects.first().id)
    undo(made.id)
    assert contents() == before
    assert not Rename.objects.exists()
    assert DataVersion.objects.last().benchmark == "ZZOLD"
    for one in (other, item, alert, line):
        one.refresh_from_db()
    assert other.symbols == ["ZZOLD", "ZZC"]
    assert (item.symbol, alert.symbol, line.instrument.symbol) == ("ZZOLD", "ZZOLD", "ZZOLD")


def test_one_that_stands_there_already_stays_where_it_is(tmp_path: Path) -> None:
    """An account has an instrument on the bench once."""
    user = add_account("ada", "three-wet-lanterns", staff=True)
    bring(*[write(tmp_path, PARTS[name], name) for name in ("old.csv", "new.csv")])
    for symbol in ("ZZOLD", "ZZNEW"):
        BenchItem.objects.create(owner=user, symbol=symbol, since=DAYS[2], moved=DAYS[2])
    bring(write(tmp_path, RENAME, "renames.csv"))
    assert set(BenchItem.objects.values_list("symbol", flat=True)) == {"ZZOLD", "ZZNEW"}


def test_a_symbol_may_be_used_again_and_renamed_back(tmp_path: Path) -> None:
    bring(write(tmp_path, prices(bars("ZZOLD", 0, AT), bars("ZZNEW", AT, 10)), "a.csv"))
    other = prices(bars("ZZOLD", AT, 9, 50.0))  # another company takes the symbol
    bring(write(tmp_path, other, "b.csv"))
    made = bring(write(tmp_path, RENAME, "renames.csv"))
    assert f"ZZOLD has 2 bars from {DAYS[AT]} on; they stay its own, as of another instrument." in made.notes
    market = load_market()
    assert dict(zip(market.bars.symbols, map(int, market.bars.offsets[1:] - market.bars.offsets[:-1]), strict=True)) == {
        "ZZNEW": 10,
        "ZZOLD": 2,
    }
    bring(write(tmp_path, f"symbol,former,day\nZZTHIRD,ZZNEW,{DAYS[10]}\n", "renames.csv"))
    bring(
        write(tmp_path, prices(bars("ZZTHIRD", 10, 12), bars("ZZOLD", 2, 3, 12.0)), "c.csv")
    )  # a bar corrected under the first of its names
    market = load_market()
    assert market.bars.symbols == ("ZZOLD", "ZZTHIRD")
    assert int(market.bars.offsets[2] - market.bars.offsets[1]) == 12


@pytest.mark.parametrize(
    ("text", "sentence"),
    [
        (f"symbol,former,day\nZZOLD,ZZOLD,{DAYS[5]}\n", f"ZZOLD cannot be renamed to itself (on {DAYS[5]})."),
        (f"symbol,former,day\nZZC,ZZOLD,{DAYS[AT]}\n", f"ZZOLD cannot be what ZZC was until {DAYS[AT]}: ZZC has stored bars of its own"),
        ("symbol,former,day\nZZ(C,ZZOLD,2024-01-09\n", "holds ("),
    ],
)  # fmt: skip
def test_a_rename_that_cannot_be_is_a_sentence_and_nothing_is_taken(tmp_path: Path, text: str, sentence: str) -> None:
    bring(*[write(tmp_path, PARTS[name], name) for name in ("old.csv", "new.csv")])
    before = contents()
    read = read_all([write(tmp_path, text, "renames.csv")], Answers())
    if read.bad:
        assert sentence in read.bad[0]
        return
    with pytest.raises(PriceFileError) as refused:
        count(read)
    assert str(refused.value).startswith(sentence)
    with pytest.raises(PriceFileError):
        bring(write(tmp_path, text, "renames.csv"))
    assert contents() == before


def test_a_package_with_renames_is_the_same_market(tmp_path: Path) -> None:
    bring(*[write(tmp_path, text, name) for name, text in PARTS.items()])
    before = contents()
    assert {"former": "ZZOLD", "symbol": "ZZNEW"}.items() <= {
        f: getattr(Rename.objects.get(), f) for f in ("former", "symbol")
    }.items()
    write_package(tmp_path / "out")
    undo(Import.objects.get().id)
    bring(tmp_path / "out")
    assert contents() == before
    assert Rename.objects.get().day == date.fromisoformat(DAYS[AT])


def test_what_looks_like_one_is_asked_about_and_joined_by_an_answer(tmp_path: Path) -> None:
    user = add_account("ada", "three-wet-lanterns", staff=True)
    bring(*[write(tmp_path, PARTS[name], name) for name in ("old.csv", "new.csv")])
    look_through()
    (found,) = Finding.objects.filter(kind="renamed")
    assert (found.symbol, found.former, str(found.day)) == ("ZZNEW", "ZZOLD", DAYS[AT])
    assert found.said == "begins at 10.70 on the session after ZZOLD ended at 10.65"
    settle(user, "renamed", "ZZNEW", found.day, "rename")
    assert load_market().bars.symbols == ("ZZC", "ZZNEW")
    look_through()
    assert not Finding.objects.filter(kind="renamed").exists()
    undo(Import.objects.first().id)
    look_through()
    assert Finding.objects.filter(kind="renamed", open=True).count() == 1
    bring(
        write(tmp_path, f"symbol,delisted,reason\nZZOLD,{DAYS[AT - 1]},taken over\n", "instruments.csv")
    )  # somebody says why it ended
    look_through()
    assert not Finding.objects.filter(kind="renamed").exists()
