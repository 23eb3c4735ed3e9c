"""The columns kept on disk: after any imports they are what reading the whole database gives, they are shared, and they can be thrown away."""

import hashlib
import json
import re
from importlib import import_module
from pathlib import Path

import numpy as np
import pytest
from django.apps import apps

from tests.commands import script
from upperwick.market.models import BarBlock, BlockData, Instrument
from upperwick.market.packing import fits, pack, unpack
from wickcore.bars.bars import FIELDS

COMPARE = """
import json, sys
import django; django.setup()
from django.core.management import call_command
call_command("migrate", verbosity=0)
import numpy as np
from pathlib import Path
from django.conf import settings
from upperwick.data.reading.batch import read_all
from upperwick.data.importing.import_service import take
from upperwick.data.importing.undo import undo
from upperwick.market.load import evaluator, load_market
from upperwick.market import merging
from upperwick.market.columns import prefetch as kept_ahead
from upperwick.market.columns import table as kept_table
from upperwick.market.models import CalendarEvent
from upperwick.market.store import another_version
from upperwick.data.reading.answers import Answers

def flat(x):
    if x is None or isinstance(x, (str, int, float)): return x
    if isinstance(x, (tuple, list)): return [flat(v) for v in x]
    if isinstance(x, dict): return {k: flat(v) for k, v in x.items()}
    if isinstance(x, frozenset): return sorted(x)
    if isinstance(x, np.ndarray): return [str(x.dtype), x.tobytes().hex()]
    return {n: flat(getattr(x, n)) for n in x.__dataclass_fields__ if not n.startswith("_")}

room = Path(settings.DATA_DIR) / "files"
room.mkdir(exist_ok=True)
steps = json.loads(sys.argv[1])
done, ahead = [], {}
took = kept_table.copied_ahead
def noted(folder, frame, *rest):
    there = took(folder, frame, *rest)
    ahead[number] = ahead.get(number) or bool(there)
    return there
kept_table.copied_ahead = noted
for number, step in enumerate(steps):
    kept_ahead.AT_LEAST = 10**9 if step.pop("alone", False) else 0
    if "ahead" in step:  # of an import that comes to nothing
        (room / "ahead.csv").write_text(step["ahead"])
        with kept_ahead.copying(read_all([room / "ahead.csv"], Answers()).prices.tables): pass
    elif "half" in step:  # of one that was killed
        place = Path(settings.DATA_DIR) / "columns" / "ahead" / "day"
        place.mkdir(parents=True); (place / "close.npy").write_bytes(b"half of it")
    elif "undo" in step: undo(step["undo"])
    elif "holiday" in step:
        CalendarEvent.objects.create(day=step["holiday"], kind="holiday", name="Off"); another_version("A holiday.")
    elif "join" in step:
        merging.PARTS = 1
        while merging.join_parts(): pass
    elif "clear" in step:
        import shutil; shutil.rmtree(Path(settings.DATA_DIR) / "columns", ignore_errors=True)
    else:
        files = []
        for name, text in step.items():
            (room / f"{number}-{name}").write_text(text); files.append(room / f"{number}-{name}")
        take(read_all(files, Answers()), source="test", universe="All" if number == 0 else None)
    market = evaluator().market
    whole = load_market(market.version)
    for name in whole.__dataclass_fields__:
        if not name.startswith("_"):
            assert flat(getattr(market, name)) == flat(getattr(whole, name)), (number, name)
    done.append(sorted(p.name.split("-")[0] for p in Path(settings.DATA_DIR).glob("columns/*")))
print(json.dumps([done, ahead]))
"""
HEAD = "symbol,date,open,high,low,close,volume"
DAYS = [f"2024-{month:02d}-{day:02d}" for month in (1, 2, 3) for day in (2, 3, 4, 9, 10)]


def bars(symbols: str, days: list[str], scale: float = 1.0) -> str:
    rows = [
        f"ZZ{s},{day},{10 + i},{12 + i},{9 + i},{11 + i * scale},{100 * (i + 1)}" for s in symbols for i, day in enumerate(days)
    ]
    return "\n".join([HEAD, *rows]) + "\n"


