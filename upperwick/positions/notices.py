"""What about a position wants to be dealt with: first on the desk, and on the bench, until it is."""

from collections.abc import Iterable
from typing import Any

from django.utils import timezone

from upperwick.base.errors import Refused
from upperwick.bench.items import items_of
from upperwick.bench.models import BenchItem, PositionNotice
from upperwick.outbox.mail import small_chart, tell
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment

KINDS = tuple(kind for kind, _ in PositionNotice.KINDS)


def level_key(price: float) -> str:
    """A price on the continuous scale as levels are known by, whatever rounding for a person made of it."""
    return f"{price:.6g}"


def raise_notice(
    item: BenchItem, market: Market, moment: Moment, kind: str, event: str, text: str, lines: list[str], number: int = 0,
    level: float | None = None, printed: float | None = None, message: bool = True,
) -> int:  # fmt: skip
    """A notice, and its message. To be called in a transaction. Returns how many messages were written."""
    _, new = PositionNotice.objects.get_or_create(
        item=item, kind=kind, event=event, number=number, level=level, moment=str(moment), defaults={"text": text[:300]}
    )
    if not new or not message:
        return 0
    chart = [(item.symbol, small_chart(market, item.symbol, moment, printed))]
    tell(
        item.owner, f"notice {item.id} {kind} {number} {event} {moment}", "position", str(moment), text, lines,
        place=f"/bench/{item.stage}/{item.id}", symbols=[item.symbol], charts=chart,
    )  # fmt: skip
    return 1


def settle(item: BenchItem, kinds: Iterable[str], but: Iterable[float] = ()) -> None:
    """What is said of some kinds was dealt with. but: levels, on the continuous scale, of which it was not."""
    kept = {level_key(level) for level in but}
    for notice in item.notices.filter(kind__in=list(kinds), settled__isnull=True):
        if notice.level is None or level_key(notice.level) not in kept:
            notice.settled = timezone.now()
            notice.save(update_fields=["settled"])


def dismiss(owner: Any, notice_id: int, back: bool = False) -> None:
    """Puts a notice away, or brings it back. Raises Refused."""
    mine = PositionNotice.objects.filter(id=notice_id, item__owner=owner, settled__isnull=not back)
    if not mine.update(settled=None if back else timezone.now()):
        raise Refused("There is no such notice; it may have been dealt with meanwhile.", 404)


def open_notices(owner: Any, item: BenchItem | None = None) -> list[dict[str, Any]]:
    """What wants to be dealt with, the gravest first."""
    of = PositionNotice.objects.filter(item__in=items_of(owner), settled__isnull=True).select_related("item")
    rows = list(of if item is None else of.filter(item=item))
    grave = {"stop": 0, "delisted": 1, "halt": 2, "target": 3}
    rows.sort(key=lambda n: (n.event == "near", grave[n.kind], -n.id))
    return [
        {
            "id": n.id, "item": n.item_id, "symbol": n.item.symbol, "stage": n.item.stage, "kind": n.kind, "event": n.event, "moment": n.moment,
            "text": n.text,
        }
        for n in rows
    ]  # fmt: skip
