"""What can be asked of studies: measure, take apart, compare, sweep, look at one hit, break a rule's seal."""

import json
from dataclasses import asdict
from typing import Any

from django.db import transaction

from upperwick.base.errors import Refused
from upperwick.jobs import services as jobs
from upperwick.jobs.models import Job
from upperwick.rules import services as rules
from upperwick.studies import runs
from upperwick.studies.cache_key import day_of, question_of, seal_day, set_up
from upperwick.studies.models import SealBreak
from upperwick.studies.report import report
from wickcore.bars.moment import iso
from wickcore.study.event import trade
from wickcore.study.sweep import MOST_CELLS, steps_of


def measure(owner: Any, body: dict[str, Any], again: bool = False) -> Job:
    """Checks everything that can be checked at once, then asks for the study. Raises RuleError and Refused."""
    rule, question = _checked(owner, body)
    return runs.ask(owner, "study", question, rule, 3 if question["unsealed"] else 1, again)


def take_apart(owner: Any, run_id: int, horizon: int) -> Job:
    """Takes a finished study apart at one of its horizons. Raises Refused."""
    run = _finished(owner, run_id)
    _measured_at(run.question, horizon)
    if not jobs.stands(run):
        raise Refused("The data or the application changed since this was measured; measure it again to take it apart.", 409)
    return runs.ask(owner, "parts", {"study": run.question, "horizon": horizon}, runs.rule_of(run), 2)


def compare(owner: Any, first: dict[str, Any], second: dict[str, Any], horizon: int) -> Job:
    """Two studies side by side. Raises RuleError and Refused."""
    _, a = _checked(owner, first)
    rule, b = _checked(owner, second)
    for question in (a, b):
        _measured_at(question, horizon)
    return runs.ask(owner, "compare", {"first": a, "second": b, "horizon": horizon}, rule, 2)


def sweep(owner: Any, body: dict[str, Any], dials: list[dict[str, Any]], horizon: int) -> Job:
    """Turns one dial or two over their ranges. Raises RuleError, and Refused for ranges that cannot be tried."""
    rule, question = _checked(owner, body)
    _measured_at(question, horizon)
    found, _ = set_up(owner, question)
    known = {d.name: d for d in found.rule.dials}
    total = 1
    for dial in dials:
        if dial["name"] not in known:
            raise Refused(f"The rule has no dial named {dial['name']}; its dials are: {', '.join(known) or 'none'}.", 422)
        try:
            values = steps_of(dial["low"], dial["high"], dial["step"])
        except ValueError as error:
            raise Refused(str(error), 422) from None
        total *= len(values)
        for value in (values[0], values[-1]):
            found.with_dials({**question["dials"], dial["name"]: value})
    if total > MOST_CELLS:
        raise Refused(f"That is {total:,} settings; at most {MOST_CELLS} can be tried at once. Take wider steps.", 422)
    return runs.ask(owner, "sweep", {"study": question, "dials": dials, "horizon": horizon}, rule, total)


def page_of(owner: Any, run_id: int, horizon: int) -> tuple[str, str]:
    """A finished study that has been taken apart as one HTML page: its name and the page. Raises Refused for one that has not."""
    run = _finished(owner, run_id)
    _measured_at(run.question, horizon)
    apart = jobs.answered(owner, "parts", {"study": run.question, "horizon": horizon}, runs.subject_of(run.subject_id))
    study, parts = jobs.answer_of(run), None if apart is None else jobs.answer_of(apart)
    if study is None or parts is None:
        raise Refused("The study is not taken apart at this horizon; look at its parts first, then ask for the report again.", 409)
    return run.name, report(run.name, run.question["text"], runs.told(run), json.loads(study), json.loads(parts))


def one_trade(owner: Any, run_id: int, symbol: str, day: str, horizon: int) -> dict[str, Any]:
    """One hit of a study as it was traded. Raises Refused."""
    run = jobs.find(owner, run_id)
    found, settings = set_up(owner, run.question)
    market = found.engine.market
    _measured_at(run.question, horizon)
    if symbol not in market.bars.number:
        raise Refused(f"There is no instrument {symbol}.", 404)
    try:
        made = trade(market, found.rule, settings, symbol, day_of(day), horizon, found.members)
    except LookupError:
        raise Refused(f"{symbol} has no bar on {day} that the rule steps on.", 404) from None
    days = {name: None if getattr(made, name) is None else iso(getattr(made, name)) for name in ("day", "entry_day", "exit_day")}
    return {**asdict(made), **days, "symbol": symbol, "side": found.rule.side, "bars": horizon}


def seal_of(owner: Any, rule_id: int) -> dict[str, Any]:
    """From when on a rule's days are sealed, and whether and when that was ended."""
    rule = rules.find(owner, rule_id)
    day = seal_day()
    broken = SealBreak.objects.filter(rule=rule).first()
    return {
        "sealed_from": None if day is None else iso(day),
        "broken": broken.broken.date().isoformat() if broken else None,
        "version": broken.version if broken else None,
    }


@transaction.atomic
def break_seal(owner: Any, rule_id: int) -> dict[str, Any]:
    """Opens the sealed days of a rule, once and for good; kept with the version it was done for. Raises Refused."""
    rule = rules.find(owner, rule_id)
    day = seal_day()
    if day is None:
        raise Refused("This market is too short to keep any days sealed.", 409)
    latest = rule.versions.last()
    SealBreak.objects.get_or_create(rule=rule, defaults={"version": latest.number if latest else 1, "sealed_from": iso(day)})
    return seal_of(owner, rule_id)


def _checked(owner: Any, body: dict[str, Any]) -> tuple[Any, dict[str, Any]]:
    rule = rules.find(owner, body["rule_id"]) if body.get("rule_id") else None
    question = question_of(owner, rule, body)
    set_up(owner, question)
    return rule, question


def _finished(owner: Any, run_id: int) -> Job:
    run = jobs.find(owner, run_id, "study")
    if run.state != "done":
        raise Refused("This study is not done; wait for its figures first.", 409)
    return run


def _measured_at(question: dict[str, Any], horizon: int) -> None:
    if horizon not in question["horizons"]:
        raise Refused(f"This study does not measure {horizon} bars ahead.", 422)
