"""The bench: instruments put on it, moved from stage to stage, noted on, dropped and brought back; all of it written down."""

from typing import Any

from django.db import transaction
from django.utils import timezone

from upperwick.base.errors import Refused
from upperwick.bench.models import STAGES, BenchEvent, BenchItem
from upperwick.market.services import as_of_moment, open_market
from wickcore.language.problems import nearest

MOST_ITEMS = 2_000


def items_of(owner: Any) -> Any:
    """The owner's items that are not dropped."""
    return BenchItem.objects.filter(owner=owner, deleted__isnull=True)


def find(owner: Any, item_id: int, deleted: bool = False) -> BenchItem:
    """Raises Refused (404) for another's or none."""
    found = BenchItem.objects.filter(owner=owner, id=item_id, deleted__isnull=not deleted).first()
    if found is None:
        raise Refused("There is no such item on the bench.", 404)
    return found


@transaction.atomic
def put(owner: Any, symbol: str, as_of: str | None, rule: dict[str, Any] | None) -> tuple[BenchItem, bool]:
    """Puts an instrument on the bench, shortlisted; one that is there already stays where it is. Returns whether it is new. Raises Refused."""
    market = open_market().market
    symbol = symbol.strip().upper()
    if symbol not in market.bars.number:
        near = nearest(symbol, market.bars.symbols)
        raise Refused(f"There is no instrument {symbol}{f'; did you mean {near}?' if near else '.'}", 422)
    there = items_of(owner).exclude(stage="closed").filter(symbol=symbol).first()
    if there is not None:
        return there, False
    if items_of(owner).count() >= MOST_ITEMS:
        raise Refused(f"A bench holds at most {MOST_ITEMS:,} items; drop some first.")
    moment = str(as_of_moment(market, as_of))
    told = rule or {}
    made = BenchItem.objects.create(
        owner=owner, symbol=symbol, since=moment, moved=moment, rule=told.get("id"), rule_name=told.get("name", ""), version=told.get("version"),
    )  # fmt: skip
    by = f"by “{told['name']}”" + (f", version {told['version']}" if told.get("version") else "") if told else ""
    BenchEvent.objects.create(item=made, kind="added", moment=moment, text=by)
    return made, True


@transaction.atomic
def move(item: BenchItem, stage: str, as_of: str | None) -> BenchItem:
    """To another stage. Raises Refused for one that does not exist, or where the instrument is on the bench already."""
    if stage not in STAGES:
        raise Refused(f"A stage is one of {', '.join(STAGES)}.", 422)
    if stage == item.stage:
        return item
    others = items_of(item.owner).exclude(id=item.id).exclude(stage="closed").filter(symbol=item.symbol)
    if item.stage == "closed" and others.exists():
        raise Refused(f"{item.symbol} is on the bench again already.", 409)
    was, item.stage = item.stage, stage
    item.moved = str(as_of_moment(open_market().market, as_of))
    item.save()
    BenchEvent.objects.create(item=item, kind="moved", moment=item.moved, text=f"from {was} to {stage}")
    return item


@transaction.atomic
def note(item: BenchItem, text: str, as_of: str | None) -> BenchEvent:
    """A note with its moment. Raises Refused for an empty one."""
    if not text.strip():
        raise Refused("A note says something.", 422)
    moment = str(as_of_moment(open_market().market, as_of))
    return BenchEvent.objects.create(item=item, kind="note", moment=moment, text=text.strip()[:2_000])


@transaction.atomic
def drop(item: BenchItem) -> None:
    """Takes it off the bench; `bring_back` undoes that."""
    item.deleted = timezone.now()
    item.save(update_fields=["deleted"])
    BenchEvent.objects.create(item=item, kind="dropped", moment=item.moved)


@transaction.atomic
def bring_back(item: BenchItem) -> BenchItem:
    """Raises Refused where the instrument was put on the bench again meanwhile."""
    if item.stage != "closed" and items_of(item.owner).exclude(stage="closed").filter(symbol=item.symbol).exists():
        raise Refused(f"{item.symbol} is on the bench again already.", 409)
    item.deleted = None
    item.save(update_fields=["deleted"])
    BenchEvent.objects.create(item=item, kind="restored", moment=item.moved)
    return item
