"""Fills from a broker's file: read and remembered like prices, shown before they are taken, taken once, undone together."""

import hashlib
import tempfile
from collections import Counter
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from django.db import transaction
from django.utils import timezone

from upperwick.base.errors import Refused
from upperwick.bench.items import drop, items_of, put
from upperwick.bench.models import BenchItem, Fill, FillImport
from upperwick.data import vendors
from upperwick.data.reading.answers import Answers
from upperwick.data.reading.batch import GroupRead
from upperwick.data.reading.endings import PRICE_FILES
from upperwick.data.reading.headings import plain_heading
from upperwick.data.reading.source import PriceFileError
from upperwick.data.reading.tables import FILLS
from upperwick.market.services import open_market
from upperwick.positions.fills import enter, strike
from wickcore.bars.moment import iso, read_moment

SHOWN = ("number", "symbol", "day", "action", "shares", "price", "cost", "state", "why")
MAX_BYTES, MAX_ROWS = 5_000_000, 5_000
ROUNDED = 0.01  # by so much a price that a person typed may differ from the broker's
# Common practice: how brokers write what was done, in a few languages; compared in small letters.
WORDS_OF = {
    "buy": "buy, b, bot, bought, bto, buy to open, kauf, achat, compra, kop",
    "sell": "sell, s, sld, sold, stc, sell to close, verkauf, vente, venta, salj",
    "short": "short, ss, sell short, sold short, sto, sell to open, leerverkauf",
    "cover": "cover, btc, buy to cover, buy to close, bought back, eindeckung",
}
ACTIONS = {word: action for action, words in WORDS_OF.items() for word in words.split(", ")}


@dataclass(slots=True)
class FillRow:
    """A row of the file. state: `new`, `known` (taken before, or entered by hand) or `bad`. why: what is wrong or odd about it."""

    number: int
    symbol: str
    day: str
    action: str
    shares: float
    price: float
    cost: float
    key: str
    state: str = "new"
    why: str = ""


class _Preview(Exception):
    """Ends a transaction whose outcome was only to be seen."""


def read_fills(owner: Any, name: str, content: bytes, answers: Answers, take: bool, shorts: bool, skip_bad: bool) -> dict[str, Any]:
    """What a broker's file holds and what taking it would do; or takes it. shorts: sales of what is not held are short sales. Raises Refused."""
    if len(content) > MAX_BYTES:
        raise Refused(
            f"The file has {len(content) / 1e6:,.1f} MB; at most {MAX_BYTES / 1e6:.0f} MB of fills are taken at once.", 413
        )
    ending = Path(name).suffix.lower()
    if ending not in PRICE_FILES:
        raise Refused(f"{name[:100]} is none of the files that are understood: {', '.join(PRICE_FILES)}.", 422)
    with tempfile.TemporaryDirectory(prefix="upperwick-") as room:
        path = Path(room) / (name.replace("/", "_")[-120:] or f"fills{ending}")
        path.write_bytes(content)
        try:
            read = vendors.read_files([path], vendors.with_table(answers, FILLS.name), lenient=True)
        except PriceFileError as error:
            raise Refused(str(error).replace(f"{room}/", ""), 422) from None
    (group,) = read.groups
    if group.questions:
        return _shown(group, [], None, read.bad)
    rows = _rows(owner, read.rows.get(FILLS.name, []))
    if len(rows) > MAX_ROWS:
        raise Refused(f"The file has {len(rows):,} fills; at most {MAX_ROWS:,} are taken at once.", 422)
    bad_lines = list(read.bad)
    made = None
    try:
        with transaction.atomic():
            one = FillImport.objects.create(owner=owner, name=name[:200])
            _take(owner, one, rows, shorts)
            wrong = bool(bad_lines) or any(row.state == "bad" for row in rows)
            if not take or (wrong and not skip_bad):
                raise _Preview
            if not any(row.state == "new" for row in rows):
                raise Refused("Every fill of the file was taken before; nothing is new.", 409)
            made = one
    except _Preview:
        if take:
            count = len(bad_lines) + sum(row.state == "bad" for row in rows)
            raise Refused(
                f"{count} row{'' if count == 1 else 's'} cannot be taken; nothing was. Leave them out, or mend the file.", 422
            ) from None
    if made is not None:
        vendors.remember(read)
    return _shown(group, rows, made, bad_lines)


def _shown(group: GroupRead, rows: list[FillRow], made: FillImport | None, bad: list[str]) -> dict[str, Any]:
    return {
        "name": group.name, "vendor": group.vendor, "dates": group.dates, "decimal": group.decimal, "first": group.first,
        "columns": [{"heading": h, "name": n} for h, n in group.headings],
        "questions": [
            {"key": q.key, "ask": q.ask, "heading": q.heading, "options": [{"answer": a, "said": s} for a, s in q.options]}
            for q in group.questions
        ],
        "rows": [{name: getattr(row, name) for name in SHOWN} for row in rows],
        "new": sum(row.state == "new" for row in rows), "known": sum(row.state == "known" for row in rows),
        "bad": bad, "made": None if made is None else made.id,
    }  # fmt: skip


