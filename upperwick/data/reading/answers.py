"""What has to be asked about files, what a person answered, and what is known of the market that they are read for."""

from collections.abc import Callable, Collection, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from upperwick.data.reading.source import PriceFileError

SKIP = ""  # the answer that leaves a column out
ADJUSTMENTS = {
    "": "as printed, or with adjusted closes beside them",
    "splits": "adjusted for splits already",
    "full": "adjusted for splits and dividends already",
}


@dataclass(frozen=True, slots=True)
class Answers:
    """What a person has answered about files of one layout; all may be left out.

    table: its name. dates: a form's name. decimal: `point` or `comma`. zone: the exchange's (IANA). columns: our name by heading, SKIP for none;
    `confirmed` once a person has agreed to the columns that were proposed. suffix: `keep` or `remove` the ending that all symbols share. names:
    `yes` where the files' names are the symbols. adjusted: see ADJUSTMENTS. fact: the name of the dated number that a file
    with a column a symbol
    holds. checked: `yes` once a person has agreed to what is odd about the values.
    """

    table: str = ""
    dates: str = ""
    decimal: str = ""
    zone: str = ""
    columns: dict[str, str] = field(default_factory=dict)
    confirmed: str = ""
    suffix: str = ""
    names: str = ""
    adjusted: str = ""
    fact: str = ""
    checked: str = ""


@dataclass(frozen=True, slots=True)
class Question:
    """key: of Answers. options: (answer, what it means in this file). heading: of the column that is asked about, where it is one."""

    key: str
    ask: str
    options: list[tuple[str, str]]
    heading: str = ""


@dataclass(frozen=True)
class Known:
    """What is known of the market that files are read for. symbols: its instruments. weekdays: on which it has sessions, 0 for
    Monday; empty where
    nothing is stored. expected: the day of the next session, as 2024-06-28."""

    symbols: Collection[str] = ()
    load_sessions: Callable[[], tuple[Collection[int], str]] = lambda: ((), "")

    @cached_property
    def _sessions(self) -> tuple[Collection[int], str]:
        return self.load_sessions()

    @property
    def weekdays(self) -> Collection[int]:
        return self._sessions[0] or range(5)

    @property
    def expected(self) -> str:
        return self._sessions[1]


FLAGS = {
    "table": "--table", "dates": "--dates", "decimal": "--decimal", "zone": "--zone", "columns": "--columns", "confirmed": "--columns",
    "suffix": "--suffix", "names": "--names", "checked": "--checked",
}  # fmt: skip


class FileUnclear(PriceFileError):
    """A file that can be read two ways, and how a command is told which is meant."""

    def __init__(self, file: object, question: Question, headings: Sequence[tuple[str, str]] = ()) -> None:
        flag = FLAGS[question.key]
        if question.key == "confirmed":
            proposed = ",".join(name or "-" for _, name in headings)
            answers = f"`{flag} {proposed}` (one name a column, - for none)"
        elif question.key == "columns":
            answers = " or ".join(f'`{flag} "{question.heading}={answer or "-"}"` ({text})' for answer, text in question.options)
        elif question.options:
            answers = " or ".join(
                f"`{flag} {f'{chr(34)}{a}{chr(34)}' if ' ' in a else a}` ({text})" for a, text in question.options
            )
        else:
            answers = f"`{flag} ZONE`, for instance Europe/Helsinki"
        super().__init__(f"{file}: {question.ask} Answer with {answers}.")
        self.question = question
