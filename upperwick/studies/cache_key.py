"""What a study asks, as it is kept: all that its answer depends on besides the data."""

from dataclasses import replace
from typing import Any

import numpy as np

from upperwick.base.errors import Refused
from upperwick.jobs.services import digest_of
from upperwick.market.services import as_of_day, open_market
from upperwick.rules.checking import PreparedRule, prepared
from upperwick.rules.services import used_parts
from upperwick.studies.models import SealBreak
from wickcore.bars.moment import iso
from wickcore.language.rule import CheckedRule
from wickcore.study.seal import sealed_from
from wickcore.study.settings import StudySettings, chosen_from, tried_by
from wickcore.study.worth import survivors_only

Question = dict[str, Any]


def seal_day() -> int | None:
    """The first sealed session of the stored market; None in one with too short a history to keep any back."""
    return sealed_from(open_market().market.bars.sessions)


def question_of(owner: Any, rule: Any, body: dict[str, Any]) -> Question:
    """A study as asked, made whole: parts, evening, days and seal are written out. rule: whose text it is, None for one that is not kept.

    body: the request as JSON has it. Raises Refused for an evening before the market began.
    """
    market = open_market().market
    as_of = as_of_day(market, body["as_of"])
    seal = seal_day()
    broken = rule is not None and SealBreak.objects.filter(rule=rule).exists()
    return {
        "text": body["text"],
        "parts": used_parts(owner, body["text"], rule.name if rule else ""),
        "dials": body["dials"],
        "universe": body["universe"],
        "sealed_from": None if seal is None or as_of < seal else iso(seal),
        "unsealed": broken,
        **chosen_from(body),
        "as_of": iso(as_of),
    }


def day_of(said: str) -> int:
    """A date as days since 1970. Raises Refused."""
    try:
        return int(np.datetime64(said, "D").astype(int))
    except ValueError:
        raise Refused(f"`{said}` is not a date of the form 2024-06-28.") from None


def set_up(owner: Any, question: Question) -> tuple[PreparedRule, StudySettings]:
    """The question checked and set up: the rule over its members, and the settings, which end at the seal unless it is broken.

    Raises RuleError and Refused.
    """
    found = prepared(owner, question["text"], question["dials"], question["universe"], question["parts"])
    market = found.engine.market
    as_of = as_of_day(market, question["as_of"])
    if question["survivors"]:
        found = replace(found, members=survivors_only(found.engine, found.members, as_of))
    if question["sealed_from"] and not question["unsealed"]:
        as_of = int(market.bars.sessions[market.bars.session_on(day_of(question["sealed_from"]) - 1)])
    return found, StudySettings.model_validate({**chosen_from(question), "as_of": as_of})


def try_digest(rule: CheckedRule, universe: str, question: Question) -> str:
    """What makes a setting another try: what decides and how it is entered, not its name, its comments or its cost."""
    means = [sorted(line.op.key for line in rule.deciding), rule.frame, rule.side, rule.decide, universe]
    return digest_of(means, *tried_by(question), question["unsealed"])
