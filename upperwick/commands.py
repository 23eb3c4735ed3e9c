"""What each command of the command line does."""

import json
import sys
from argparse import Namespace
from collections.abc import Iterator
from pathlib import Path
from typing import Any

from wickcore.bars.moment import read_day
from wickcore.bars.universe import UnknownUniverse
from wickcore.language.check import check_expression, check_rule
from wickcore.language.problems import RuleError
from wickcore.language.rule import CheckedRule

BAD_ROWS_SHOWN = 20


class Bad(Exception):
    """Bad input, as sentences for standard error."""

    def __init__(self, *lines: str) -> None:
        super().__init__("\n".join(lines))
        self.lines = lines


def check(given: Namespace) -> int:
    """Errors and advice. Exits with 2 where there are errors, after saying them."""
    text, parts = read_rule(given.rule)
    errors: list[Any] = []
    advice: list[Any] = []
    try:
        advice = list(check_rule(text, parts).advice)
    except RuleError as error:
        errors = error.problems
    if given.json:
        emit({"errors": [_problem(p) for p in errors], "advice": [_problem(p) for p in advice]})
    for p in errors:
        print(f"line {p.line}, column {p.column}: {p.message}", file=sys.stderr)
    if not given.json:
        for p in advice:
            print(f"advice, line {p.line}, column {p.column}: {p.message}")
        if not errors and not advice:
            print("No errors, no advice.")
    return 2 if errors else 0


def scan(given: Namespace) -> None:
    """What a rule leaves on one evening."""
    rule = _checked(given.rule)
    engine, bars = engine_of(given)
    from upperwick.rules.scanning import COLUMNS, hit_rows, line_rows, read_columns
    from wickcore.bars.moment import iso
    from wickcore.scan.scan import scan as run

    day = day_of(given.as_of) if given.as_of else bars.last_day
    index = bars.session_on(day)
    if index < 0:
        raise Bad(f"The prices begin on {iso(bars.sessions[0])}; {given.as_of} lies before that.")
    day = int(bars.sessions[index])
    result = run(engine, rule, day, members_of(engine, given, rule))
    hits = hit_rows(engine, result, read_columns(COLUMNS, check_expression))
    keys = ("number", "text", "true", "false", "unknown", "left", "alone", "depth", "skip")
    report = {
        "as_of": iso(day),
        "scanned": result.scanned,
        "no_bar": result.no_bar,
        "lines": [{key: row[key] for key in keys} for row in line_rows(result)],
        "hits": [{"symbol": h["symbol"], "days": h["days"], "values": h["values"]} for h in hits],
        "near_misses": [{"symbol": n.symbol, "line": n.line.number} for n in result.near_misses],
    }
    if given.json:
        return emit(report)
    print(f"{report['as_of']}: {result.scanned} scanned, {result.no_bar} without a bar that day")
    for row in report["lines"]:
        left = "" if row["depth"] or row["skip"] else f"{row['left']:>7}"
        print(f"{left:>7}  {'    ' * row['depth']}{'skip ' if row['skip'] else ''}{row['text']}")
    print(", ".join(h["symbol"] for h in hits) or "No hits.")


def values(given: Namespace) -> None:
    """One expression, bar by bar."""
    try:
        value = check_expression(given.expression)
    except RuleError as error:
        raise rule_error(error) from None
    if value.type == "text":
        raise Bad("A number or a condition is needed; this is a text.")
    engine, _ = engine_of(given)
    from wickcore.bars.moment import iso
    from wickcore.scan.explain import values as run

    days, found = run(engine, value, _symbol(engine, given.symbol))
    if given.json:
        return emit({"days": [iso(d) for d in days], "values": found})
    for day, v in zip(days, found, strict=True):
        print(iso(day), "" if v is None else v, sep="\t")