def within(symbols: str, day: str, minutes: list[str]) -> str:
    rows = [f"ZZ{s},{day},{minute},10,12,9,11,5" for s in symbols for minute in minutes]
    return "\n".join([HEAD.replace("date", "date,time"), *rows]) + "\n"


def test_after_any_import_they_are_what_the_database_holds(tmp_path: Path) -> None:
    steps = [
        {"a.csv": bars("ABCDEFGH", DAYS[:10])},
        {"b.csv": bars("ABCDEFGH", DAYS[10:11])},  # an evening: everything goes on
        {"c.csv": bars("C", DAYS[11:13]), "alone": True},
        {"d.csv": bars("BI", DAYS[8:9], 1.5)},  # a bar that is corrected, and an instrument that is new
        {"splits.csv": "symbol,day,ratio\nZZD,2024-02-03,2\n", "dividends.csv": "symbol,day,amount\nZZE,2024-02-04,0.5\n"},
        {"e.csv": within("ABCDEFGH", DAYS[12], ["09:30", "09:35"])},
        {"f.csv": within("ABCDEFGH", DAYS[12], ["09:40"])},
        {"join": True},
        {"f.csv": within("ABCDEFGH", DAYS[12], ["09:45"])},
        {"own.csv": "symbol,day,name,value\nZZA,2024-01-03,tone,1.5\n", "overnight.csv":
         "symbol,day,open,high,low,close,low_first\nZZA,2024-01-03,10,11,9,10.5,true\n"},
        {"g.csv": bars("ABCDEFGH", ["2025-01-02"])},
        {"holiday": "2024-01-05"},
        {"undo": 3},
        {"join": True},
        {"clear": True},
        {"undo": 2},
        {"ahead": bars("ABCDEFGH", ["2025-01-03"])},
        {"i.csv": bars("ABCDEFGH", ["2025-01-03", "2025-01-06"]), "alone": True},  # more than was copied for
        {"half": True},
        {"renames.csv": "symbol,former,day\nZZNEW,ZZC,2025-02-01\nZZE,ZZF,2024-01-01\n"},
        {"undo": 1},
        {"j.csv": bars("ABCDEFGH", ["2025-01-07"])},
        {"k.csv": bars("ABDEFGH", ["2025-01-08"])},  # one did not trade
        {"h.csv": "symbol,date,open,high,low,close,volume,adj_close\nZZF,2024-03-10,10,10,10,10,5,9.5\nZZF,2024-03-11,10,10,10,10,5,10\n"},
    ]  # fmt: skip
    found = script(COMPARE, json.dumps(steps), data=tmp_path).ended()
    assert found.returncode == 0, found.stderr[-3000:]
    names, ahead = json.loads(found.stdout)
    assert all(n.count("day") <= 2 and n.count("5min") <= 2 and n.count("v2") <= 2 for n in names)  # what is older is thrown away
    used = {next(iter(steps[int(number)])) for number, there in ahead.items() if there}
    assert {"b.csv", "g.csv", "k.csv"} <= used
    assert not used & {"c.csv", "d.csv", "h.csv", "i.csv", "join", "undo", "clear"}


def test_what_was_harmed_or_half_made_is_made_anew(tmp_path: Path) -> None:
    first = script(COMPARE, json.dumps([{"a.csv": bars("AB", DAYS)}]), data=tmp_path).ended()
    assert first.returncode == 0, first.stderr[-3000:]
    columns = tmp_path / "columns"
    for harm in ("close.npy", "said.json"):
        table = max(columns.glob("day-*"), key=lambda p: p.stat().st_mtime_ns)
        (table / harm).write_bytes(b"not it")
        again = script(COMPARE, json.dumps([{"b.csv": bars("AB", DAYS[:1])}]), data=tmp_path).ended()
        assert again.returncode == 0, again.stderr[-3000:]
    (columns / "day-v2-9-9.part").mkdir()
    again = script(COMPARE, json.dumps([{"c.csv": bars("AB", DAYS[:2], 2)}]), data=tmp_path).ended()
    assert again.returncode == 0, again.stderr[-3000:]
    assert not list(columns.glob("*.part"))