def _rows(owner: Any, given: list[dict[str, Any]]) -> list[FillRow]:
    """The rows in the order of their days, each with what it is known again by: the broker's number, or all that it says; of rows that say the
    same, how many there were before it in the file."""
    rows, times = [], Counter[str]()
    for number, row in enumerate(given, 1):
        shares, price, cost = float(row["shares"]), float(row["price"]), abs(float(row.get("cost", 0.0)))
        said = str(row.get("action", "")).strip().lower()
        action = ACTIONS.get(plain_heading(said).replace("_", " ")) if said else ("sell" if shares < 0 else "buy")
        identity = f"{row['symbol']}|{row['day']}|{said}|{shares:.10g}|{price:.10g}|{cost:.10g}|{row.get('reference', '')}"
        times[identity] += 1
        key = hashlib.blake2b(f"{identity}|{times[identity]}".encode(), digest_size=16).hexdigest()
        one = FillRow(number, row["symbol"], iso(row["day"]), action or said, abs(shares), price, cost, key)
        if action is None:
            one.state, one.why = "bad", f"`{row.get('action')}` is none of buy, sell, short, cover"
        elif not one.shares > 0 or not price > 0:
            one.state, one.why = "bad", "shares and price are above zero"
        rows.append(one)
    known = set(
        Fill.objects.filter(item__owner=owner, deleted__isnull=True, key__in=[r.key for r in rows]).values_list("key", flat=True)
    )
    by_hand = list(Fill.objects.filter(item__owner=owner, deleted__isnull=True, paper=False, imported=None).select_related("item"))
    for one in rows:
        if one.key in known:
            one.state = "known"
        elif one.state == "new" and (same := next((f for f in by_hand if _is_same(one, f)), None)) is not None:
            by_hand.remove(same)  # each stands for one row
            one.state, one.why = "known", "entered by hand before"
    order = {"buy": 0, "short": 0, "sell": 1, "cover": 1}
    return sorted(rows, key=lambda r: (r.day, r.symbol, order.get(r.action, 2), r.number))


def _is_same(row: FillRow, fill: Fill) -> bool:
    """Whether a row of the file is what was entered by hand: the same shares on the same day, and the price but for its rounding."""
    adds = ("buy", "cover")
    return (
        fill.item.symbol == row.symbol and fill.moment[:10] == row.day and (fill.action in adds) == (row.action in adds)
        and abs(fill.shares - row.shares) < 1e-6 and abs(fill.price - row.price) <= ROUNDED
    )  # fmt: skip


def _take(owner: Any, one: FillImport, rows: list[FillRow], shorts: bool) -> None:
    """Takes the new rows; those that cannot be are marked."""
    market = open_market().market
    latest = market.standing(market.latest)
    for row in rows:
        if row.state != "new":
            continue
        if row.symbol not in market.bars.number:
            row.state, row.why = "bad", f"the market holds no {row.symbol}"
            continue
        if read_moment(row.day).day > latest.day:
            row.state, row.why = "bad", f"it lies after the latest day with prices, {iso(latest.day)}"
            continue
        try:
            with transaction.atomic():
                item, new = _item_for(owner, row.symbol)
                action = row.action
                if action == "sell" and _nothing_held(item):
                    if not shorts:
                        raise Refused("nothing was held to sell; if it was sold short, say so")
                    action = row.action = "short"
                elif action == "buy" and _is_short(item):
                    action = row.action = "cover"
                fill, row.why = enter(
                    item, {"action": action, "shares": row.shares, "price": row.price, "cost": row.cost, "day": row.day}
                )
                fill.imported, fill.key = one, row.key
                fill.save(update_fields=["imported", "key"])
                if new:
                    one.made = [*one.made, item.id]
        except Refused as error:
            row.state, row.why = "bad", error.detail
    one.save(update_fields=["made"])


def _item_for(owner: Any, symbol: str) -> tuple[BenchItem, bool]:
    """The item that a fill is of: the one on the bench that is not closed, else a new one."""
    there = items_of(owner).exclude(stage="closed").filter(symbol=symbol).first()
    return (there, False) if there is not None else put(owner, symbol, None, None)


def _held(item: BenchItem) -> tuple[float, str]:
    fills = list(item.fills.filter(deleted__isnull=True))
    total = sum(f.shares * (1 if f.action in ("buy", "short") else -1) for f in fills)
    return total, fills[0].action if fills else ""


def _nothing_held(item: BenchItem) -> bool:
    return _held(item)[0] <= 0


def _is_short(item: BenchItem) -> bool:
    total, first = _held(item)
    return total > 0 and first == "short"


@transaction.atomic
def undo_import(owner: Any, import_id: int) -> None:
    """Takes the fills of one file back, and off the bench what it put there. Raises Refused."""
    one = FillImport.objects.filter(owner=owner, id=import_id, undone__isnull=True).first()
    if one is None:
        raise Refused("There is no such import of fills; it may have been undone already.", 404)
    by_item: dict[int, list[Fill]] = {}
    for fill in one.fills.filter(deleted__isnull=True).select_related("item").order_by("-id"):
        by_item.setdefault(fill.item_id, []).append(fill)
    for fills in by_item.values():
        item = BenchItem.objects.get(id=fills[0].item_id)
        for fill in fills:
            strike(item, fill)
            item.refresh_from_db()
        if item.id in one.made and not item.fills.filter(deleted__isnull=True).exists():
            drop(item)
    one.undone = timezone.now()
    one.save(update_fields=["undone"])


def imports_of(owner: Any) -> list[dict[str, Any]]:
    """The latest imports of fills that are not undone."""
    found = FillImport.objects.filter(owner=owner, undone__isnull=True)[:20]
    return [
        {"id": one.id, "at": one.at, "name": one.name, "fills": one.fills.filter(deleted__isnull=True).count()} for one in found
    ]
