"""What the commands have in common: reading rules and prices, the evaluator over files or the database, and how they speak."""

import json
import sys
from argparse import Namespace
from contextlib import suppress
from functools import cache
from pathlib import Path
from typing import TYPE_CHECKING, Any

from wickcore.language.check import check_rule
from wickcore.language.problems import RuleError
from wickcore.language.rule import CheckedRule

if TYPE_CHECKING:
    from upperwick.data.reading.answers import Answers
    from upperwick.data.reading.bars import PriceTables
    from wickcore.bars.moment import Moment
    from wickcore.scan.evaluate import Evaluator

BAD_ROWS_SHOWN = 20


class Bad(Exception):
    """Bad input, as sentences for standard error."""

    def __init__(self, *lines: str) -> None:
        super().__init__("\n".join(lines))
        self.lines = lines


def emit(report: dict[str, Any]) -> None:
    json.dump(report, sys.stdout, ensure_ascii=False, allow_nan=False)
    sys.stdout.write("\n")


def read_rule(said: str) -> tuple[str, dict[str, str]]:
    """The rule's text and, by name, what it can name of its folder: the other rules, and breadths in files that end in .breadth."""
    try:
        if said == "-":
            return sys.stdin.read(), {}
        path = Path(said)
        text = path.read_text(encoding="utf-8")
        parts: dict[str, str] = {}
        if 'use "' in text:
            from upperwick.rules.naming import name_in

            for other in sorted(path.resolve().parent.glob("*.rule")):
                if other != path.resolve():
                    part = other.read_text(encoding="utf-8")
                    parts[other.stem] = part
                    parts[name_in(part) or other.stem] = part
        if "breadth" in text or any("breadth" in part for part in parts.values()):
            from upperwick.rules.naming import name_in
            from wickcore.language.named_texts import key_of

            for kept in sorted(path.resolve().parent.glob("*.breadth")):
                part = kept.read_text(encoding="utf-8")
                parts[key_of(kept.stem)] = parts[key_of(name_in(part) or kept.stem)] = part
        return text, parts
    except (OSError, UnicodeDecodeError) as error:
        raise Bad(f"The rule {said} cannot be read: {error}.") from None


def rule_error(error: RuleError) -> Bad:
    return Bad(*(f"line {p.line}, column {p.column}: {p.message}" for p in error.problems))


def checked(said: str, base: str, universe: str | None) -> CheckedRule:
    """The rule of a file, checked for a market whose shortest bars are `base`. universe: one chosen instead of the rule's own, for its ranks and
    breadths too. Raises Bad with every problem."""
    text, parts = read_rule(said)
    return checked_text(text, parts, base, universe)


def checked_text(text: str, parts: dict[str, str], base: str, universe: str | None) -> CheckedRule:
    """As `checked`, of a rule that was read already."""
    try:
        return check_rule(text, parts, universe=universe, base=base)
    except RuleError as error:
        raise rule_error(error) from None


def answers_of(given: Namespace) -> "Answers":
    """What the options say of how files are read. Raises Bad."""
    from upperwick.data.reading.answers import Answers

    said = {
        name: getattr(given, name, None) or ""
        for name in ("table", "dates", "decimal", "zone", "suffix", "names", "adjusted", "fact", "checked")
    }
    columns: dict[str, str] = {}
    for i, part in enumerate((given.columns or "").split(",") if getattr(given, "columns", None) else ()):
        heading, equals, name = part.rpartition("=")
        name = name.strip().replace("-", "") if name.strip() == "-" else name.strip()
        columns[heading.strip() if equals else f"#{i + 1}"] = name
    return Answers(**said, columns=columns, confirmed="yes" if columns else "")


def read_price_files(paths: list[Path], skip_bad: bool, any_date: bool = False, answers: "Answers | None" = None) -> "PriceTables":
    """Prices from files. Raises Bad naming every bad row, unless those are to be left out."""
    from upperwick.data.reading.bars import read_prices
    from upperwick.data.reading.source import PriceFileError

    try:
        found = read_prices(paths, any_date, answers)
    except PriceFileError as error:
        raise Bad(str(error)) from None
    if found.bad and not skip_bad:
        shown = [str(b) for b in found.bad[:BAD_ROWS_SHOWN]]
        more = len(found.bad) - len(shown)
        rest = [f"… and {more} more."] if more else []
        raise Bad(*shown, *rest, f"{len(found.bad)} bad rows; nothing was taken. Fix them, or leave them out with --skip-bad.")
    if not found.tables:
        raise Bad(f"{' and '.join(map(str, paths))} holds no usable row.")
    return found


def engine_of(given: Namespace) -> "Evaluator":
    """An evaluator over the given files, or over the database; on the daily bars."""
    if given.prices is not None:
        without_data()
        from upperwick.data.reading.reference import KINDS, BesideError, read_beside
        from wickcore.bars.market import market_of
        from wickcore.scan.evaluate import Evaluator

        tables = read_price_files(given.prices, given.skip_bad, any_date=True, answers=answers_of(given)).tables
        try:
            files = {kind: getattr(given, kind) for kind in KINDS if getattr(given, kind, None) is not None}
            engine = Evaluator(market_of(tables, read_beside(files, given.benchmark)))
        except BesideError as error:
            raise Bad(*str(error).splitlines()) from None
        if given.benchmark is not None:
            symbol_of(engine, given.benchmark)
        return engine
    from upperwick.cli.reference_options import BESIDE

    beside = [f"--{name}" for name in ("benchmark", *BESIDE) if getattr(given, name, None) is not None]
    if beside:
        raise Bad(f"{beside[0]} goes with --prices; the database has its own.")
    with_database()
    from upperwick.market.load import evaluator
    from upperwick.market.packing import DamagedBlock

    try:
        engine = evaluator()
    except DamagedBlock as error:
        raise Bad(str(error)) from None
    if not len(engine.market.bars.symbols):
        raise Bad("The database holds no prices: import some, or name a file with --prices.")
    return engine


