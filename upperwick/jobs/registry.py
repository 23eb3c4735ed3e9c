"""Which kinds of jobs there are, and who carries them out: each app registers its own."""

from collections.abc import Callable
from dataclasses import dataclass
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
    answers hang on."""

    work: Callable[[Any, Any, str, Limits, Tell], Done]
    version: Callable[[], str]


KINDS: dict[str, Kind] = {}


def register(name: str, kind: Kind) -> None:
    """Makes a kind of job known; called once, when its app is ready."""
    KINDS[name] = kind
