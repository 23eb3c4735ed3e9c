"""The commands that measure: study, compare, sweep."""

import sys
from argparse import Namespace
from dataclasses import asdict
from pathlib import Path
from typing import Any

from upperwick.cli.shared import (
    Bad,
    checked,
    checked_text,
    emit,
    engine_of,
    members_of,
    read_rule,
    rule_error,
    say_lacking,
    standing,
)
from upperwick.cli.study_options import settings_from
from wickcore.language.check import check_named
from wickcore.language.problems import RuleError
from wickcore.language.rule import CheckedRule


def study(given: Namespace) -> None:
    """Follow-through of a rule's hits."""
    engine = engine_of(given)
    rule = checked(given.rule, engine.market.finest, given.universe)
    engine = engine.stepping(rule.frame)
    members = _members(engine, given, rule)
    from upperwick.studies.output import as_dict
    from wickcore.study.follow import study as run

    say_lacking(engine, {f"Line {line.number}": line.op for line in rule.lines}, given)
    settings = settings_from(engine, given)
    if given.parts is not None or given.report is not None:
        at = given.parts or (5 if 5 in settings.horizons else settings.horizons[0])
        settings = settings.changed(horizons={*settings.horizons, at})
    try:
        found = run(engine, rule, settings, members)
    except ValueError as error:
        raise Bad(str(error)) from None
    report = as_dict(found, most=None if given.events else 0)
    if given.parts is not None or given.report is not None:
        report["parts"] = _apart(engine, rule, found, members, at)
    if given.report is not None:
        _write_report(given, rule, report, as_dict(found), settings)
    if not given.events:
        del report["events"]
    if given.json:
        return emit(report)
    print(f"{found.hits} hits")
    print(f"{'bars':>5}{'count':>8}{'win rate':>10}{'mean':>9}{'median':>9}{'baseline':>10}{'excess':>9}   95% interval")
    for f in found.horizons:
        cells = [_percent(v) for v in (f.win_rate, f.mean, f.median, f.baseline, f.excess)]
        interval = f"{_percent(f.excess_low)} … {_percent(f.excess_high)}"
        print(f"{f.bars:>5}{f.count:>8}{cells[0]:>10}{cells[1]:>9}{cells[2]:>9}{cells[3]:>10}{cells[4]:>9}   {interval}")
    for said in report["verdicts"].values():
        print(said)
    for kind, rows in report.get("parts", {}).get("breakdowns", {}).items():
        print(f"by {kind}")
        for g in rows:
            few = "  (few)" if g["small"] else ""
            print(f"{g['label']:>18}{g['count']:>8}{_percent(g['win_rate']):>10}{_percent(g['excess']):>9}{few}")
    for e in report.get("events", []):
        when = f"{e['day']}T{e['time']}" if "time" in e else e["day"]
        entry = e["entry_day"] or "not entered"
        print(e["symbol"], when, entry, e["entry"] or "", *(_percent(r) for r in e["returns"].values()))


def compare(given: Namespace) -> None:
    """Two rules side by side on the same days."""
    engine = engine_of(given)
    from wickcore.study.compare import compare as beside
    from wickcore.study.compare import difference_verdict
    from wickcore.study.follow import study as run

    settings = settings_from(engine, given)
    if given.horizon not in settings.horizons:
        settings = settings.changed(horizons={*settings.horizons, given.horizon})
    pair: list[Any] = []
    for said in (given.first_rule, given.second_rule):
        rule = checked(said, engine.market.finest, given.universe)
        if pair and pair[0].frame != rule.frame:
            raise Bad(f"The first rule steps on {pair[0].frame} bars, the second on {rule.frame} bars; only like can be compared.")
        try:
            stepping = engine.stepping(rule.frame)
            pair.append(run(stepping, rule, settings, _members(stepping, given, rule)))
        except ValueError as error:
            raise Bad(str(error)) from None
    found = beside(pair[0], pair[1], given.horizon, engine.bars.symbols)
    verdicts = {str(d.bars): difference_verdict(d) for d in found.differences}
    if given.json:
        return emit(
            {
                "horizon": given.horizon,
                "first": [asdict(f) for f in pair[0].horizons],
                "second": [asdict(f) for f in pair[1].horizons],
                "differences": [asdict(d) for d in found.differences],
                "both": len(found.both),
                "only_first": len(found.only_first),
                "only_second": len(found.only_second),
                "verdicts": verdicts,
            }
        )
    print(f"{len(found.both)} hits in both, {len(found.only_first)} in the first only, {len(found.only_second)} in the second only")
    for said in verdicts.values():
        print(said)


