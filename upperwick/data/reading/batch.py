"""Files of any of the open tables, folders and zips of them, and data packages, read whole before anything is taken."""

import json
import logging
import zipfile
import zlib
from collections import Counter
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from upperwick.base.files import temporary_folder
from upperwick.data.reading.answers import Answers, Known, Question
from upperwick.data.reading.bars import PriceTables, add_tables, take_bars
from upperwick.data.reading.columns import ColumnsUnclear
from upperwick.data.reading.endings import PRICE_FILES
from upperwick.data.reading.grouping import display_name, grouped, heading_key, pattern_of
from upperwick.data.reading.infer import infer
from upperwick.data.reading.inference import Inference
from upperwick.data.reading.limits import MAX_FILES, Tally, TooMuch, unpack
from upperwick.data.reading.reference import rows_of
from upperwick.data.reading.source import PriceFileError, Source, open_source
from upperwick.data.reading.tables import BARS, TABLES
from wickcore.bars.bars import STEP
from wickcore.bars.calendar import CLOSED, OPEN
from wickcore.bars.moment import clock

PACKAGE = "datapackage.json"
Tell = Callable[[str, float], None]
_log = logging.getLogger("upperwick")


@dataclass(frozen=True, slots=True)
class Part:
    """A file to be read. table: where a data package tells it, else "". origin: the path it came from: itself, or the zip or
    folder it lay in."""

    file: Path
    table: str
    origin: Path


@dataclass(slots=True)
class GroupRead:
    """Files of one layout, and what they turned out to be. name: the first file's. names: (heading, our column or "").
    heading_key, pattern: by which
    answers are remembered. vendor: the name of the remembered answers that were used."""

    name: str
    files: list[str]
    origins: list[str]
    table: str
    rows: int
    headings: list[tuple[str, str]]
    dates: str
    decimal: str
    questions: list[Question]
    first: list[list[str]]
    notes: list[str]
    answers: Answers
    heading_key: str
    pattern: str
    frame: str = ""
    vendor: str = ""
    span: str = ""


@dataclass(slots=True)
class Read:
    """groups: files by their layout. bars: by frame and symbol. rows: of the other tables. bad: sentences for rows that cannot
    be taken, with file
    and line. refused: why a file was not read, by its name, where files are refused one by one. market: what a data package says of the whole:
    benchmark, zone, invented."""

    groups: list[GroupRead] = field(default_factory=list)
    prices: PriceTables = field(default_factory=PriceTables)
    rows: dict[str, list[dict[str, Any]]] = field(default_factory=dict)
    bad: list[str] = field(default_factory=list)
    refused: dict[str, list[str]] = field(default_factory=dict)
    market: dict[str, Any] = field(default_factory=dict)

    @property
    def files(self) -> list[str]:
        return [name for group in self.groups for name in group.files]

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
    def notes(self) -> list[str]:
        """What a person should read about the files, the taken bars included."""
        notes = list(dict.fromkeys(note for group in self.groups for note in group.notes))
        if self.prices.unknown_volumes:
            notes.append(f"{self.prices.unknown_volumes:,} bars come without a volume: theirs is unknown, not 0.")
        if self.prices.repeated:
            notes.append(f"{self.prices.repeated:,} bars stand in several of the files; the last file's are taken.")
        return notes

    @property
    def questions(self) -> list[tuple[str, Question]]:
        """What has to be answered first: (name of the group, question)."""
        return [(g.name, q) for g in self.groups for q in g.questions]

    @property
    def empty(self) -> bool:
        return not self.prices.tables and not any(self.rows.values())


Remembered = Callable[
    [str, str, Answers], tuple[str, Answers]
]  # by heading and pattern of the name: the vendor's name and its answers
Check = Callable[[PriceTables], Question | None]  # what speaks against prices that were read with remembered answers