DAMAGE = (
    COMPARE.split("room = ")[0]
    + """
from upperwick.data.models import DataIssue
from upperwick.market import load
from upperwick.market.columns import checksums
from upperwick.market.columns.watch import compare_all

columns = Path(settings.DATA_DIR) / "columns"
def cut(data): return data[: len(data) // 2]
def zeroed(data): return data[:-40] + bytes(40)
def flipped(data): return data[:-9] + bytes([data[-9] ^ 1]) + data[-8:]
def empty(data): return b""

def as_stored(what):
    market = evaluator().market
    whole = load_market(market.version)
    for name in whole.__dataclass_fields__:
        if not name.startswith("_"): assert flat(getattr(market, name)) == flat(getattr(whole, name)), (what, name)
    return market

def taken(text):
    file = Path(settings.DATA_DIR) / "evening.csv"
    file.write_text(text)
    take(read_all([file], Answers()), source="test", universe="All")

def anew():
    load._held = None
    checksums._intact.clear()

first, *evenings = json.loads(sys.argv[1])
kept_ahead.AT_LEAST = 0
taken(first)
as_stored("at first")
harmed = 0
for name in sorted(str(p.relative_to(columns)) for p in columns.glob("*-*/*")):
    name = name.partition("/")
    for harm in (zeroed, cut, empty, flipped):
        (place,) = columns.glob(name[0].partition("-")[0] + "-*") if "day" in name[0] else columns.glob("v2-*")
        file = place / name[2]
        data = file.read_bytes()
        if harm is flipped and file.suffix == ".npz": harm = cut  # between its members it holds nothing
        file.write_bytes(harm(data))
        harmed += 1
        anew()
        as_stored((name, harm.__name__))
# While the application runs, with the columns read already.
market = as_stored("before")
(place,) = columns.glob("day-*")
(place / "high.npy").write_bytes(zeroed((place / "high.npy").read_bytes()))
assert compare_all(lambda: True) and not compare_all(lambda: True)
assert as_stored("compared") is not market
# An evening is not copied from what is damaged, nor ahead.
for evening, harm in zip(evenings, ("close", "days", "factor")):
    (place,) = columns.glob("day-*")
    (place / f"{harm}.npy").write_bytes(zeroed((place / f"{harm}.npy").read_bytes()))
    checksums._intact.clear()
    taken(evening)
    as_stored(harm)
    for old in columns.glob("gone-*"): import shutil; shutil.rmtree(old, ignore_errors=True)
    places = sorted(columns.glob("day-*"), key=lambda p: p.stat().st_mtime_ns)
    for old in places[:-1]: shutil.rmtree(old, ignore_errors=True)
import threading
for thread in threading.enumerate():
    if thread is not threading.current_thread(): thread.join(20)
print(json.dumps([harmed, list(DataIssue.objects.values_list("kind", "text"))]))
"""
)


def test_damaged_columns_are_never_believed_nor_copied_and_are_made_anew_and_told(tmp_path: Path) -> None:
    texts = [bars("ABCDEFGH", DAYS), *(bars("ABCDEFGH", [f"2024-04-{day:02d}"]) for day in (1, 2, 3))]
    done = script(DAMAGE, json.dumps(texts), data=tmp_path).ended()
    assert done.returncode == 0, done.stderr[-3000:]
    harmed, issues = json.loads(done.stdout)
    assert harmed > 40
    assert {kind for kind, _ in issues} == {"columns"}
    told = {name for _, text in issues for name in re.findall(r"/(\w+)\.npy", text)}
    assert told == {"offsets", "days", *FIELDS, "factor"}
    assert all("have been made anew from the database" in text and str(tmp_path) not in text for _, text in issues)


