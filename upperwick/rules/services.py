"""What can be done with rules: keep, version, name, delete and bring back."""

from pathlib import Path
from typing import Any

from django.db import transaction
from django.db.models import Count, Q

from upperwick.base.errors import Refused
from upperwick.market.starters import at_home
from upperwick.rules.models import Breadth, Rule
from upperwick.rules.naming import cleaned, name_in, same_but_name, with_name
from upperwick.rules.signals import renamed
from upperwick.rules.summary import read_again, reading, summary
from wickcore.language.named_texts import key_of, those_used

STARTERS = Path(__file__).parent / "starters"


rules_of = Rule.of
find = Rule.find


def parts_of(owner: Any) -> dict[str, str]:
    """Texts of what the owner's rules can name: their rules and breadths (wickcore.language.named_texts)."""
    kept = Breadth.objects.filter(owner=owner, deleted__isnull=True).values_list("name", "text")
    return {**dict(rules_of(owner).values_list("name", "text")), **{key_of(name): text for name, text in kept}}


def parts_for(owner: Any, text: str) -> dict[str, str]:
    """The parts a text may name; none are looked up for one that names nothing."""
    return parts_of(owner) if "use " in text or "breadth" in text else {}


def used_parts(owner: Any, text: str, name: str = "") -> dict[str, str]:
    """The texts of what a text names, directly or through others; nothing else of the owner's. name: its own, which is no part."""
    return those_used(text, parts_for(owner, text), [name])


@transaction.atomic
def create(owner: Any, text: str, name: str = "") -> Rule:
    """Keeps a new rule as version 1. A taken name gets a number behind it."""
    Rule.check_size(text)
    Rule.check_room(owner)
    name = Rule.free_name(owner, cleaned(name) or cleaned(name_in(text)) or "Untitled rule")
    text = with_name(text, name)
    rule = Rule.objects.create(owner=owner, name=name, text=text, read=reading(text, parts_for(owner, text)))
    rule.add_version()
    _users_read_again(owner, name)
    return rule


@transaction.atomic
def save(rule: Rule, text: str, seen: str | None = None) -> Rule:
    """Saves a text as the rule's next version; the same text again, or under another name, makes none. A rule may be saved with errors in
    it: nothing a person wrote is refused.

    seen: the mark of the text on which the new one builds. Raises Refused (409), with the rule as it is now as `theirs`, where another
    text was saved since.
    """
    Rule.check_size(text)
    rule = Rule.objects.select_for_update().get(id=rule.id)
    name = cleaned(name_in(text)) or rule.name
    text = with_name(text, name)
    if text == rule.text:
        return rule
    if seen is not None and seen != rule.mark:
        raise Refused("This rule was saved elsewhere while you were writing.", 409, theirs=detail(rule))
    if name != rule.name:
        rule.check_name_free(name)
    if same_but_name(text, rule.text):
        return rename(rule, name)
    was, rule.name, rule.text = rule.name, name, text
    rule.read = reading(text, parts_for(rule.owner, text))
    rule.save()
    rule.add_version()
    if was != name:
        _use_by(rule.owner, was, name)
    _users_read_again(rule.owner, name)
    return rule


@transaction.atomic
def rename(rule: Rule, name: str) -> Rule:
    """Gives the rule another name, in its text too, and in the owner's rules that use it. No version is made of that: what the rule says
    is as it was, and its latest version bears the new name."""
    if '"' in name:
        raise Refused("A rule's name holds no quotes, so that other rules can use it by name.")
    name = cleaned(name)
    if not name:
        raise Refused("A rule needs a name.")
    rule.check_name_free(name)
    was, rule.name = rule.name, name
    _reworded(rule, with_name(rule.text, name))
    _use_by(rule.owner, was, name)
    _users_read_again(rule.owner, was, name)
    return rule


def _use_by(owner: Any, was: str, name: str) -> None:
    """The owner's rules that use a rule by its former name use it by its new one."""
    for other in rules_of(owner).filter(text__contains=f'use "{was}"'):
        _reworded(other, other.text.replace(f'use "{was}"', f'use "{name}"'))
    renamed.send(Rule, owner=owner, was=was, name=name)


def _reworded(rule: Rule, text: str) -> None:
    """The same rule in other words: its latest version is worded so too."""
    rule.text = text
    rule.read = reading(text, parts_for(rule.owner, text))
    rule.save()
    rule.reword_latest()


def _users_read_again(owner: Any, *names: str) -> None:
    """What uses a rule may be right or wrong once that is another."""
    seen: set[str] = set()
    waiting = list(names)
    while waiting:
        name = waiting.pop()
        if name in seen:
            continue
        seen.add(name)
        for other in rules_of(owner).filter(text__contains=f'use "{name}"'):
            read_again(other, parts_of(owner))
            waiting.append(other.name)


def read_again_for(owner: Any, breadth: str) -> None:
    """What names a breadth, directly or through others, may be right or wrong once that is another."""
    parts = parts_of(owner)
    for rule in rules_of(owner).filter(Q(text__contains="breadth") | Q(text__contains="use ")):
        if key_of(breadth) in those_used(rule.text, {**parts, key_of(breadth): ""}):
            read_again(rule, parts)


def duplicate(rule: Rule) -> Rule:
    """A copy with its own history."""
    copy = create(rule.owner, rule.text, f"{rule.name[:100]} copy")
    copy.folder, copy.tags = rule.folder, rule.tags
    copy.save()
    return copy


def delete(rule: Rule) -> None:
    """Puts the rule away; `restore` brings it back with all its versions."""
    rule.put_away()
    _users_read_again(rule.owner, rule.name)


@transaction.atomic
def restore(rule: Rule) -> Rule:
    """Brings a deleted rule back, under a free name."""
    name = Rule.free_name(rule.owner, rule.name)
    rule.deleted = None
    if name != rule.name:
        rule.name, rule.text = name, with_name(rule.text, name)
    rule.read = reading(rule.text, parts_for(rule.owner, rule.text))
    rule.save()
    _users_read_again(rule.owner, name)
    return rule


def detail(rule: Rule) -> dict[str, Any]:
    """A rule as it is opened."""
    return {**summary(rule, parts_of), "text": rule.text, "share": rule.share, "mark": rule.mark, "table": rule.table}


def listed(owner: Any, offset: int, limit: int) -> list[dict[str, Any]]:
    """The owner's rules by name, as the list shows them."""
    page = rules_of(owner).annotate(versions_kept=Count("versions"))[offset : offset + limit]
    return [summary(rule, parts_of) for rule in page]


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
            rule = create(owner, at_home(path.read_text()))
            rule.folder = path.parent.name
            rule.save()
