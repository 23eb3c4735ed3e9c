"""Breadths kept by name: kept, changed, renamed, put away and brought back."""

from typing import Any

from django.db import transaction

from upperwick.base.errors import Refused
from upperwick.rules.models import Breadth, Rule
from upperwick.rules.naming import cleaned
from upperwick.rules.services import read_again_for, rules_of
from upperwick.rules.signals import breadth_renamed
from wickcore.language.named_texts import key_of, named_in, renamed_in
from wickcore.language.ready_breadths import READY

breadths_of = Breadth.of
find = Breadth.find


@transaction.atomic
def create(owner: Any, name: str, text: str, look: dict[str, Any]) -> Breadth:
    """Keeps a breadth under a name that is free. Raises Refused."""
    Breadth.check_size(text)
    Breadth.check_room(owner)
    name = cleaned(name)
    if not name:
        raise Refused("A breadth needs a name.", 422)
    _check_free(owner, name, None)
    made = Breadth.objects.create(owner=owner, name=name, text=text, look=look)
    read_again_for(owner, name)
    return made


@transaction.atomic
def change(found: Breadth, text: str, look: dict[str, Any], seen: str | None = None) -> Breadth:
    """Keeps another text and look under the same name. seen: the mark of the text on which the new one builds. Raises Refused (409) where
    another was kept since."""
    Breadth.check_size(text)
    found = Breadth.objects.select_for_update().get(id=found.id)
    if seen is not None and seen != found.mark and text != found.text:
        raise Refused("This breadth was kept elsewhere while you were at it; keep yours under another name, or open it again.", 409)
    found.text, found.look = text, look
    found.save()
    read_again_for(found.owner, found.name)
    return found


@transaction.atomic
def rename(found: Breadth, name: str) -> Breadth:
    """Gives the breadth another name, in the owner's rules and breadths that name it too. Raises Refused."""
    name = cleaned(name)
    if not name:
        raise Refused("A breadth needs a name.", 422)
    _check_free(found.owner, name, found.id)
    was, found.name = found.name, name
    found.save()
    for model in (Rule, Breadth):
        for other in model.objects.filter(owner=found.owner, text__contains=f'"{was}"'):
            if key_of(was) not in named_in(other.text):
                continue
            other.text = renamed_in(other.text, was, name)
            other.save()
            if model is Rule and (latest := other.versions.last()):
                latest.text = other.text
                latest.save(update_fields=["text"])
    breadth_renamed.send(Breadth, owner=found.owner, was=was, name=name)
    read_again_for(found.owner, was)
    read_again_for(found.owner, name)
    return found


@transaction.atomic
def delete(found: Breadth) -> None:
    """Puts the breadth away; `restore` brings it back."""
    found.put_away()
    read_again_for(found.owner, found.name)


@transaction.atomic
def restore(found: Breadth) -> Breadth:
    """Brings a deleted breadth back, under a free name."""
    name = Breadth.free_name(found.owner, found.name, READY)
    found.name, found.deleted = name, None
    found.save()
    read_again_for(found.owner, name)
    return found


def named_by(found: Breadth) -> list[str]:
    """The names of the owner's rules that name the breadth themselves."""
    rules = rules_of(found.owner).filter(text__contains=f'"{found.name}"')
    return [rule.name for rule in rules if key_of(found.name) in named_in(rule.text)]


def _check_free(owner: Any, name: str, own: int | None) -> None:
    if name in READY:
        raise Refused(f"“{name}” is the name of a breadth that is always there; choose another name.", 409)
    if breadths_of(owner).filter(name=name).exclude(id=own).exists():
        raise Refused(f"You have another breadth named “{name}”; choose another name.", 409)
