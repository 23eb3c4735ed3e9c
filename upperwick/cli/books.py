"""The command `book`: a rule, or several, traded as a portfolio."""

import re
import sys
from argparse import Namespace
from dataclasses import asdict
from pathlib import Path
from typing import Any

from upperwick.cli.shared import Bad, emit, engine_of, rule_error, say_lacking, standing
from wickcore.language.problems import RuleError

_BOOK = re.compile(r'^[ \t]*enter[ \t]+"', re.MULTILINE)
COLUMNS = (
    ("a year", "annual", True), ("total", "total", True), ("max drawdown", "worst_fall", True), ("volatility", "volatility", True),
    ("Sharpe", "sharpe", False), ("Sortino", "sortino", False), ("return over fall", "mar", False), ("invested", "exposure", True),
    ("trades", "trades", False), ("won", "win_rate", True), ("payoff", "payoff", False), ("profit factor", "profit_factor", False),
    ("expectancy in R", "expectancy_r", False), ("bars held", "bars_held", False), ("turnover a year", "turnover", False),
)  # fmt: skip


def is_book(text: str) -> bool:
    """Whether a text enters rules, as only a book does."""
    return _BOOK.search(text) is not None


def read_book_file(said: str, folder: Path | None = None) -> tuple[str, dict[str, str]]:
    """The book's text and, by name, the rules of its folder, or of another."""
    from upperwick.rules.naming import name_in

    try:
        text = sys.stdin.read() if said == "-" else Path(said).read_text(encoding="utf-8")
        place = folder or (Path.cwd() if said == "-" else Path(said).resolve().parent)
        rules: dict[str, str] = {}
        for path in sorted(place.rglob("*.rule") if folder else place.glob("*.rule")):
            rule = path.read_text(encoding="utf-8")
            rules[path.stem] = rule
            rules[name_in(rule) or path.stem] = rule
        return text, rules
    except (OSError, UnicodeDecodeError) as error:
        raise Bad(f"The book {said} cannot be read: {error}.") from None


def book(given: Namespace) -> None:
    """Runs a book, and asks what else was asked of it."""
    from wickcore.bars.universe import UnknownUniverse
    from wickcore.book.output import equity_rows, order_row, position_row, signal_counts, summary, trade_row
    from wickcore.book.settings import BookChoice, chosen_from
    from wickcore.book.simulation import Trial
    from wickcore.language.book_check import check_book
    from wickcore.study.seal import sealed_from

    text, rules = read_book_file(given.book, given.rules)
    engine = engine_of(given)
    market = engine.market
    as_of = standing(engine, given.as_of)
    seal = sealed_from(market.bars.sessions)
    last = int(market.bars.sessions[market.bars.session_on(seal - 1)]) if given.sealed and seal is not None else None
    given.as_of = str(as_of) if last is None or as_of.day <= last else None
    try:
        choice = BookChoice.model_validate(chosen_from(vars(given)))
        if last is not None:
            choice = choice.model_copy(update={"last": last if choice.last is None else min(last, choice.last)})
    except ValueError as error:
        raise Bad(_sentence(error)) from None

    def members(universe: str | None, table: str) -> Any:
        try:
            return market.members(universe, table)
        except UnknownUniverse as unknown:
            return _no_universe(given, unknown.name, len(market.bars.symbols))

    try:
        trial = Trial(engine, lambda dials: check_book(text, rules, dials, given.universe, market.finest), members, choice)
    except RuleError as error:
        raise rule_error(error) from None
    ops = {f"“{e.name}”, line {line.number}": line.op for e in trial.book.enters for line in e.rule.lines}
    say_lacking(engine, ops, given)
    try:
        run = trial.run()
        asked = _asked(trial, run, given)
    except ValueError as error:
        raise Bad(str(error)) from None
    if given.trades:
        _write(given.trades, [trade_row(x, run.prepared) for x in run.trades])
    if given.equity:
        _write(given.equity, equity_rows(run))
    from wickcore.book.orders import orders

    report = {
        **summary(run, choice.seed), "signals": signal_counts(run), "equity": equity_rows(run),
        "trades": [trade_row(x, run.prepared) for x in run.trades],
        "open": [position_row(p) for p in run.open], "orders": [order_row(o) for o in orders(run)], **asked,
    }  # fmt: skip
    if given.json:
        return emit(report)
    _print(report)


def _sentence(error: ValueError) -> str:
    from pydantic import ValidationError

    from wickcore.study.settings import sentence_of

    return sentence_of(error) if isinstance(error, ValidationError) else str(error)


def _no_universe(given: Namespace, name: str, symbols: int) -> None:
    """A universe that the prices of files do not hold is let be; one the database does not hold is refused."""
    if given.prices is None or given.universe:
        raise Bad(f"There is no universe named “{name}”.")
    print(f"The prices hold no universe “{name}”; all {symbols} symbols are taken.", file=sys.stderr)


