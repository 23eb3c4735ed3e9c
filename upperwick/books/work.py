"""What each kind of job about a book computes: the answer as JSON, and the sentence that heads it."""

from collections import OrderedDict
from collections.abc import Callable
from dataclasses import asdict
from typing import Any

from upperwick.books.cache_key import Question, set_up, try_digest
from upperwick.books.multiple_testing import record
from upperwick.jobs.registry import Done, Tell
from upperwick.jobs.services import digest_of
from wickcore.book.figures import returns_of
from wickcore.book.luck import luck
from wickcore.book.output import as_dict
from wickcore.book.run import BookRun, run
from wickcore.book.simulation import Trial
from wickcore.book.sweep import turn, walk
from wickcore.book.verdict import luck_verdict, turned_verdict, walk_verdict
from wickcore.book.whatif import what_if
from wickcore.scan.limits import Limits
from wickcore.study.sweep import steps_of

WHOLE = 4
_whole: OrderedDict[str, tuple[Trial, BookRun]] = OrderedDict()  # the latest runs of this process, to be asked further


def ran(
    owner: Any, question: Question, version: str, limits: Limits, tell: Tell = lambda stage, share: None
) -> tuple[Trial, BookRun]:
    """A run, taken from the latest of this process where it is there."""
    key = digest_of(owner.id, question, version)
    if key not in _whole:
        tell("Evaluating the rules", 0.1)
        trial = set_up(owner, question)
        prepared = trial.prepared(limits=limits)
        _whole[key] = trial, run(prepared, limits, lambda stage, share: tell(stage, 0.5 + 0.3 * share))
        while len(_whole) > WHOLE:
            _whole.popitem(last=False)
    _whole.move_to_end(key)
    return _whole[key]


def run_book(owner: Any, question: Question, version: str, limits: Limits, tell: Tell) -> Done:
    """The run itself."""
    trial, found = ran(owner, question, version, limits, tell)
    tell("Working out the figures", 0.8)
    answer = {**as_dict(found, question["seed"]), "sealed_from": question["sealed_from"], "unsealed": question["unsealed"]}
    _, equity = found.daily
    label = ", ".join(f"{name} {value:g}" for name, value in trial.book.settings.items())
    tried = [(try_digest(trial, question, {}), label, returns_of(equity, trial.book.start))]
    return Done(answer, answer["verdict"], lambda job: record(job, tried))


def by_luck(owner: Any, question: dict[str, Any], version: str, limits: Limits, tell: Tell) -> Done:
    """The same with random picks."""
    _, found = ran(owner, question["run"], version, limits, tell)
    made = luck(found.prepared, found, question["picks"], limits, tell)
    said = luck_verdict(made)
    return Done({**asdict(made), "verdict": said}, said)


def otherwise(owner: Any, question: dict[str, Any], version: str, limits: Limits, tell: Tell) -> Done:
    """What if."""
    trial, found = ran(owner, question["run"], version, limits, tell)
    rows = [asdict(v) for v in what_if(trial, found, limits, tell)]
    return Done({"rows": rows, "annual": as_dict(found)["figures"]["annual"]}, "")


def _swept(owner: Any, question: dict[str, Any], limits: Limits, tell: Tell) -> tuple[Trial, Any, Any, list[Any]]:
    trial = set_up(owner, question["run"])
    grid = {d["name"]: steps_of(d["low"], d["high"], d["step"]) for d in question["dials"]}
    turned, table = turn(trial, grid, limits, tell)
    tried = []
    for i, values in enumerate(table.settings):
        dials = dict(zip(turned.dials, values, strict=True))
        label = ", ".join(f"{name} {value:g}" for name, value in dials.items())
        tried.append((try_digest(trial, question["run"], dials), label, table.returns[:, i]))
    return trial, turned, table, tried


def turn_dials(owner: Any, question: dict[str, Any], version: str, limits: Limits, tell: Tell) -> Done:
    """One dial or two over their ranges."""
    _, turned, _, tried = _swept(owner, question, limits, tell)
    said = turned_verdict(turned)
    return Done({**asdict(turned), "verdict": said}, said, lambda job: record(job, tried))


def walk_forward(owner: Any, question: dict[str, Any], version: str, limits: Limits, tell: Tell) -> Done:
    """Dials chosen on a rolling stretch, traded on the next."""
    trial, turned, table, tried = _swept(owner, question, limits, lambda stage, share: tell(stage, 0.7 * share))
    walked = walk(
        trial,
        table,
        turned.dials,
        limits,
        question["train"],
        question["traded"],
        lambda stage, share: tell(stage, 0.7 + 0.3 * share),
    )
    said = walk_verdict(walked)
    return Done({**asdict(walked), "verdict": said}, said, lambda job: record(job, tried))


WORK: dict[str, Callable[[Any, Any, str, Limits, Tell], Done]] = {
    "book": run_book,
    "book-luck": by_luck,
    "book-what-if": otherwise,
    "book-sweep": turn_dials,
    "book-walk": walk_forward,
}
