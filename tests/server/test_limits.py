"""Small files that unpack to much: counted before they are read, and read in a process that has limits of its own."""

import io
import json
import os
import subprocess
import sys
import time
import zipfile
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa
import pyarrow.parquet as pq
import pytest

from tests.commands import ROOT
from tests.server.test_import import GOOD
from upperwick.data.reading import limits
from upperwick.data.reading.answers import Answers
from upperwick.data.reading.batch import read_all
from upperwick.data.reading.limits import Tally
from upperwick.data.reading.source import PriceFileError, open_source

ROWS = 31_000_000


def constant_rows(path: Path, rows: int = ROWS) -> None:
    piece = pa.table({"symbol": pa.array(["A"] * 1_000_000).dictionary_encode(), "close": np.ones(1_000_000)})
    with pq.ParquetWriter(path, piece.schema) as out:
        for _ in range(rows // 1_000_000):
            out.write_table(piece)


def arrow_bomb(path: Path) -> None:
    batch = pa.record_batch({"close": np.zeros(1_000_000)})
    with (
        pa.OSFile(str(path), "wb") as sink,
        pa.ipc.new_file(sink, batch.schema, options=pa.ipc.IpcWriteOptions(compression="zstd")) as out,
    ):
        for _ in range(ROWS // 1_000_000):
            out.write_batch(batch)


def many_groups(path: Path) -> None:
    piece = pa.table({"close": [1.0]})
    with pq.ParquetWriter(path, piece.schema) as out:
        for _ in range(60):
            out.write_table(piece)


def wide(path: Path) -> None:
    path.write_text(",".join(f"a-rather-long-heading-{n}" for n in range(100_000))[:900_000] + "\n1,2\n")


def one_line(path: Path) -> None:
    path.write_bytes(b"x" * (limits.MAX_LINE + 5))


@pytest.mark.parametrize(
    ("name", "make", "why"),
    [
        ("a.parquet", constant_rows, "31,000,000 rows of 2 columns"),
        ("a.arrow", arrow_bomb, "31,000,000 rows of 1 columns"),
        ("g.parquet", many_groups, "60 row groups; at most 50"),
        ("w.csv", wide, "columns; at most 5,000"),
        ("l.csv", one_line, "first line is over a megabyte long"),
    ],
)
def test_too_much_is_counted_before_it_is_read(
    tmp_path: Path, monkeypatch: pytest.MonkeyPatch, name: str, make: Any, why: str
) -> None:
    make(tmp_path / name)
    monkeypatch.setattr(limits, "MAX_ROW_GROUPS", 50)
    monkeypatch.setattr(pq, "read_table", lambda *_: pytest.fail("it was read"))
    began = time.process_time()
    with pytest.raises(PriceFileError, match=why):
        open_source(tmp_path / name)
    assert time.process_time() - began < 20  # the arrow file is counted batch by batch


def test_rows_are_counted_over_all_files_and_one_that_is_refused_counts_for_none(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(limits, "MAX_ROWS", 10)
    tally = Tally()
    tally.add(6, 3)
    with pytest.raises(limits.TooMuch, match="one too many"):
        tally.add(6, 3)
    tally.add(4, 3)


def test_a_long_text_is_counted_by_its_lines(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(limits, "COUNTED_FROM", 0)
    (tmp_path / "a.csv").write_text(GOOD)
    assert open_source(tmp_path / "a.csv").table.num_rows
    monkeypatch.setattr(limits, "MAX_ROWS", 2)
    with pytest.raises(PriceFileError, match="at most 2 rows"):
        open_source(tmp_path / "a.csv")


def test_a_zip_is_counted_by_what_comes_out_of_it(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(limits, "MAX_UNPACKED", 100_000)
    packed = io.BytesIO()
    with zipfile.ZipFile(packed, "w", zipfile.ZIP_DEFLATED) as out:
        out.writestr("a.csv", b"0" * 2_000_000)
    content = packed.getvalue()
    (tmp_path / "said.zip").write_bytes(content)
    with pytest.raises(PriceFileError, match="unpacks to 1 files"):
        read_all([tmp_path / "said.zip"], Answers())
    # One that says it is small, in both places where a zip says so.
    lying = content.replace((2_000_000).to_bytes(4, "little"), (20).to_bytes(4, "little"))
    assert lying != content
    (tmp_path / "lying.zip").write_bytes(lying)
    with pytest.raises(PriceFileError, match="unpack"):
        read_all([tmp_path / "lying.zip"], Answers())
    outside = io.BytesIO()
    with zipfile.ZipFile(outside, "w") as out:
        out.writestr("../../evil.csv", GOOD)
    (tmp_path / "outside.zip").write_bytes(outside.getvalue())
    with pytest.raises(PriceFileError, match="outside its own folder"):
        read_all([tmp_path / "outside.zip"], Answers())
    monkeypatch.setattr("upperwick.data.reading.batch.MAX_FILES", 2)
    with pytest.raises(PriceFileError, match="3 files are more than are read at once"):
        read_all([tmp_path / "a"] * 3, Answers())


APART = """
import json, sys, threading, time
import numpy as np, pyarrow as pa, pyarrow.parquet as pq

def main():
    from upperwick.cli.shared import with_database
    with_database()
    from upperwick.accounts.services import add_account
    from upperwick.data import services
    from upperwick.data.importing import uploads
    from upperwick.jobs import isolated as apart
    from upperwick.jobs.models import Job
    from upperwick.jobs.services import stop
    user = add_account("ada", "three-wet-lanterns", staff=True)

    def job(rows):
        folder = uploads.room() / f"{user.pk}-{rows:024d}"
        folder.mkdir(parents=True)
        days = np.arange("1990-01-01", "2024-01-01", dtype="datetime64[D]")
        per = min(rows, 8000)
        symbols = np.repeat([f"S{i}" for i in range(rows // per)], per)
        price = np.full(len(symbols), 10.0)
        dates = pa.array(np.tile(days[:per], rows // per))
        pq.write_table(pa.table({"symbol": symbols, "date": dates, "open": price, "high": price, "low": price, "close": price,
                                 "volume": price}), folder / "a.parquet")
        return services.ask(user, "data-look", {"upload": f"{rows:024d}"}, "a").id

    def ended(id):
        return Job.objects.values_list("state", "detail", "headline").get(id=id)

    small = job(100)
    apart.carry_out_apart(small)
    results = [ended(small)]
    big = job(4_000_000)
    thread = threading.Thread(target=apart.carry_out_apart, args=(big,))
    thread.start()
    while Job.objects.get(id=big).state != "running": time.sleep(0.05)
    time.sleep(0.5)
    stop(user, big)
    began = time.monotonic()
    thread.join()
    results += [ended(big), time.monotonic() - began]
    apart.memory_limit = lambda: 400 << 20
    again = job(4_000_001)
    apart.carry_out_apart(again)
    results.append(ended(again))
    print(json.dumps(results))

if __name__ == "__main__":
    main()
"""


def test_a_look_has_a_process_with_a_limit_to_its_memory_and_stops_at_once(tmp_path: Path) -> None:
    (tmp_path / "apart.py").write_text(APART)
    env = {**os.environ, "UPPERWICK_DATA": str(tmp_path / "data"), "DJANGO_SETTINGS_MODULE": "upperwick.settings"}
    done = subprocess.run(
        [sys.executable, str(tmp_path / "apart.py")], env=env, cwd=ROOT, capture_output=True, text=True, timeout=300
    )
    assert done.returncode == 0, done.stderr[-3000:]
    small, stopped, seconds, starved = json.loads(done.stdout)
    assert (small[0], "100 rows to add" in small[2]) == ("done", True), small
    assert stopped[0] == "stopped"
    assert seconds < 10  # two on a machine that is idle
    assert starved[0] == "failed"
    assert "memory" in starved[1], starved
