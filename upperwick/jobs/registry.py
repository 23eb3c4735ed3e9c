"""Which kinds of jobs there are, and who carries them out: each app registers its own."""

from collections.abc import Callable
from dataclasses import dataclass
from importlib import import_module
from typing import TYPE_CHECKING, Any

from wickcore.scan.limits import Limits

if TYPE_CHECKING:
    from upperwick.jobs.models import Job

Tell = Callable[[str, float], None]  # told the stage and the share done


@dataclass(frozen=True)
class Done:
    """answer: what is kept, as JSON can hold it. headline: in a sentence. keep: called with the job when the answer is written, for what is to
    be kept besides."""

    answer: dict[str, Any]
    headline: str = ""
    keep: "Callable[[Job], None] | None" = None


@dataclass(frozen=True)
class Kind:
    """work: called with the owner, the question, the data's version, limits and a teller of progress. version: the version of the data that
    answers hang on. lane: in which it waits. apart: whether it is carried out in a
    process of its own."""

    work: Callable[[Any, Any, str, Limits, Tell], Done]
    version: Callable[[], str]
    lane: str
    apart: bool = False


# What waits in one lane holds nobody up in another: the market's files; what a person has asked and looks at until it is there; and what takes
# minutes by its nature.
LANES = ("data", "asked", "long")
KINDS: dict[str, Kind] = {}


def register(module: str, version: Callable[[], str], *names: str, lane: str, apart: bool = False) -> None:
    """Makes kinds of jobs known; called once, when their app is ready. module: where they are carried out, by name in its WORK; it is read
    when the first of them is, so that whoever carries none out need not wait for it. lane: one of LANES."""
    if lane not in LANES:
        raise ValueError(f"There is no lane {lane}; there are {', '.join(LANES)}.")

    def work_of(name: str) -> Callable[[Any, Any, str, Limits, Tell], Done]:
        def work(owner: Any, question: Any, data: str, limits: Limits, tell: Tell) -> Done:
            done: Done = import_module(module).WORK[name](owner, question, data, limits, tell)
            return done

        return work

    for name in names:
        KINDS[name] = Kind(work_of(name), version, lane, apart)