def explain(given: Namespace) -> None:
    """Each line for one instrument on one day."""
    rule = _checked(given.rule)
    engine, _ = engine_of(given)
    from upperwick.problems import Refused
    from upperwick.rules.scanning import explain_rows

    day = day_of(given.day)
    assert day is not None
    try:
        rows = explain_rows(engine, rule, _symbol(engine, given.symbol), day)
    except Refused as error:
        raise Bad(error.detail) from None
    if given.json:
        return emit({"lines": rows})
    for row in rows:
        said = {True: "true   ", False: "false  ", None: "unknown"}[row["truth"]]
        sides = "" if row["left_value"] is None else f"   {row['left_value']:.6g} {row['operator']} {row['right_value']:.6g}"
        print(f"{row['number']:>4} {said} {row['text']}{sides}")


def lay_out(given: Namespace) -> None:
    """The canonical layout."""
    from wickcore.language.layout import format_rule

    text, _ = read_rule(given.rule)
    try:
        print(format_rule(text), end="")
    except RuleError as error:
        raise rule_error(error) from None


def turn(given: Namespace) -> None:
    """The rule for the other side; what stayed as it was is said on standard error."""
    from wickcore.language.mirror import mirror

    rule = _checked(given.rule) if given.rule != "-" else None
    text = rule.text if rule else read_rule("-")[0]
    try:
        found = mirror(text)
    except RuleError as error:
        raise rule_error(error) from None
    print(found.text, end="")
    for line, said in found.notes:
        print(f"line {line}: {said}", file=sys.stderr)


def read(given: Namespace) -> None:
    """Plain sentences."""
    from wickcore.language.aloud import read_aloud

    text, _ = read_rule(given.rule)
    try:
        for line, said in read_aloud(text):
            print(f"{line:>4}  {said}")
    except RuleError as error:
        raise rule_error(error) from None


def phrase(given: Namespace) -> int | None:
    """A phrase as lines."""
    from wickcore.language.phrases import from_phrase

    found = from_phrase(" ".join(given.phrase))
    if given.json:
        emit({"lines": list(found.lines), "unknown": list(found.unknown)})
    else:
        print("\n".join(found.lines), end="\n" if found.lines else "")
    if not found.lines:
        print(f"Not understood: {', '.join(found.unknown) or 'nothing was said'}.", file=sys.stderr)
    return None if found.lines else 2


def import_prices(given: Namespace) -> None:
    """Imports prices: all of them, or nothing. What is stored and not in the files stays as it is."""
    _database()
    from upperwick.market.store import save_tables
    from wickcore.bars.moment import of_key

    found = _read_prices(given.prices, given.skip_bad)
    what = f"{', '.join(path.name for path in given.prices)}: {_symbols_of(found):,} symbols imported"
    done = save_tables(found.tables, given.universe, what)
    if given.json:
        changes = [
            {"symbol": symbol, "moment": str(of_key(c.key)), "old": list(c.old), "new": list(c.new)} for symbol, c in done.changes
        ]
        counts = {key: getattr(done, key) for key in ("symbols", "added", "replaced", "same", "left", "notes")}
        return emit({**counts, "bad_rows": len(found.bad), "changes": changes})
    print(
        f"{done.symbols:,} symbols: {done.added:,} bars added, {done.replaced:,} replaced, {done.same:,} were stored already, "
        f"{done.left:,} others left as they were" + (f"; {len(found.bad):,} bad rows left out" if found.bad else "") + "."
    )
    for symbol, c in done.changes:
        print(f"  {symbol} {of_key(c.key)}: {_prices_said(c.old)} became {_prices_said(c.new)}")
    for note in done.notes:
        print(note, file=sys.stderr)


def _symbols_of(found: Any) -> int:
    return len({symbol for by_symbol in found.tables.values() for symbol in by_symbol})


def _prices_said(values: tuple[float, ...]) -> str:
    """Open, high, low, close and volume on one line."""
    return " ".join(f"{v:.6g}" for v in values[:4]) + f" volume {values[4]:,.0f}"


