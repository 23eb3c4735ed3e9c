"""Who hits, for the worker's look: all rules that it will ask about are worked out together, a portion at a time, and kept for that look."""

from collections import Counter
from collections.abc import Iterable
from typing import Any

from upperwick.base.errors import Refused
from upperwick.bench.lists import LIST_KEY
from upperwick.rules.checking import PreparedRule, prepared
from wickcore.bars.bars import Bools
from wickcore.bars.moment import Moment
from wickcore.language.problems import RuleError
from wickcore.scan.evaluate import Evaluator
from wickcore.scan.limits import Limits, Stopped
from wickcore.scan.many import Asked, Found, scan_many, scan_one
from wickcore.scan.many_closes import scan_closes
from wickcore.scan.scan import scan

LONGEST_SCAN = 60.0
FEW_CLOSES = 4  # that came at once, from which on a rule is worked out for all of them together
MANY = 10  # times from which on a rule that is asked about single instruments is worked out for all of them
PORTION = (
    200  # rules that are worked out in one pass, which share most of the work; what was found of them can be shown before the next
)
LEAST = 50
Question = tuple[int, str, str]  # of an owner, a rule's text and the universe it is asked on, "" for its own


class PastCloses:
    """What rules found at closes that came at once: each is worked out over the history once."""

    def __init__(self, closes: list[Moment]) -> None:
        self._closes = closes
        self._found: dict[Question, dict[Moment, Found]] = {}

    def found(self, owner: Any, text: str, universe: str | None, moment: Moment) -> Found | None:
        """None where it has to be asked for by itself. Raises RuleError and Refused."""
        if len(self._closes) < FEW_CLOSES or moment not in self._closes:
            return None
        question = owner.pk, text, universe or ""
        if question not in self._found:
            of = prepared(owner, text, None, universe, as_of=str(moment))
            if universe_is_list(of):  # its members may be others by the next evening
                self._found[question] = {}
                return None
            try:
                found = scan_closes(of.engine, Asked(of.rule, of.members), self._closes, Limits(LONGEST_SCAN))
            except Stopped:
                found = None
            self._found[question] = dict(zip(self._closes, found, strict=True)) if found is not None else {}
        return self._found[question].get(moment)


def universe_is_list(of: PreparedRule) -> bool:
    """Whether a rule is asked on a list of its owner's, or names one."""
    return bool(of.lists) or any(LIST_KEY in part for part in of.parts.values())


class Scans:
    """What rules find at one moment, asked for again and again."""

    def __init__(self, moment: Moment, past: PastCloses | None = None) -> None:
        self.moment, self._past = moment, past or PastCloses([])
        self._found: dict[Question, Found] = {}
        self._waiting: dict[Question, Any] = {}
        self._times: Counter[Question] = Counter()
        self._rules: dict[Question, PreparedRule] = {}

    def expect(self, questions: Iterable[tuple[Any, str, str | None]]) -> None:
        """What will be asked: owner, text, universe."""
        for owner, text, universe in questions:
            question = owner.pk, text, universe or ""
            self._waiting.setdefault(question, owner)
            self._times[question] += 1

    def hits(self, owner: Any, text: str, universe: str | None) -> Found:
        """Who hits. Raises RuleError, Refused and Stopped."""
        question = owner.pk, text, universe or ""
        if question not in self._found and (known := self._past.found(owner, text, universe, self.moment)) is not None:
            self._found[question] = known
        if question not in self._found and question in self._waiting:
            self._portion(question)
        if question not in self._found:  # it was not expected, or failed among the others: its own error is to be said
            self._found[question] = found_alone(owner, text, universe, self.moment)
        return self._found[question]

    def one(self, owner: Any, text: str, symbol: str) -> tuple[bool, bool]:
        """Whether one instrument is a hit, and a fresh one. Raises RuleError, Refused and Stopped."""
        question = owner.pk, text, ""
        if question not in self._found and self._times[question] < MANY:
            of = self._prepared(owner, text, None)
            alone = scan_one(of.engine, Asked(of.rule, of.members), symbol, self.moment, Limits(LONGEST_SCAN))
            if alone is not None:
                return alone
        found = self.hits(owner, text, None)
        return symbol in found.hits, symbol in found.fresh

    def _prepared(self, owner: Any, text: str, universe: str | None) -> PreparedRule:
        question = owner.pk, text, universe or ""
        if question not in self._rules:
            self._rules[question] = prepared(owner, text, None, universe, as_of=str(self.moment))
        return self._rules[question]

    def _portion(self, first: Question) -> None:
        """Works out one that is asked for, together with others that will be."""
        # Those whose texts are alike share the most.
        order = sorted(self._waiting, key=lambda question: question[1])
        at = min(order.index(first), max(len(order) - PORTION, 0))
        part = order[at : at + PORTION]
        asked: list[tuple[Question, Asked]] = []
        engine: Evaluator | None = None
        masks: dict[tuple[str, str], Bools | None] = {}  # fifty rules on one universe hold its marks once
        for question in part:
            owner = self._waiting.pop(question)
            try:
                of = self._prepared(owner, question[1], question[2] or None)
            except (RuleError, Refused, ValueError):
                continue
            engine = of.engine
            asked.append((question, Asked(of.rule, masks.setdefault((of.key, engine.table), of.members))))
        if engine is None:
            return
        self._together(engine, asked)

    def _together(self, engine: Evaluator, asked: list[tuple[Question, Asked]]) -> None:
        """In halves where it is too much at once; few that are too much still are left to be asked one by one."""
        try:
            found = scan_many(engine, [one for _, one in asked], self.moment, Limits(LONGEST_SCAN))
        except Stopped:
            if len(asked) > LEAST:
                self._together(engine, asked[: len(asked) // 2])
                self._together(engine, asked[len(asked) // 2 :])
            return
        self._found.update(zip((question for question, _ in asked), found, strict=True))


class ScansByMoment:
    """Scans of a look: one a moment. rules: those that it read, by owner and id."""

    def __init__(self, past: PastCloses | None = None) -> None:
        self._of: dict[Moment, Scans] = {}
        self._past = past
        self.rules: dict[tuple[int, int], Any] = {}

    def at(self, moment: Moment) -> Scans:
        return self._of.setdefault(moment, Scans(moment, self._past))


def found_alone(owner: Any, text: str, universe: str | None, moment: Moment) -> Found:
    """Who hits a rule at a moment, by a scan of its own. Raises RuleError, Refused and Stopped."""
    of = prepared(owner, text, None, universe, as_of=str(moment))
    made = scan(of.engine, of.rule, moment, of.members, Limits(LONGEST_SCAN), ever=False, runs=False)
    return Found(tuple(h.symbol for h in made.hits), tuple(h.symbol for h in made.hits if h.fresh), made.scanned)
