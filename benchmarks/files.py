"""A vendor's files into an empty installation: one file an instrument, and all bars in one file.

python benchmarks/files.py [--instruments 5000] [--rows 600] [--length 5000]
"""

import argparse
import os
import resource
import sys
import tempfile
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

import polars as pl

from benchmarks.big import make_bars


def frame(instruments: int, length: int) -> pl.DataFrame:
    """Symbol, date, prices and volume of a large market."""
    bars = make_bars(instruments, length)
    numbers = {name: getattr(bars, name).round(4) for name in ("open", "high", "low", "close", "volume")}
    symbols = pl.Series(bars.symbols)[bars.owner]
    return pl.DataFrame({"symbol": symbols, "date": pl.Series(bars.days).cast(pl.Date), **numbers})


def files_of(instruments: int, rows: int, folder: Path) -> list[Path]:
    """One file an instrument, named after it, as many vendors send them."""
    for (symbol,), part in frame(instruments, rows).partition_by("symbol", as_dict=True).items():
        part.drop("symbol").write_csv(folder / f"{symbol}.csv")
    return sorted(folder.iterdir())


def imported(what: str, paths: list[Path]) -> None:
    from upperwick.data.importing.import_service import take
    from upperwick.data.vendors import read_files

    start = time.perf_counter()
    read = read_files(paths, one_by_one=len(paths) > 1)
    if read.refused or read.prices is None:
        sys.exit(f"{what} could not be read: {read.refused}")
    middle = time.perf_counter()
    take(read, source=what)
    end = time.perf_counter()
    memory = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6
    print(
        f"{what}: {read.prices.rows:,} rows read {middle - start:.1f}, stored {end - middle:.1f}: {end - start:.1f} s, peak {memory:.1f} GB",
        flush=True,
    )


def main() -> None:
    parser = argparse.ArgumentParser()
    parser.add_argument("--instruments", type=int, default=5_000)
    parser.add_argument("--rows", type=int, default=600)
    parser.add_argument("--length", type=int, default=5_000)
    chosen = parser.parse_args()
    with tempfile.TemporaryDirectory() as place:
        os.environ["UPPERWICK_DATA"] = place
        os.environ["DJANGO_SETTINGS_MODULE"] = "upperwick.settings"
        from upperwick.cli.shared import with_database

        with_database()
        folder = Path(place, "files")
        folder.mkdir()
        imported(f"{chosen.instruments:,} files", files_of(chosen.instruments, chosen.rows, folder))
        one = Path(place, "all.csv")
        frame(chosen.instruments, chosen.length).write_csv(one)
        imported(f"one file of {one.stat().st_size / 1e9:.1f} GB", [one])


if __name__ == "__main__":
    main()