def export_prices(given: Namespace) -> None:
    """Exports the stored bars as printed, with adjusted closes on the latest bar's scale."""
    engine, bars = engine_of(Namespace(prices=None, skip_bad=False))
    import numpy as np
    import pyarrow as pa

    from upperwick.market.files import PriceFileError, write_prices

    wanted = [s.strip() for s in given.symbols.split(",")] if given.symbols else list(bars.symbols)
    for symbol in wanted:
        _symbol(engine, symbol)

    def tables() -> Iterator[pa.Table]:
        for symbol in wanted:
            k = bars.number[symbol]
            part = slice(int(bars.offsets[k]), int(bars.offsets[k + 1]))
            scale = bars.factor[part] / bars.factor[part][-1]
            yield pa.table(
                {
                    "symbol": pa.array([symbol] * (part.stop - part.start)),
                    "date": pa.array(bars.days[part].astype(np.int32), pa.date32()),
                    **{name: getattr(bars, name)[part] for name in ("open", "high", "low", "close", "volume")},
                    "adj_close": bars.close[part] * scale,
                }
            )

    try:
        total = write_prices(given.file, tables())
    except (PriceFileError, OSError) as error:
        raise Bad(f"{given.file} cannot be written: {error}") from None
    print(f"{total:,} bars of {len(wanted):,} symbols written to {given.file}.")


def demo(given: Namespace) -> None:
    """Migrates, makes the demo account, and loads the demo market where no market is stored."""
    _database()
    from upperwick.accounts.services import ensure_demo_account
    from upperwick.market.models import BarBlock

    if given.fresh or not BarBlock.objects.exists():
        from upperwick.market.store import save_demo
        from wickcore.demo.market import make_market

        print("Making the demo market …", flush=True)
        print(f"{save_demo(make_market()):,} invented bars stored.", flush=True)
    ensure_demo_account()
    _warm()
    if given.serve:
        serve(given)


def serve(given: Namespace) -> None:
    """Serves on 127.0.0.1 until stopped."""
    import socket
    import threading

    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind(("127.0.0.1", given.port))
        except (OSError, OverflowError):
            raise Bad(f"Port {given.port} is not free; choose another, for instance `make demo PORT=8010`.") from None
    _database()
    import uvicorn

    from upperwick.accounts.services import DEMO_NAME, DEMO_PASSWORD
    from upperwick.market.load import evaluator
    from upperwick.worker import supervised

    evaluator()
    threading.Thread(target=_fetch_ahead, daemon=True).start()
    print(f"\n  Upper Wick is at http://127.0.0.1:{given.port}")
    print(f"  The demo account: {DEMO_NAME}, with the password {DEMO_PASSWORD}\n  Ctrl+C stops it.\n", flush=True)
    with supervised():
        uvicorn.run("upperwick.asgi:application", host="127.0.0.1", port=given.port, log_level="warning", lifespan="off")


def worker(given: Namespace) -> None:
    """Carries out studies until stopped; `serve` starts it by itself."""
    _database()
    from upperwick.worker import AlreadyRunning, work

    try:
        work()
    except AlreadyRunning as error:
        raise Bad(str(error)) from None


# -- shared ----------------------------------------------------------------------------------------------------------


def emit(report: dict[str, Any]) -> None:
    json.dump(report, sys.stdout, ensure_ascii=False, allow_nan=False)
    sys.stdout.write("\n")


def _problem(p: Any) -> dict[str, Any]:
    return {"line": p.line, "column": p.column, "length": p.length, "message": p.message, "mend": p.mend}


def read_rule(said: str) -> tuple[str, dict[str, str]]:
    """The rule's text and, by name, the other rules of its folder."""
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
        return text, parts
    except (OSError, UnicodeDecodeError) as error:
        raise Bad(f"The rule {said} cannot be read: {error}.") from None


def rule_error(error: RuleError) -> Bad:
    return Bad(*(f"line {p.line}, column {p.column}: {p.message}" for p in error.problems))


def _checked(said: str) -> CheckedRule:
    text, parts = read_rule(said)
    try:
        return check_rule(text, parts)
    except RuleError as error:
        raise rule_error(error) from None


def _read_prices(paths: list[Path], skip_bad: bool) -> Any:
    from upperwick.market.files import PriceFileError, read_prices

    try:
        found = read_prices(paths)
    except PriceFileError as error:
        raise Bad(str(error)) from None
    if found.bad and not skip_bad:
        shown = [str(b) for b in found.bad[:BAD_ROWS_SHOWN]]
        more = len(found.bad) - len(shown)
        rest = [f"… and {more} more."] if more else []
        raise Bad(*shown, *rest, f"{len(found.bad)} bad rows; nothing was taken. Mend them, or leave them out with --skip-bad.")
    if not found.tables:
        raise Bad(f"{' and '.join(map(str, paths))} holds no usable row.")
    return found


