"""What each kind of run computes: the answer as JSON, and the sentence that heads it."""

import itertools
from collections import OrderedDict
from collections.abc import Callable
from dataclasses import asdict
from typing import Any

import numpy as np

from upperwick.data.quality.findings import open_in
from upperwick.jobs.models import Job
from upperwick.jobs.registry import Done, Tell
from upperwick.jobs.services import digest_of
from upperwick.rules.checking import PreparedRule
from upperwick.studies import details
from upperwick.studies.cache_key import Question, set_up, try_digest
from upperwick.studies.multiple_testing import Tried, record
from upperwick.studies.output import as_dict, event_rows
from wickcore.scan.evaluate import Limits
from wickcore.study.compare import compare, difference_verdict
from wickcore.study.follow import Study, study
from wickcore.study.multiple_testing import daily_excess
from wickcore.study.sweep import steps_of, sweep, sweep_verdict
from wickcore.study.verdict import verdict

WHOLE, MOST_APART = 4, 500
_whole: OrderedDict[str, tuple[PreparedRule, Study]] = OrderedDict()  # the latest studies of this process, to be taken apart


def _measured(owner: Any, question: Question, version: str, limits: Limits, tell: Tell) -> tuple[PreparedRule, Study]:
    """A study, taken from the latest of this process where it is there."""
    key = digest_of(owner.id, question, version)
    if key not in _whole:
        found, settings = set_up(owner, question)
        _whole[key] = found, study(found.engine, found.rule, settings, found.members, limits, tell)
        while len(_whole) > WHOLE:
            _whole.popitem(last=False)
    _whole.move_to_end(key)
    return _whole[key]


def measure(owner: Any, question: Question, version: str, limits: Limits, tell: Tell) -> Done:
    """A study; once its seal is broken also the days before the seal and those since, each alone."""
    found, made = _measured(owner, question, version, limits, tell)
    answer = {**as_dict(made), "lists": found.lists, "sealed_from": question["sealed_from"], "before": None, "after": None}
    answer["findings"] = open_in(_symbols(found))
    if question["sealed_from"] and question["unsealed"]:
        _, before = set_up(owner, {**question, "unsealed": False})
        after = made.settings.changed(first=before.as_of.day + 1 if before.as_of is not None else None)
        for name, settings in (("before", before), ("after", after)):
            tell(f"Measuring {name} the seal", 0.9)
            alone = study(found.engine, found.rule, settings, found.members, limits)
            answer[name] = [asdict(f) for f in alone.horizons]
    tried = [] if question["survivors"] else [_tried(found, made, question)]
    middle = 5 if 5 in made.samples else made.settings.horizons[len(made.settings.horizons) // 2]
    return Done(answer, verdict(made, middle), _counting(tried))


def _symbols(found: PreparedRule) -> list[str] | None:
    """The instruments that ever belonged to the rule's universe; None for all."""
    if found.members is None:
        return None
    bars = found.engine.bars
    return [bars.symbols[k] for k in np.unique(bars.owner[found.members])]


def _counting(tried: list[Tried]) -> Callable[[Job], None]:
    """Keeps the settings that a run has measured as tries of its rule."""
    return lambda job: record(job, tried)


def _tried(found: PreparedRule, made: Study, question: Question) -> Tried:
    dials = ", ".join(f"{d.name} {d.value:g}" for d in found.rule.dials)
    series = {h: daily_excess(sample) for h, sample in made.samples.items()}
    return Tried(try_digest(found.rule, found.key, question), dials, series)


def take_apart(owner: Any, question: dict[str, Any], version: str, limits: Limits, tell: Tell) -> Done:
    """Breakdowns, the path, names, days, stops, and what each line is worth, at one horizon."""
    found, made = _measured(owner, question["study"], version, limits, tell)
    return Done(details.taken_apart(found, made, question["horizon"], limits, tell), "")


def side_by_side(owner: Any, question: dict[str, Any], version: str, limits: Limits, tell: Tell) -> Done:
    """Two studies, their difference, and the hits that only one of them has."""
    horizon = question["horizon"]
    pair, tried = [], []
    for i, name in enumerate(("first", "second")):

        def told(stage: str, share: float, i: int = i) -> None:
            tell(f"{'First' if i == 0 else 'Second'}: {stage[0].lower()}{stage[1:]}", (i + share) / 2)

        found, made = _measured(owner, question[name], version, limits, told)
        pair.append(made)
        if not question[name]["survivors"]:
            tried.append(_tried(found, made, question[name]))
    symbols = found.engine.market.bars.symbols
    apart = compare(pair[0], pair[1], horizon, symbols)
    answer = {
        "horizon": horizon,
        "first": _side(pair[0]),
        "second": _side(pair[1]),
        "differences": [{**asdict(d), "verdict": difference_verdict(d)} for d in apart.differences],
        "both": len(apart.both),
        "only_first": len(apart.only_first),
        "only_second": len(apart.only_second),
        "shared": details.shown(apart.shared),
        "lost": details.shown(apart.lost),
        "gained": details.shown(apart.gained),
        "events_first": event_rows([e for e in pair[0].events if e.position in set(apart.only_first.tolist())][-MOST_APART:]),
        "events_second": event_rows([e for e in pair[1].events if e.position in set(apart.only_second.tolist())][-MOST_APART:]),
    }
    said = next(d for d in apart.differences if d.bars == horizon)
    return Done(answer, difference_verdict(said), _counting(tried))


def _side(made: Study) -> dict[str, Any]:
    return {"hits": made.hits, "horizons": [asdict(f) for f in made.horizons], "verdicts": as_dict(made, 0)["verdicts"]}


def turn_dials(owner: Any, question: dict[str, Any], version: str, limits: Limits, tell: Tell) -> Done:
    """One or two dials over their ranges."""
    found, settings = set_up(owner, question["study"])
    fixed = question["study"]["dials"]
    grid = {d["name"]: steps_of(d["low"], d["high"], d["step"]) for d in question["dials"]}
    rules: dict[tuple[float, ...], Any] = {}

    def make(dials: dict[str, float]) -> Any:
        made = found.with_dials({**fixed, **dials})
        rules[tuple(dials.values())] = made
        return made

    swept, series = sweep(found.engine, make, grid, settings, question["horizon"], found.members, limits, tell)
    tried = []
    if not question["study"]["survivors"]:
        for values, daily in zip(itertools.product(*swept.values), series, strict=True):
            label = ", ".join(f"{name} {value:g}" for name, value in zip(swept.dials, values, strict=True))
            digest = try_digest(rules[values], found.key, question["study"])
            tried.append(Tried(digest, label, {question["horizon"]: daily}))
    answer = {**asdict(swept), "verdict": sweep_verdict(swept)}
    return Done(answer, answer["verdict"], _counting(tried))


WORK: dict[str, Callable[[Any, Any, str, Limits, Tell], Done]] = {
    "study": measure,
    "parts": take_apart,
    "compare": side_by_side,
    "sweep": turn_dials,
}
