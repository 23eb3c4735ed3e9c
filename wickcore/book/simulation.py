"""A book over a market: checked, prepared, run, and what else can be asked of it on the same prices."""

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np

from wickcore.bars.bars import Bools
from wickcore.bars.moment import moment_of
from wickcore.book.cache import Memo
from wickcore.book.prepare import Prepared, Span, prepare, table_of
from wickcore.book.run import BookRun, run
from wickcore.book.settings import BookChoice
from wickcore.language.book import CheckedBook
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.limits import Limits
from wickcore.study.worth import survivors_only

Tell = Callable[[str, float], None]


@dataclass(frozen=True)
class Trial:
    """make: the book with some of its dials turned; `slots` is one even where the text has none of that name. members: by
    universe, on the bars
    of a table, None for all."""

    evaluator: Evaluator
    make: Callable[[dict[str, float]], CheckedBook]
    members: Callable[[str | None, str], Bools | None]
    choice: BookChoice
    book: CheckedBook = field(init=False)
    memo: Memo = field(default_factory=Memo, repr=False)

    def __post_init__(self) -> None:
        object.__setattr__(self, "book", self.make({}))

    @property
    def last(self) -> int:
        """The last day that is traded."""
        bars = self.evaluator.market.bars
        until = bars.last_day if self.choice.as_of is None else moment_of(self.choice.as_of).day
        return until if self.choice.last is None else min(until, self.choice.last)

    def prepared(
        self, book: CheckedBook | None = None, limits: Limits | None = None, *, delay: int = 0, survivors: bool = False,
        first: int | None = None, last: int | None = None,
    ) -> Prepared:  # fmt: skip
        """The book (or another made by `make`) over these prices. survivors: as if only today's members had ever been there. Raises
        ValueError and Stopped."""
        book = self.book if book is None else book
        table = table_of(book)

        def members(universe: str | None) -> Bools | None:
            found = self.members(universe, table)
            return survivors_only(self.evaluator.on(table), found, self.last) if survivors else found

        span = Span(self.choice.first if first is None else first, self.last if last is None else last, delay)
        return prepare(self.evaluator, book, span, members, self.choice.seed, limits, Memo() if survivors else self.memo)

    def run(self, limits: Limits | None = None) -> BookRun:
        """The run itself. Raises ValueError and Stopped."""
        return run(self.prepared(limits=limits), limits)


def without_signals(prepared: Prepared, gone: Bools) -> Prepared:
    """The same book without some of its signals. gone: by signal."""
    order = prepared.signals.order
    kept = order[~gone[order]]
    due = prepared.signals.each["due"][kept]
    first = np.searchsorted(due, np.arange(len(prepared.signals.first))).astype(np.int64)
    return Prepared(
        prepared.book, prepared.market, prepared.bars, prepared.tape, prepared.signals._replace(order=kept, first=first), prepared.programs,
        prepared.terms, prepared.covered_from,
    )  # fmt: skip
