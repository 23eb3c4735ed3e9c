"""Lists of an account: kept, changed, put away and brought back; and universes made of them."""

import hashlib
from typing import Any

from django.db import transaction

from upperwick.base.errors import Refused
from upperwick.bench.models import STAGES, BenchItem, BenchList
from upperwick.market.services import no_universe
from wickcore.bars.market import Market
from wickcore.bars.universe import UnknownUniverse, read_universe

MOST_SYMBOLS = 10_000
LIST_KEY = "~"  # what the core calls a list begins so, and no name of a list or universe does


lists_of = BenchList.of
find = BenchList.find


@transaction.atomic
def keep(owner: Any, market: Market, name: str, symbols: list[str]) -> BenchList:
    """Keeps a list under its name; one of the same name is replaced, and the answer says what it held.

    Raises Refused naming symbols the market does not hold.
    """
    name = " ".join(name.split())[:80]
    if not name:
        raise Refused("A list needs a name.", 422)
    if name in STAGES:
        raise Refused(f"“{name}” is a stage of the bench, and a universe by itself; choose another name.", 422)
    if name in market.universes or name.startswith(LIST_KEY) or any(c in name for c in '"#:'):
        raise Refused(f"“{name}” cannot name a list: it is a universe's name, or holds one of \" # :", 422)
    unique = list(dict.fromkeys(s.strip().upper() for s in symbols if s.strip()))
    if len(unique) > MOST_SYMBOLS:
        raise Refused(f"A list holds at most {MOST_SYMBOLS:,} symbols.", 422)
    unknown = [s for s in unique if s not in market.bars.number]
    if unknown:
        raise Refused(f"The market holds no instrument {', '.join(unknown[:5])}{' …' if len(unknown) > 5 else ''}.", 422)
    if lists_of(owner).exclude(name=name).count() >= BenchList.most:
        raise Refused(f"An account holds at most {BenchList.most} lists; delete some first.", 422)
    kept = lists_of(owner).filter(name=name).first()
    replaced = kept.symbols if kept else None
    kept = kept or BenchList(owner=owner, name=name)
    kept.symbols, kept.replaced = unique, replaced
    kept.save()
    return kept


def delete(found: BenchList) -> None:
    """Puts the list away; `restore` brings it back."""
    found.put_away()


def restore(found: BenchList) -> BenchList:
    """Brings a deleted list back, under a free name."""
    found.name, found.deleted = BenchList.free_name(found.owner, found.name), None
    found.save()
    return found


def on_stages(owner: Any) -> dict[str, list[str]]:
    """The symbols on each stage of the owner's bench: universes like lists."""
    found: dict[str, list[str]] = {stage: [] for stage in STAGES}
    for stage, symbol in BenchItem.objects.filter(owner=owner, deleted__isnull=True).order_by("id").values_list("stage", "symbol"):
        found[stage].append(symbol)
    return found


def universe_key(owner: Any, market: Market, text: str | None) -> tuple[str, list[str]]:
    """What the core calls the universe a person wrote, and the names of their lists in it; "" for all instruments.

    A list's key is made of its symbols, so that what is computed over a list never outlives a change of it. Raises Refused.
    """
    if not text or not text.strip():
        return "", []
    own = {**on_stages(owner), **{found.name: found.symbols for found in lists_of(owner)}}
    try:
        parts = read_universe(text, market.universes.keys() | own.keys())
    except UnknownUniverse as unknown:
        raise no_universe(market, unknown, own) from None
    words, used = [], []
    for join, name in parts:
        key = name
        if name not in market.universes:
            key = LIST_KEY + hashlib.blake2b(",".join(own[name]).encode(), digest_size=8).hexdigest()
            market.add_list(key, own[name])
            used.append(name)
        words += [join, key] if join else [key]
    return " ".join(words), used