def _asked(trial: Any, run: Any, given: Namespace) -> dict[str, Any]:
    """What was asked beside the run itself."""
    from wickcore.book.verdict import luck_verdict, turned_verdict, walk_verdict

    found: dict[str, Any] = {}
    if given.luck:
        from wickcore.book.luck import luck

        made = luck(run.prepared, run, given.luck)
        found["luck"] = {**asdict(made), "verdict": luck_verdict(made)}
    if given.what_if:
        from wickcore.book.whatif import what_if

        found["what_if"] = [asdict(v) for v in what_if(trial, run)]
    if given.walk and not given.dial:
        raise Bad("--walk chooses among settings: name one dial or two with --dial.")
    if given.dial:
        from wickcore.book.sweep import turn, walk

        grid = dict(_turned(trial, said) for said in given.dial)
        try:
            turned, table = turn(trial, grid)
        except RuleError as error:
            raise rule_error(error) from None
        found["sweep"] = {**asdict(turned), "verdict": turned_verdict(turned)}
        if given.walk:
            walked = walk(trial, table, tuple(grid))
            found["walk"] = {**asdict(walked), "verdict": walk_verdict(walked)}
    return found


def _turned(trial: Any, said: str) -> tuple[str, tuple[float, ...]]:
    from wickcore.study.sweep import steps_of

    name, _, span = said.partition("=")
    known = {d.name: (d.low, d.high, d.step) for d in trial.book.dials}
    if name not in known and name != "slots":
        raise Bad(f"The book has no dial named {name}; its dials are: {', '.join(['slots', *known])}.")
    low, high, step = known.get(name, (None, None, None))
    try:
        if span:
            low, high, step = (float(part) for part in span.split(":"))
        if low is None or high is None or step is None:
            raise Bad(f"The dial {name} has no range of its own; write one, as in --dial {name}=5:20:5.")
        return name, steps_of(low, high, step)
    except ValueError as error:
        raise Bad(
            f"--dial {said}: {error}" if "range" in str(error) else f"--dial takes {name}=low:high:step, not `{said}`."
        ) from None


def _write(path: Path, rows: list[dict[str, Any]]) -> None:
    """Rows as CSV, Parquet or JSON, by the file's ending."""
    import json

    import pyarrow as pa
    import pyarrow.csv
    import pyarrow.parquet

    from upperwick.base.outgoing import rows_in_csv

    if path.suffix not in (".csv", ".parquet", ".json"):
        raise Bad(f"{path} is to end in .csv, .parquet or .json.")
    try:
        if path.suffix == ".json":
            path.write_text(json.dumps(rows, ensure_ascii=False, allow_nan=False), encoding="utf-8")
        elif path.suffix == ".csv":
            pyarrow.csv.write_csv(pa.Table.from_pylist(rows_in_csv(rows)), path)
        else:
            pyarrow.parquet.write_table(pa.Table.from_pylist(rows), path)
    except OSError as error:
        raise Bad(f"{path} cannot be written: {error}") from None


def _print(report: dict[str, Any]) -> None:
    index = report["benchmark"] or {}
    print(report["verdict"])
    print(f"{'':<18}{'book':>12}" + (f"{index['symbol']:>12}" if index else ""))
    for label, name, share in COLUMNS:
        own, other = (_said(values.get(name), share) for values in (report["figures"], index))
        print(f"{label:<18}{own:>12}" + (f"{other if name in index else '':>12}" if index else ""))
    print("signals: " + ", ".join(f"{n:,} {name.replace('_', ' ')}" for name, n in report["signals"].items() if n))
    for p in report["open"]:
        stop = "" if p["stop"] is None else f", stop {p['stop']:.2f}"
        print(f"open: {p['symbol']} {p['shares']:g} since {p['entry_day']} at {p['entry']:.2f}{stop}")
    for o in report["orders"]:
        print(f"order: {o['action']} {o['shares']:g} {o['symbol']} at {o['at'] if o['at'] == 'open' else format(o['at'], '.2f')}")
    for name in ("luck", "sweep", "walk"):
        if name in report:
            print(report[name]["verdict"])
    for v in report.get("what_if", []):
        between = "" if v["low"] is None else f" ({_said(v['low'], True)} … {_said(v['high'], True)})"
        print(f"{v['label']}: {v['note'] or _said(v['difference'], True) + ' a year' + between}")


def _said(value: float | int | None, share: bool) -> str:
    if value is None:
        return "–"
    if isinstance(value, int):
        return f"{value:,}"
    return f"{value * 100:+.1f}%" if share else f"{value:.2f}"