def engine_of(given: Namespace) -> tuple[Any, Any]:
    """An evaluator over the given files, or over the database."""
    from wickcore.bars.market import market_of
    from wickcore.scan.evaluate import Evaluator

    if given.prices is not None:
        _without_data()
        market = market_of(_read_prices(given.prices, given.skip_bad).tables)
        return Evaluator(market), market.bars
    _database()
    from upperwick.market.load import DamagedBlock, evaluator

    try:
        engine = evaluator()
    except DamagedBlock as error:
        raise Bad(str(error)) from None
    if not len(engine.market.bars):
        raise Bad("The database holds no prices: import some, or name a file with --prices.")
    return engine, engine.market.bars


def members_of(engine: Any, given: Namespace, rule: CheckedRule) -> Any:
    name = given.universe or rule.universe
    if not name:
        return None
    try:
        return engine.market.members(name)
    except UnknownUniverse as unknown:
        if given.prices is not None and not given.universe:
            print(
                f"The prices hold no universe “{unknown.name}”; all {len(engine.market.bars.symbols)} symbols are taken.",
                file=sys.stderr,
            )
            return None
        known = ", ".join(sorted(engine.market.universes)) or "none"
        raise Bad(f"There is no universe named “{unknown.name}”; known are: {known}.") from None


def _symbol(engine: Any, symbol: str) -> str:
    if symbol not in engine.market.bars.number:
        from wickcore.language.problems import nearest

        near = nearest(symbol, [s.lower() for s in engine.market.bars.symbols])
        raise Bad(f"There is no symbol {symbol}" + (f"; did you mean {near.upper()}?" if near else "."))
    return symbol


def day_of(said: str | None) -> int | None:
    """A date as days since 1970."""
    try:
        return None if said is None else read_day(said)
    except ValueError as error:
        raise Bad(str(error)) from None


def _without_data() -> None:
    """Django's apps for work on files alone: nothing is read from the data folder, and none is made."""
    import os
    import secrets

    import django

    os.environ.setdefault("UPPERWICK_SECRET_KEY", secrets.token_urlsafe(50))
    django.setup()


def _database() -> None:
    """Django, with the database there and up to date."""
    import os

    import django

    os.environ.setdefault("DJANGO_SETTINGS_MODULE", "upperwick.settings")
    django.setup()
    from django.core.management import call_command
    from django.db import DatabaseError, connection
    from django.db.migrations.executor import MigrationExecutor

    from upperwick.settings import DATA_DIR

    try:
        DATA_DIR.mkdir(parents=True, exist_ok=True)
        executor = MigrationExecutor(connection)
        if executor.migration_plan(executor.loader.graph.leaf_nodes()):
            call_command("migrate", verbosity=0, interactive=False)
    except (OSError, DatabaseError) as error:
        raise Bad(
            f"The data folder {DATA_DIR} cannot be used: {error}. Choose a folder you may write to, for instance "
            "`make demo DATA=~/upperwick-data`."
        ) from None


def _fetch_ahead() -> None:
    """What the first study would otherwise wait for."""
    import arch.bootstrap  # noqa: F401


def _warm() -> None:
    """Compiles every kernel ahead, so that nobody waits for it at the first rule; once for each state of the sources."""
    import hashlib

    import wickcore

    root = Path(wickcore.__file__).parent
    sources = sorted(p for p in root.rglob("*.py"))
    state = hashlib.blake2b("".join(f"{p}{p.stat().st_mtime_ns}" for p in sources).encode(), digest_size=8).hexdigest()
    stamp = root / "__pycache__" / f"compiled-{state}"
    if stamp.exists():
        return
    from wickcore.warm import warm

    print("Compiling the measures; a minute or two, once …", flush=True)
    warm()
    try:
        for old in stamp.parent.glob("compiled-*"):
            old.unlink()
        stamp.touch()
    except OSError:
        pass  # a read-only installation compiles at each start