def sweep(given: Namespace) -> None:
    """One dial or two over their ranges."""
    text, parts = read_rule(given.rule)
    engine = engine_of(given)
    base = engine.market.finest
    rule = checked_text(text, parts, base, given.universe)
    grid = dict(_turned(rule, said) for said in given.dial)
    engine = engine.stepping(rule.frame)
    members = _members(engine, given, rule)
    from wickcore.study.sweep import sweep as run
    from wickcore.study.sweep import sweep_verdict

    try:
        found, _ = run(
            engine, lambda dials: check_named(text, parts, dials, given.universe, base)[0], grid, settings_from(engine, given),
            given.horizon, members,
            progress=lambda stage, share: print(f"\r{stage}   ", end="", file=sys.stderr) if sys.stderr.isatty() else None,
        )  # fmt: skip
    except RuleError as error:
        raise rule_error(error) from None
    except ValueError as error:
        raise Bad(str(error)) from None
    said = sweep_verdict(found)
    if given.json:
        return emit({**asdict(found), "verdict": said})
    print("".join(f"{name:>12}" for name in found.dials) + f"{'hits':>8}{'excess':>9}   {'95% interval':<20}")
    for i, c in enumerate(found.cells):
        mark = "plateau" if i == found.plateau else "peak" if i == found.peak else "holds" if c.holds else ""
        interval = f"{_percent(c.low)} … {_percent(c.high)}"
        print("".join(f"{v:>12g}" for v in c.values) + f"{c.count:>8}{_percent(c.excess):>9}   {interval:<20} {mark}".rstrip())
    print(said)


def _turned(rule: CheckedRule, said: str) -> tuple[str, tuple[float, ...]]:
    """A dial and its values from `name`, or `name=low:high:step`."""
    from wickcore.study.sweep import steps_of

    name, _, span = said.partition("=")
    dial = next((d for d in rule.dials if d.name == name), None)
    if dial is None:
        raise Bad(f"The rule has no dial named {name}; its dials are: {', '.join(d.name for d in rule.dials) or 'none'}.")
    low, high, step = dial.low, dial.high, dial.step
    try:
        if span:
            low, high, step = (float(part) for part in span.split(":"))
        if low is None or high is None or step is None:
            raise Bad(f"The dial {name} has no range of its own; write one, as in --dial {name}=20:100:10.")
        return name, steps_of(low, high, step)
    except ValueError as error:
        raise Bad(
            f"--dial {said}: {error}" if "range" in str(error) else f"--dial takes {name}=low:high:step, not `{said}`."
        ) from None


def _members(engine: Any, given: Namespace, rule: CheckedRule) -> Any:
    members = members_of(engine, given, rule)
    if given.survivors:
        from wickcore.study.worth import survivors_only

        return survivors_only(engine, members, standing(engine, given.as_of).day)
    return members


def _apart(engine: Any, rule: CheckedRule, found: Any, members: Any, horizon: int) -> dict[str, Any]:
    from upperwick.rules.checking import PreparedRule
    from upperwick.studies.details import taken_apart
    from wickcore.language.check import RuleNames
    from wickcore.scan.evaluate import Limits

    asked = PreparedRule(rule, RuleNames.of("close > 0"), engine, members, rule.universe)
    return taken_apart(asked, found, horizon, Limits(), lambda stage, share: None)


def _write_report(given: Namespace, rule: CheckedRule, report: dict[str, Any], study: dict[str, Any], settings: Any) -> None:
    from upperwick.rules.naming import name_in
    from upperwick.studies.report import report as page

    told = {
        "version": None, "data_version": "files" if given.prices else "stored", "seed": settings.seed,
        "settings": settings.model_dump(mode="json"),
    }  # fmt: skip
    title = name_in(rule.text) or Path(given.rule).stem
    study = {**study, "sealed_from": None, "lists": [], "before": None, "after": None}
    try:
        given.report.write_text(page(title, rule.text, told, study, report["parts"]), encoding="utf-8")
    except OSError as error:
        raise Bad(f"{given.report} cannot be written: {error}") from None


def _percent(value: float | None) -> str:
    return "–" if value is None else f"{value * 100:+.2f}%"
