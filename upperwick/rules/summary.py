"""What the list of rules shows of each: read when a rule is saved, and kept beside it, so that listing hundreds reads none anew."""

import re
from collections.abc import Callable, Mapping
from functools import lru_cache
from typing import Any

from upperwick.base.kernels import state_of_core
from upperwick.rules.models import Rule
from wickcore.bars.frame_names import FRAMES
from wickcore.language.check import check_rule
from wickcore.language.problems import RuleError


@lru_cache(maxsize=1)
def _core() -> str:
    """What a text means depends on the core that reads it: after an update all are read anew, once."""
    return state_of_core()


def reading(text: str, parts: Mapping[str, str]) -> dict[str, Any]:
    """What a text says of itself, and whether it is free of errors; a rule with errors is read as far as that goes."""
    try:
        # Of any market: one that has no bars within the day says so where the rule is counted.
        checked = check_rule(text, parts, base=FRAMES[0])
        said = {"about": checked.about, "side": checked.side, "bars": checked.frame, "valid": True}
    except RuleError:
        match = re.search(r"^about[ ]*:(.*)$", text, re.MULTILINE)
        said = {"about": match.group(1).strip() if match else "", "side": "long", "bars": "day", "valid": False}
    return {**said, "core": _core()}


def read_again(rule: Rule, parts: Mapping[str, str]) -> None:
    """Keeps what a rule is read as now. Nothing a person did: when it was saved stays."""
    now = reading(rule.text, parts)
    if now != rule.read:
        Rule.objects.filter(id=rule.id).update(read=now)


def read_all_again(parts_of: Callable[[Any], Mapping[str, str]]) -> int:
    """Reads anew what another core has read; returns how many rules. To be called where a server or worker begins."""
    kept = Rule.objects.filter(deleted__isnull=True).values_list("id", "read")
    stale = [number for number, read in kept if read.get("core") != _core()]
    parts: dict[int, Mapping[str, str]] = {}
    for number in stale:
        rule = Rule.objects.get(id=number)
        if rule.owner_id not in parts:
            parts[rule.owner_id] = parts_of(rule.owner_id)
        read_again(rule, parts[rule.owner_id])
    return len(stale)


def summary(rule: Rule, parts_of: Callable[[Any], Mapping[str, str]]) -> dict[str, Any]:
    """What the list of rules shows of one; reading it never fails on a rule with errors, and writes nothing."""
    read = rule.read if rule.read.get("core") == _core() else reading(rule.text, parts_of(rule.owner))
    kept = getattr(rule, "versions_kept", None)
    return {
        "id": rule.id, "name": rule.name, "about": read["about"], "side": read["side"], "bars": read["bars"], "valid": read["valid"],
        "saved": rule.saved, "version": rule.versions.count() if kept is None else kept, "folder": rule.folder, "tags": rule.tags,
        "shared": rule.share is not None,
    }  # fmt: skip