def test_two_processes_have_one_copy(tmp_path: Path) -> None:
    made = script(COMPARE, json.dumps([{"a.csv": bars("AB", DAYS)}]), data=tmp_path).ended()
    assert made.returncode == 0, made.stderr[-3000:]
    look = """
import django; django.setup()
import numpy as np
from upperwick.market.load import evaluator
bars = evaluator().market.bars
base = bars.close
while base.base is not None and not isinstance(base, np.memmap): base = base.base
print(type(base).__name__, bars.close.flags.writeable)
"""
    (table,) = (tmp_path / "columns").glob("day-*")
    stamp = table.stat().st_mtime_ns
    two = [script(look, data=tmp_path) for _ in range(2)]
    for one in two:
        assert one.ended().returncode == 0
    assert table.stat().st_mtime_ns == stamp  # nobody made it again


@pytest.mark.django_db
def test_five_minute_bars_of_a_year_are_taken_apart_into_months_and_what_is_damaged_goes_on_being_said() -> None:
    """Older blocks have a BLAKE2b digest; none of them may be taken for damaged, and what is damaged must not vanish."""
    table = {"days": np.array([19_723, 19_754, 19_754], np.int32), "minute": np.array([570, 570, 575], np.int32),
             **{n: np.array([1.0, 2.0, 3.0]) for n in FIELDS}}  # fmt: skip
    data = pack(table)
    owners = [Instrument.objects.create(symbol=s) for s in ("ZZOLD", "ZZBAD")]
    for owner, sum_ in zip(owners, (hashlib.blake2b(data, digest_size=16).hexdigest(), "00000000"), strict=True):
        BarBlock.objects.create(
            instrument=owner, frame="5min", year=2024, rows=3, checksum=sum_, content=BlockData.objects.create(data=data)
        )
    import_module("upperwick.market.migrations.0009_months_within_the_day").take_apart(apps, None)
    whole = BarBlock.objects.filter(instrument=owners[0]).order_by("year")
    assert [(b.year, b.rows) for b in whole] == [(2024 * 12, 1), (2024 * 12 + 1, 2)]
    assert all(fits(b.checksum, b.content.data) for b in whole)
    assert np.concatenate([unpack(b.content.data)["close"] for b in whole]).tolist() == [1.0, 2.0, 3.0]
    (bad,) = BarBlock.objects.filter(instrument=owners[1])
    assert (bad.year, bad.rows, fits(bad.checksum, bad.content.data)) == (2024 * 12, 1, False)


def test_a_block_whose_bytes_are_gone_is_named_and_moves_no_other(tmp_path: Path) -> None:
    made = script(COMPARE, json.dumps([{"a.csv": bars("ABC", DAYS)}]), data=tmp_path).ended()
    assert made.returncode == 0, made.stderr[-3000:]
    harm = """
import django; django.setup()
from upperwick.market.load import damage, evaluator
from upperwick.market.models import BarBlock
from upperwick.market.store import another_version
BarBlock.objects.filter(instrument__symbol="ZZB").update(content=None)
another_version("Harmed.")
market = evaluator().market.bars
print(damage(), [float(market.close[market.offsets[market.number[s]]]) for s in ("ZZA", "ZZC")], "ZZB" in market.number)
"""
    found = script(harm, data=tmp_path).ended()
    assert found.stdout.split() == "[Place(symbol='ZZB', frame='day', span=2024)] [11.0, 11.0] False".split(), found.stderr[-2000:]


def test_a_database_that_was_laid_back_is_not_taken_for_what_it_became(tmp_path: Path) -> None:
    """The evening that is imported again has the numbers of the one that never was, and other prices."""

    def evening(*steps: dict[str, str]) -> None:
        made = script(COMPARE, json.dumps(steps), data=tmp_path).ended()
        assert made.returncode == 0, made.stderr[-3000:]

    evening({"a.csv": bars("AB", DAYS)})
    kept = {path.name: path.read_bytes() for path in tmp_path.glob("upperwick.sqlite3*")}
    evening({"b.csv": bars("AB", ["2024-03-11"])})
    for path in tmp_path.glob("upperwick.sqlite3*"):
        path.unlink()
    for name, content in kept.items():
        (tmp_path / name).write_bytes(content)
    evening({"b.csv": bars("AB", ["2024-03-11"]).replace(",11.0,", ",11.5,")}, {"c.csv": bars("AB", ["2024-03-12"])})
