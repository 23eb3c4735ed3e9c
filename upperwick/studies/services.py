"""Studies in the background of this process: one at a time an account, with progress and Stop."""

import contextlib
import itertools
from collections import OrderedDict
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import asdict, dataclass, field, replace
from threading import Event, Lock
from typing import Any

from upperwick.market.files import iso
from upperwick.market.services import as_of_day
from upperwick.problems import Refused
from upperwick.rules.checking import Asked
from upperwick.rules.checking import asked as checked
from upperwick.studies import parts
from wickcore.scan.evaluate import Limits, Stopped
from wickcore.study.follow import Study, StudySettings, study
from wickcore.study.stops import with_stop
from wickcore.study.verdict import verdict
from wickcore.study.worth import survivors_only

KEPT, LONGEST_SECONDS, MOST_EVENTS = 20, 120.0, 20_000
WHOLE = 4  # studies that can still be taken apart: each holds its samples, and the market it was made on


@dataclass
class Run:
    """One study asked for. state: running, done, stopped or failed."""

    id: int
    owner: int
    state: str = "running"
    stage: str = "Evaluating the lines"
    share: float = 0.0
    detail: str = ""
    result: dict[str, Any] | None = None
    cancel: Event = field(default_factory=Event)
    asked: Asked | None = None
    study: Study | None = None
    let_go: bool = False

    def tell(self, stage: str, share: float) -> None:
        """Where the work stands."""
        self.stage, self.share = stage, share


_runs: OrderedDict[int, Run] = OrderedDict()
_numbers = itertools.count(1)
_lock = Lock()
_pool = ThreadPoolExecutor(1, "study")


def start(owner: Any, text: str, asked: dict[str, Any]) -> Run:
    """Checks everything that can be checked at once, then starts the study. Raises RuleError and Refused.

    A study the account still has running is stopped: its question has been replaced.
    """
    found = checked(owner, text, asked["dials"], asked["universe"])
    rule, engine = found.rule, found.engine
    market = engine.market
    if asked.get("survivors"):
        found = replace(found, members=survivors_only(engine, found.members, as_of_day(market, asked["as_of"])))
    members = found.members
    settings = StudySettings(
        horizons=tuple(sorted(set(asked["horizons"]))),
        as_of=as_of_day(market, asked["as_of"]),
        entry=asked["entry"],
        repeats=asked["repeats"],
        cost=asked["cost"],
    )
    run = _new_run(owner.id)
    run.asked = found

    def work() -> None:
        run.study = study(engine, rule, settings, members, Limits(LONGEST_SECONDS, run.cancel), run.tell)
        run.result = {**as_dict(run.study), "lists": found.lists}

    return _go(run, work)


def start_parts(owner: int, run_id: int, horizon: int) -> Run:
    """Takes a finished study apart at one horizon: breakdowns, the path, names, days, and what each line is worth. Raises Refused."""
    made, found = _whole(owner, run_id, horizon)
    run = _new_run(owner)
    run.stage = "Grouping the hits"

    def work() -> None:
        run.result = parts.taken_apart(found, made, horizon, Limits(LONGEST_SECONDS, run.cancel), run.tell)

    return _go(run, work)


def stopped_at(owner: int, run_id: int, horizon: int, stop: float) -> dict[str, Any]:
    """The study's figures at one horizon as a stop would have made them. Raises Refused."""
    made, _ = _whole(owner, run_id, horizon)
    settings = made.settings
    try:
        return asdict(with_stop(made.samples[horizon], stop, 2 * (settings.cost + settings.slippage)))
    except ValueError as error:
        raise Refused(str(error), 422) from None


def _whole(owner: int, run_id: int, horizon: int) -> tuple[Study, Asked]:
    """A finished study that measured this horizon, and what was asked. Raises Refused."""
    run = find(owner, run_id)
    if run.let_go:
        raise Refused("This study is no longer kept whole; measure again.", 404)
    if run.study is None or run.asked is None:
        raise Refused("This study is not done; wait for its figures first.", 409)
    if horizon not in run.study.samples:
        raise Refused(f"This study did not measure {horizon} bars ahead.", 422)
    return run.study, run.asked


def _new_run(owner: int) -> Run:
    with _lock:
        for other in _runs.values():
            if other.owner == owner and other.state == "running":
                other.cancel.set()
        run = Run(next(_numbers), owner)
        _runs[run.id] = run
        while len(_runs) > KEPT:
            _runs.popitem(last=False)
        for old in [r for r in _runs.values() if r.study is not None][:-WHOLE]:
            old.study, old.asked, old.let_go = None, None, True
    return run


def _go(run: Run, work: Callable[[], None]) -> Run:
    def kept() -> None:
        try:
            work()
            run.state = "done"
        except Stopped as stopped:
            run.state, run.detail = "stopped", str(stopped)
        except ValueError as error:
            run.state, run.detail = "failed", str(error)
        except Exception:
            import logging

            logging.getLogger("upperwick").exception("A study failed")
            run.state, run.detail = "failed", "The study met an error of its own; it is written in the server's log."

    future = _pool.submit(kept)
    # The small ones answer at once; a longer one is asked after by its number.
    with contextlib.suppress(TimeoutError):
        future.result(0.4)
    return run


def find(owner: int, run_id: int) -> Run:
    """A run of this account. Raises Refused (404)."""
    run = _runs.get(run_id)
    if run is None or run.owner != owner:
        raise Refused("This study is no longer kept; measure again.", 404)
    return run


def stop(owner: int, run_id: int) -> Run:
    """Asks a run to stop; it does so at its next step."""
    run = find(owner, run_id)
    run.cancel.set()
    return run


def as_dict(found: Study, most: int | None = MOST_EVENTS) -> dict[str, Any]:
    """A study as the API and the command line give it, with its latest `most` events (None for all)."""
    settings = found.settings
    return {
        "hits": found.hits,
        "no_entry": found.no_entry,
        "entry": settings.entry,
        "repeats": settings.repeats,
        "cost": settings.cost,
        "horizons": [asdict(f) for f in found.horizons],
        "verdicts": {str(f.bars): verdict(found, f.bars) for f in found.horizons},
        "events": [
            {
                "symbol": e.symbol,
                "day": iso(e.day),
                "entry_day": None if e.entry_day is None else iso(e.entry_day),
                "entry": e.entry,
                "returns": {str(h): r for h, r in e.returns.items()},
            }
            for e in found.events[max(0, len(found.events) - most) if most is not None else 0 :]
        ],
    }
