"""What can be done with rules: keep, version, name, delete and bring back."""

import re
from pathlib import Path
from typing import Any

from django.db import transaction
from django.utils import timezone

from upperwick.refused import Refused
from upperwick.rules.models import Rule, RuleVersion
from upperwick.rules.naming import name_in, with_name
from wickcore.language.check import check_rule
from wickcore.language.parser import MAX_CHARACTERS
from wickcore.language.problems import RuleError

STARTERS = Path(__file__).parent / "starters"
MOST_RULES = 2_000
_USE = re.compile(r'^\s*use "([^"]+)"', re.MULTILINE)


def rules_of(owner: Any) -> Any:
    """The owner's rules that are not deleted."""
    return Rule.objects.filter(owner=owner, deleted__isnull=True)


def find(owner: Any, rule_id: int, deleted: bool = False) -> Rule:
    """One rule of the owner. Raises Refused (404) for another's or none."""
    rule = Rule.objects.filter(owner=owner, id=rule_id, deleted__isnull=not deleted).first()
    if rule is None:
        raise Refused("There is no such rule.", 404)
    return rule


def parts_of(owner: Any) -> dict[str, str]:
    """Texts of the owner's rules by name, for `use`."""
    return dict(rules_of(owner).values_list("name", "text"))


def parts_for(owner: Any, text: str) -> dict[str, str]:
    """The parts a text may `use`; none are looked up for one that uses nothing."""
    return parts_of(owner) if "use " in text else {}


def used_parts(owner: Any, text: str, name: str = "") -> dict[str, str]:
    """The texts of the rules a text uses, directly or through others; nothing else of the owner's. name: its own, which is no part."""
    parts, found = parts_for(owner, text), {}  # type: dict[str, str], dict[str, str]
    waiting = _USE.findall(text)
    while waiting:
        part = waiting.pop()
        if part in parts and part not in found and part != name:
            found[part] = parts[part]
            waiting += _USE.findall(parts[part])
    return found


@transaction.atomic
def create(owner: Any, text: str, name: str = "") -> Rule:
    """Keeps a new rule as version 1. A taken name gets a number behind it."""
    _check_size(text)
    if rules_of(owner).count() >= MOST_RULES:
        raise Refused(f"An account holds at most {MOST_RULES:,} rules; delete some first.")
    name = _free_name(owner, name or name_in(text) or "Untitled rule")
    rule = Rule.objects.create(owner=owner, name=name, text=with_name(text, name))
    RuleVersion.objects.create(rule=rule, number=1, name=name, text=rule.text)
    return rule


@transaction.atomic
def save(rule: Rule, text: str) -> Rule:
    """Saves a text as the rule's next version; the same text again makes none. A rule may be saved with errors in it: nothing a
    person wrote is refused."""
    _check_size(text)
    name = name_in(text) or rule.name
    if name != rule.name:
        _check_name_free(rule, name)
    text = with_name(text, name)
    if text != rule.text:
        rule.name, rule.text = name, text
        rule.save()
        _add_version(rule)
    return rule


@transaction.atomic
def rename(rule: Rule, name: str) -> Rule:
    """Gives the rule another name, in its text too, and in the owner's rules that use it."""
    name = " ".join(name.split())[:120]
    if not name:
        raise Refused("A rule needs a name.")
    if '"' in name:
        raise Refused("A rule's name holds no quotes, so that other rules can use it by name.")
    _check_name_free(rule, name)
    old = rule.name
    rule.name, rule.text = name, with_name(rule.text, name)
    rule.save()
    _add_version(rule)
    for other in rules_of(rule.owner).filter(text__contains=f'use "{old}"'):
        other.text = other.text.replace(f'use "{old}"', f'use "{name}"')
        other.save()
        _add_version(other)
    return rule


def version_of(rule: Rule, text: str) -> int | None:
    """The number of the latest saved version that reads so, None for a text that is not saved."""
    found = rule.versions.filter(text=text).last()
    return found.number if found else None


def duplicate(rule: Rule) -> Rule:
    """A copy with its own history."""
    copy = create(rule.owner, rule.text, f"{rule.name[:100]} copy")
    copy.folder, copy.tags = rule.folder, rule.tags
    copy.save()
    return copy


def delete(rule: Rule) -> None:
    """Puts the rule away; `restore` brings it back with all its versions."""
    rule.deleted = timezone.now()
    rule.save(update_fields=["deleted"])


@transaction.atomic
def restore(rule: Rule) -> Rule:
    """Brings a deleted rule back, under a free name."""
    name = _free_name(rule.owner, rule.name)
    rule.deleted = None
    if name != rule.name:
        rule.name, rule.text = name, with_name(rule.text, name)
    rule.save()
    return rule


def plain_starters() -> dict[str, str]:
    """The starter rules that use no pattern, by name."""
    texts = [p.read_text(encoding="utf-8") for p in sorted(STARTERS.glob("*/*.rule")) if p.parent.name != "Patterns"]
    return {name_in(text): text for text in texts}


def add_starters(owner: Any) -> None:
    """Gives an account that never had a rule the starter rules."""
    if Rule.objects.filter(owner=owner).exists():
        return
    with transaction.atomic():
        for path in sorted(STARTERS.rglob("*.rule"), key=lambda p: p.name):
            rule = create(owner, path.read_text())
            rule.folder = path.parent.name
            rule.save()


def summary(rule: Rule) -> dict[str, Any]:
    """What the list of rules shows of one; reading it never fails on a rule with errors."""
    about, side, frame = "", "long", "day"
    try:
        checked = check_rule(rule.text, parts_for(rule.owner, rule.text))
        about, side, frame = checked.about, checked.side, checked.frame
        valid = True
    except RuleError:
        valid = False
        match = re.search(r"^about[ ]*:(.*)$", rule.text, re.MULTILINE)
        about = match.group(1).strip() if match else ""
    return {
        "id": rule.id, "name": rule.name, "about": about, "side": side, "bars": frame, "valid": valid, "saved": rule.saved,
        "version": rule.versions.count(), "folder": rule.folder, "tags": rule.tags, "shared": rule.share is not None,
    }  # fmt: skip


def _add_version(rule: Rule) -> None:
    latest = rule.versions.last()
    RuleVersion.objects.create(rule=rule, number=latest.number + 1 if latest else 1, name=rule.name, text=rule.text)


def _check_size(text: str) -> None:
    if len(text) > MAX_CHARACTERS:
        raise Refused(f"A rule is at most {MAX_CHARACTERS:,} characters; this one has {len(text):,}.")


def _check_name_free(rule: Rule, name: str) -> None:
    if rules_of(rule.owner).filter(name=name).exclude(id=rule.id).exists():
        raise Refused(f"You have another rule named “{name}”; choose another name.", 409)


def _free_name(owner: Any, wanted: str) -> str:
    taken = set(rules_of(owner).values_list("name", flat=True))
    name, number = wanted, 2
    while name in taken:
        name, number = f"{wanted[:110]} {number}", number + 1
    return name
