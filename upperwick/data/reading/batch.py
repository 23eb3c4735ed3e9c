"""Files of any of the open tables, folders and zips of them, and data packages, read whole before anything is taken."""

import json
import tempfile
import zipfile
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from upperwick.data.reading.bars import PriceTables, take_bars
from upperwick.data.reading.endings import PRICE_FILES
from upperwick.data.reading.infer import Answers, Question, Understood, understand
from upperwick.data.reading.reference import rows_of
from upperwick.data.reading.source import PriceFileError
from upperwick.data.reading.tables import BARS, TABLES
from wickcore.bars.bars import STEP
from wickcore.bars.calendar import CLOSED, OPEN
from wickcore.bars.moment import clock

PACKAGE = "datapackage.json"
MOST_FILES, MOST_BYTES = 20_000, 8_000_000_000  # of a zip, unpacked
Tell = Callable[[str, float], None]


@dataclass(slots=True)
class FileRead:
    """What a file turned out to be. names: (heading, our column or "")."""

    name: str
    table: str
    rows: int
    headings: list[tuple[str, str]]
    dates: str
    decimal: str
    questions: list[Question]
    first: list[list[str]]
    frame: str = ""


@dataclass(slots=True)
class Read:
    """bars: by frame and symbol. rows: of the other tables. bad: sentences for rows that cannot be taken, with file and line. market: what
    a data package says of the whole: benchmark, zone, invented."""

    files: list[FileRead] = field(default_factory=list)
    prices: PriceTables = field(default_factory=PriceTables)
    rows: dict[str, list[dict[str, Any]]] = field(default_factory=dict)
    bad: list[str] = field(default_factory=list)
    market: dict[str, Any] = field(default_factory=dict)

    @property
    def outside(self) -> str:
        """A sentence where five-minute bars lie outside the usual hours of a session, else empty."""
        minutes = [t["minute"] for t in self.prices.tables.get("5min", {}).values()]
        if not minutes:
            return ""
        first, last = min(int(m.min()) for m in minutes), max(int(m.max()) for m in minutes) + STEP
        if first >= OPEN and last <= CLOSED:
            return ""
        return (
            f"Its bars run from {clock(first)} to {clock(last)}, and the usual session from {clock(OPEN)} to {clock(CLOSED)}: are they of "
            "another time zone?"
        )

    @property
    def questions(self) -> list[tuple[str, Question]]:
        """What has to be answered first: (file, question)."""
        return [(f.name, q) for f in self.files for q in f.questions]

    @property
    def empty(self) -> bool:
        return not self.prices.tables and not any(self.rows.values())


def read_all(
    paths: list[Path], answers: Answers, any_date: bool = False, tell: Tell = lambda stage, share: None,
    by_file: dict[str, Answers] | None = None,
) -> Read:  # fmt: skip
    """Reads files and folders, in turn; of rows that say the same thing the later one counts. by_file: answers that are of one file only, by
    its name. Raises PriceFileError for what cannot be read at all."""
    found = Read(prices=PriceTables(any_date=any_date))
    with unpacked(paths) as (files, found.market):
        if not files:
            raise PriceFileError(f"{' and '.join(p.name for p in paths)} holds no table: no .csv, .parquet or .arrow file.")
        times = Counter(file.name for file, _ in files)
        for i, (file, table) in enumerate(files):
            # Two of one name, as in a zip of a folder a year, are told apart by their folders.
            name = file.name if times[file.name] == 1 else f"{file.parent.name}/{file.name}"
            tell(f"Reading {name}", i / len(files))
            said = (by_file or {}).get(name, answers)
            read = understand(file, replace(said, table=said.table or table))
            one = FileRead(
                name, read.table.name, read.rows.num_rows, read.headings, read.dates, read.decimal, read.questions, read.first
            )
            found.files.append(one)
            if not read.questions:
                _take(read, one, found)
    found.bad += [str(row) for row in found.prices.bad]
    return found


def _take(read: Understood, one: FileRead, found: Read) -> None:
    if read.table is not BARS:
        found.rows.setdefault(read.table.name, []).extend(rows_of(read, found.bad))
        return
    take_bars(read, found.prices)
    one.frame = "5min" if "time" in read.rows.column_names or "5min" in found.prices.tables else "day"


@contextmanager
def unpacked(paths: list[Path]) -> Iterator[tuple[list[tuple[Path, str]], dict[str, Any]]]:
    """The files of those paths, each with its table where a data package tells it, else "", and what the package says of its market; zips are
    unpacked for as long."""
    with tempfile.TemporaryDirectory(prefix="upperwick-") as room:
        found: list[tuple[Path, str]] = []
        market: dict[str, Any] = {}
        for i, path in enumerate(paths):
            if not path.exists():
                raise PriceFileError(f"There is no file or folder {path}.")
            if path.suffix.lower() == ".zip":
                path = _unzip(path, Path(room) / str(i))
            package = _package_of(path)
            if package is not None:
                resources, said = _resources(package)
                found += resources
                market |= said
            elif path.is_dir():
                found += [(p, "") for p in sorted(path.rglob("*")) if p.suffix.lower() in PRICE_FILES]
            else:
                found.append((path, ""))
        order = list(TABLES)
        found.sort(key=lambda one: order.index(one[1]) if one[1] else 0)
        yield found, market


def _package_of(path: Path) -> Path | None:
    """The data package of a folder, or of the one folder in it that has one, as a zip of a folder does."""
    if not path.is_dir():
        return None
    if (path / PACKAGE).exists():
        return path / PACKAGE
    inside = [p for p in path.iterdir() if p.is_dir() and (p / PACKAGE).exists()]
    return inside[0] / PACKAGE if len(inside) == 1 else None


def _resources(package: Path) -> tuple[list[tuple[Path, str]], dict[str, Any]]:
    """What a data package holds (the Data Package standard): its files with their tables, and what it says of its market."""
    try:
        said = json.loads(package.read_text(encoding="utf-8"))
        resources = [(r["path"], str(r.get("name", ""))) for r in said["resources"]]
        market = dict(said.get("market") or {})
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise PriceFileError(f"{package.name} is no data package: {error}.") from None
    found = []
    for paths, name in resources:
        for one in [paths] if isinstance(paths, str) else paths:
            file = (package.parent / one).resolve()
            if package.parent.resolve() not in file.parents:
                raise PriceFileError(f"{package.name} names a file outside its folder: {one}.")
            if not file.exists():
                raise PriceFileError(f"{package.name} names {one}, which is not there.")
            if file.suffix.lower() in PRICE_FILES:
                table = name.partition("-")[0]
                found.append((file, table if table in TABLES else ""))
    return found, market


def _unzip(path: Path, room: Path) -> Path:
    try:
        with zipfile.ZipFile(path) as packed:
            parts = packed.infolist()
            size = sum(p.file_size for p in parts)
            if len(parts) > MOST_FILES or size > MOST_BYTES:
                raise PriceFileError(
                    f"{path.name} unpacks to {len(parts):,} files of {size / 1e9:.1f} GB; at most {MOST_FILES:,} and {MOST_BYTES / 1e9:.0f} GB "
                    "are taken at once."
                )  # fmt: skip
            packed.extractall(room)
    except (zipfile.BadZipFile, NotImplementedError, RuntimeError, OSError) as error:
        raise PriceFileError(f"{path.name} cannot be unpacked: {error}.") from None
    return room