def read_all(
    paths: list[Path], answers: Answers, any_date: bool = False, tell: Tell = lambda stage, share: None,
    by_group: dict[str, Answers] | None = None, remembered: Remembered | None = None, known: Known | None = None, one_by_one: bool = False,
    check: Check | None = None, lenient: bool = False,
) -> Read:  # fmt: skip
    """Reads files and folders, in turn; of rows that say the same thing the later file's count.

    by_group: answers about files of one layout, by the name of the first of them. remembered: answers that were given before. one_by_one: a file
    that cannot be read, or that has a bad row, is refused by itself (`Read.refused`), and the others are taken. lenient: columns that are not
    told become a question. Raises PriceFileError for what
    cannot be read at all.
    """
    result = Read(prices=PriceTables(any_date=any_date))
    with unpacked(paths, result.refused if one_by_one else None) as (parts, result.market):
        if not parts and not result.refused:
            raise PriceFileError(
                f"{' and '.join(display_name(p) for p in paths)} holds no table: no .csv, .parquet or .arrow file."
            )
        reading = _Reading(result, parts, answers, by_group or {}, remembered, known, one_by_one, check, lenient)
        by_table: dict[str, list[Source]] = {}
        for i, part in enumerate(parts):
            tell(f"Reading {display_name(part.file)}", 0.5 * i / len(parts))
            source = reading.open(part)
            if source is not None:
                by_table.setdefault(part.table, []).append(source)
        groups = [(table, group) for table, members in by_table.items() for group in grouped(members)]
        for i, (table, group) in enumerate(groups):
            tell(f"Checking {display_name(group[0].file)}", 0.5 + 0.5 * i / len(groups))
            reading.read(group, table)
    result.bad += [str(row) for row in result.prices.bad]
    return result


def _bare(error: Exception, file: Path) -> str:
    """A sentence that names the file as the person did, not where it lies here."""
    return str(error).replace(f"{file.parent}/", "")


class _Reading:
    """Reads groups of files one after another into a `Read`."""

    def __init__(
        self, result: Read, parts: list[Part], answers: Answers, by_group: dict[str, Answers], remembered: Remembered | None,
        known: Known | None, one_by_one: bool, check: Check | None, lenient: bool,
    ) -> None:  # fmt: skip
        self.result, self.answers, self.by_group, self.remembered = result, answers, by_group, remembered
        self.known, self.one_by_one, self.check, self.lenient = known, one_by_one, check, lenient
        self.last: Source | None = None
        self.tally = Tally()
        times = Counter(part.file.name for part in parts)
        # Two of one name, as in a zip of a folder a year, are told apart by their folders.
        self.names = {
            part.file: display_name(part.file)
            if times[part.file.name] == 1
            else f"{part.file.parent.name}/{display_name(part.file)}"
            for part in parts
        }
        self.origins = {part.file: display_name(part.origin) for part in parts}

    def open(self, part: Part) -> Source | None:
        """Opens a file; None where it is refused by itself."""
        try:
            source = open_source(part.file, self.last, self.tally)
            self.last = source
            return source
        except PriceFileError as error:
            if not self.one_by_one:
                raise
            self.refuse(part.file, [_bare(error, part.file)])
        except Exception as error:  # whatever a strange file does to a reader
            if isinstance(error, MemoryError) and not self.one_by_one:
                raise
            if not self.one_by_one:
                raise PriceFileError(f"{display_name(part.file)} cannot be read: {error or type(error).__name__}.") from error
            _log.exception("A file could not be opened.")
            self.refuse(part.file, [f"It cannot be read: {error or type(error).__name__}."])
        return None

    def refuse(self, file: Path, sentences: list[str]) -> None:
        self.result.refused.setdefault(self.origins[file], []).extend(sentences)

    def read(self, group: list[Source], table: str) -> None:
        """Reads files of one layout; each by itself where together they cannot be read and may be refused one by one."""
        first = group[0].file
        try:
            self._read(group, table)
        except Exception as error:
            if isinstance(error, MemoryError) and not self.one_by_one:
                raise
            if self.one_by_one and len(group) > 1:
                for source in group:
                    self.read([source], table)
            elif isinstance(error, PriceFileError):
                if not self.one_by_one:
                    raise
                self.refuse(first, [_bare(error, first)])
            elif self.one_by_one:
                _log.exception("A file could not be read.")
                self.refuse(first, [f"It cannot be read: {error or type(error).__name__}."])
            else:
                raise PriceFileError(f"{display_name(first)} cannot be read: {error or type(error).__name__}.") from error

    def _read(self, group: list[Source], table: str) -> None:
        name = self.names[group[0].file]
        given = self.by_group.get(name, self.answers)
        heading, pattern, vendor = heading_key(group[0]), pattern_of(group[0]), ""
        if self.remembered is not None and not table:
            vendor, given = self.remembered(heading, pattern, given)
        given = replace(given, table=given.table or table)
        files, origins = [self.names[s.file] for s in group], list(dict.fromkeys(self.origins[s.file] for s in group))
        try:
            read = infer(group, given, self.known)
        except ColumnsUnclear as unclear:
            if not self.lenient:
                raise
            rows = sum(s.table.num_rows for s in group)
            ask = Question("columns", _bare(unclear, group[0].file), [])
            self.result.groups.append(
                GroupRead(
                    name, files, origins, unclear.table.name, rows, unclear.headings, "", "", [ask], unclear.first, [], given, heading, pattern,
                    vendor=vendor,
                )
            )  # fmt: skip
            return
        one = GroupRead(
            name, files, origins, read.table.name,
            read.rows.num_rows, read.headings, read.dates, read.decimal, list(read.questions), read.first, read.notes, given, heading, pattern,
            vendor=vendor, span=read.span,
        )  # fmt: skip
        if not read.questions:
            self._take(read, one, self.check if vendor and not given.checked else None)
        self.result.groups.append(one)

    def _take(self, read: Inference, one: GroupRead, check: Check | None) -> None:
        """Takes the rows of a group, where nothing speaks against them."""
        if read.table is not BARS:
            bad: list[str] = []
            rows = rows_of(read, bad)
            if bad and self.one_by_one:
                if len(read.sources) > 1:
                    raise PriceFileError(bad[0])  # then each is read by itself
                return self.refuse(read.file, [*bad, _refused_for(len(bad))])
            self.result.bad += bad
            self.result.rows.setdefault(read.table.name, []).extend(rows)
            return None
        alone = check is not None or self.one_by_one
        target = PriceTables(any_date=self.result.prices.any_date) if alone else self.result.prices
        take_bars(read, target, refuse_files=self.one_by_one)
        question = check(target) if check is not None else None
        if question is not None:
            one.questions.append(question)
            return None
        one.frame = "5min" if "time" in read.rows.column_names or "5min" in target.tables else "day"
        if self.one_by_one:
            by_file: dict[str, list[str]] = {}
            for row in target.bad:
                by_file.setdefault(row.file, []).append(str(row))
            for source in read.sources:
                wrong = by_file.get(source.file.name)
                if wrong:
                    self.refuse(source.file, [*wrong, _refused_for(len(wrong))])
                elif not source.table.num_rows:
                    self.refuse(source.file, ["It holds no usable row."])
            target.bad = []
        if alone:
            add_tables(self.result.prices, target)
        return None