def say_lacking(engine: "Evaluator", ops: dict[str, Any], given: Namespace) -> None:
    """Says on standard error which lines are unknown because the market lacks what they need, and how to give it."""
    from wickcore.scan.missing_data import lacking, said_lacking

    flags = {
        "benchmark": "--benchmark SYMBOL",
        "reports": "--reports FILE",
        "dividends": "--dividends FILE",
        "announcement": "--announcements FILE",
        "instrument": "--prices FILE",
        "fact": "--own FILE",
        "overnight": "--overnight FILE",
    }
    for what, op in ops.items():
        needs = lacking(engine.market, op)
        if needs:
            ways = sorted({flags.get(need.partition(" ")[0], "--instruments FILE") for need in needs})
            mend = f"; give them with {' and '.join(ways)}" if given.prices is not None else ""
            print(f"{what} is unknown: {said_lacking(needs)}{mend}.", file=sys.stderr)


def standing(engine: "Evaluator", said: str | None) -> "Moment":
    """The moment that is meant: the latest one where nothing is said."""
    from wickcore.bars.moment import read_moment

    try:
        return engine.market.standing(read_moment(said) if said else engine.market.latest)
    except ValueError as error:
        raise Bad(str(error)) from None


def day_of(said: str | None) -> int | None:
    """A date as days since 1970."""
    from wickcore.bars.moment import read_day

    try:
        return None if said is None else read_day(said)
    except ValueError as error:
        raise Bad(str(error)) from None


def members_of(engine: "Evaluator", given: Namespace, rule: CheckedRule) -> Any:
    """Membership by bar of the evaluator's table, None for all."""
    from wickcore.bars.universe import UnknownUniverse

    name = given.universe or rule.universe
    if not name:
        return None
    try:
        return engine.market.members(name, engine.table)
    except UnknownUniverse as unknown:
        if given.prices is not None and not given.universe:
            print(
                f"The prices hold no universe “{unknown.name}”; all {len(engine.market.bars.symbols)} symbols are taken.",
                file=sys.stderr,
            )
            return None
        known = ", ".join(sorted(engine.market.universes)) or "none"
        raise Bad(f"There is no universe named “{unknown.name}”; known are: {known}.") from None


def symbol_of(engine: "Evaluator", symbol: str) -> str:
    """A symbol the market has. Raises Bad."""
    if symbol not in engine.market.bars.number:
        from wickcore.language.problems import nearest

        near = nearest(symbol, [s.lower() for s in engine.market.bars.symbols])
        raise Bad(f"There is no symbol {symbol}" + (f"; did you mean {near.upper()}?" if near else "."))
    return symbol


def without_data() -> None:
    """Django's apps for work on files alone: nothing is read from the data folder, and none is made."""
    import os
    import secrets

    import django

    from upperwick.base.kernels import prepare

    prepare()
    given = os.environ.get("UPPERWICK_SECRET_KEY")
    os.environ["UPPERWICK_SECRET_KEY"] = given or secrets.token_urlsafe(50)
    try:
        django.setup()
    finally:
        # A key that was made for this command is not handed on to what it starts.
        if given is None:
            del os.environ["UPPERWICK_SECRET_KEY"]


def own_only(path: Path) -> None:
    """The database can be read by its owner alone, and so can what SQLite puts beside it, which takes over its mode."""
    if not path.exists():
        path.touch(mode=0o600)
    for part in (path, *(path.with_name(path.name + end) for end in ("-wal", "-shm"))):
        if part.exists() and part.stat().st_mode & 0o077:
            part.chmod(0o600)


@cache
def with_database() -> None:
    """Django, with the database there and up to date. Raises Bad."""
    import os

    import django

    from upperwick.base.kernels import prepare

    prepare()
    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "upperwick.settings")
    django.setup()
    from django.core.management import call_command
    from django.db import DatabaseError, connection

    from upperwick.settings import DATA_DIR

    try:
        DATA_DIR.mkdir(parents=True, exist_ok=True)
        own_only(DATA_DIR / "upperwick.sqlite3")
        if not _up_to_date(connection):
            call_command("migrate", verbosity=0, interactive=False)
    except (OSError, DatabaseError) as error:
        if any(word in str(error) for word in ("not a database", "malformed")):
            raise Bad(
                f"The database {DATA_DIR / 'upperwick.sqlite3'} is damaged: {error}. Stop the application, move the data folder "
                "aside, and put a copy of it in its place. Where there is none, what can still be read of it is written out by "
                "`sqlite3 upperwick.sqlite3 .recover | sqlite3 recovered.sqlite3`; or begin anew with another folder, "
                "`make start DATA=~/upperwick-data`."
            ) from None
        raise Bad(
            f"The data folder {DATA_DIR} cannot be used: {error}. Choose a folder you may write to, for instance "
            "`make demo DATA=~/upperwick-data`."
        ) from None


def _up_to_date(connection: Any) -> bool:
    """Whether every migration there is was applied: told by their names, since reading them all takes a quarter of a second of each command."""
    from importlib import import_module
    from pkgutil import iter_modules

    from django.apps import apps
    from django.db.migrations.recorder import MigrationRecorder

    there = set()
    for app in apps.get_app_configs():
        with suppress(ModuleNotFoundError):
            folder = import_module(f"{app.name}.migrations")
            there |= {(app.label, module.name) for module in iter_modules(folder.__path__) if not module.name.startswith("_")}
    return there <= MigrationRecorder(connection).applied_migrations().keys()