def _refused_for(rows: int) -> str:
    return f"{rows:,} row{'' if rows == 1 else 's'} cannot be taken, so nothing of the file was."


@contextmanager
def unpacked(paths: list[Path], refused: dict[str, list[str]] | None = None) -> Iterator[tuple[list[Part], dict[str, Any]]]:
    """The files of those paths, and what a data package says of its market; zips are unpacked for as long. refused: gets why a
    path was not read,
    by its name; where it is None that raises PriceFileError."""
    if len(paths) > MAX_FILES:
        raise PriceFileError(f"{len(paths):,} files are more than are read at once; at most {MAX_FILES:,} are.")
    with temporary_folder() as room:
        found: list[Part] = []
        market: dict[str, Any] = {}
        for i, path in enumerate(paths):
            try:
                parts, stated = _parts_of(path, Path(room) / str(i))
            except PriceFileError as error:
                if refused is None:
                    raise
                refused[display_name(path)] = [_bare(error, path)]
                continue
            found += parts
            market |= stated
        order = list(TABLES)
        found.sort(key=lambda part: order.index(part.table) if part.table else 0)
        yield found, market


def _parts_of(path: Path, room: Path) -> tuple[list[Part], dict[str, Any]]:
    """The files of a path, and what it says of its market. room: where a zip is unpacked. Raises PriceFileError."""
    if not path.exists():
        raise PriceFileError(f"There is no file or folder {path}.")
    inside = _unzip(path, room) if path.suffix.lower() == ".zip" else path
    package = _package_of(inside)
    if package is not None:
        resources, market = _resources(package)
        return [Part(file, table, path) for file, table in resources], market
    if inside.is_dir():
        files = sorted(
            p for p in inside.rglob("*") if p.suffix.lower() in PRICE_FILES and p.is_file() and not p.name.startswith(".")
        )
        files = [p for p in files if "__MACOSX" not in p.parts]
        if not files:
            raise PriceFileError(f"{display_name(path)} holds no table: no .csv, .txt, .parquet or .arrow file.")
        return [Part(p, "", path) for p in files], {}
    return [Part(path, "", path)], {}


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
    except (OSError, ValueError, KeyError, TypeError, AttributeError, RecursionError) as error:
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
            unpack(packed, room)
    except TooMuch as error:
        raise PriceFileError(f"{path.name} {error}.") from None
    except (
        zipfile.BadZipFile,
        zipfile.LargeZipFile,
        NotImplementedError,
        RuntimeError,
        OSError,
        ValueError,
        EOFError,
        zlib.error,
    ) as error:
        raise PriceFileError(f"{path.name} cannot be unpacked: {error}.") from None
    return room
