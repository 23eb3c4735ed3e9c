"""Bars into the database. What one import brings is there at once, or not at all."""

from collections import defaultdict
from collections.abc import Callable, Iterable, Iterator
from datetime import date
from typing import Any

from django.db import transaction

from upperwick.base.processes import in_front
from upperwick.market.columns.prefetch import copying
from upperwick.market.merging import Imported, Record, merge_all, put_back
from upperwick.market.models import BarBlock, DataVersion, Instrument, Member, Universe
from upperwick.market.staging import Stage, clear, importing, staged
from wickcore.bars.merge import Table, untouched
from wickcore.bars.moment import to_date

FAR = date(9999, 12, 31)


def save_tables(
    tables: dict[str, dict[str, Table]], universe: str | None, what: str, record: Record | None = None,
    more: Callable[[Imported], None] | None = None, tell: Callable[[float], None] = lambda share: None,
    away: dict[str, dict[str, Table]] | None = None, **changed: Any,
) -> Imported:  # fmt: skip
    """Merges imported bars into the stored ones: by instrument, frame and moment, the imported ones winning; nothing else is touched.

    The merged bars are put aside in portions, each in a short transaction, and then stand in place of the old ones in one, so that nobody
    who reads or saves meanwhile has to wait. tables: by frame, then by symbol. universe: a name the symbols become members of, from their
    first bar on. more: called inside that last transaction with what was done, for what is to be true together with the bars. tell: told
    the share done; what it raises ends the import, which has then taken nothing. away: stored bars that are taken away, by frame, then by
    symbol. changed: what else the new version says. Raises AnotherImport.
    """
    done = Imported(symbols=len({symbol for by_symbol in tables.values() for symbol in by_symbol}))
    firsts: dict[str, date] = {}
    with importing(), copying(tables), staged() as stage:
        for symbol, first in _firsts(tables):
            firsts[symbol] = min(firsts.get(symbol, FAR), first)
        merge_all(tables, done, stage, record, tell)
        emptied = [
            (symbol, frame, span)
            for frame, by_symbol in (away or {}).items()
            for symbol, table in by_symbol.items()
            for span in put_back(symbol, frame, untouched(table), stage)
        ]
        stage.flush()
        in_front(lambda: _let_stand(stage, done, firsts, universe, what, more, emptied, changed))
        if emptied:
            clear()
    return done


@transaction.atomic
def _let_stand(
    stage: Stage, done: Imported, firsts: dict[str, date], universe: str | None, what: str, more: Callable[[Imported], None] | None,
    emptied: list[tuple[str, str, int]], changed: dict[str, Any],
) -> None:  # fmt: skip
    known = _instruments(firsts)
    stage.stand(known)
    for symbol, frame, span in emptied:
        BarBlock.objects.filter(instrument__symbol=symbol, frame=frame, year=span).delete()
    if universe:
        group = Universe.objects.get_or_create(name=universe)[0]
        _join(group, known, firsts)
    if more is not None:
        more(done)
    another_version(what, **changed)


def another_version(what: str, **changed: Any) -> None:
    """Says that the data changed: everything computed from them is of before."""
    latest = DataVersion.objects.last()
    stands = {name: getattr(latest, name) for name in ("invented", "benchmark", "zone")} if latest else {}
    DataVersion.objects.create(what=what[:200], **{**stands, **changed})


def count_tables(tables: dict[str, dict[str, Table]], tell: Callable[[float], None] = lambda share: None) -> Imported:
    """What `save_tables` would do, and nothing done."""
    done = Imported(symbols=len({symbol for by_symbol in tables.values() for symbol in by_symbol}))
    merge_all(tables, done, None, None, tell)
    return done


def _firsts(tables: dict[str, dict[str, Table]]) -> Iterator[tuple[str, date]]:
    for by_symbol in tables.values():
        for symbol, table in by_symbol.items():
            yield symbol, to_date(table["days"][0])


def _instruments(symbols: Iterable[str]) -> dict[str, int]:
    """The ids of the instruments of these symbols, those that are new made."""
    known: dict[str, int] = dict(Instrument.objects.order_by().values_list("symbol", "id"))
    fresh = [Instrument(symbol=s, name=s) for s in symbols if s not in known]
    Instrument.objects.bulk_create(fresh)
    return {**known, **{i.symbol: i.id for i in fresh}}


def _join(group: Universe, known: dict[str, int], firsts: dict[str, date]) -> None:
    """Membership from the first bar on; one that began later and has no end begins earlier then."""
    members: dict[int, list[Member]] = defaultdict(list)
    for member in Member.objects.filter(universe=group):
        members[member.instrument_id].append(member)
    fresh, earlier = [], []
    for symbol, first in firsts.items():
        mine = members[known[symbol]]
        if not mine:
            fresh.append(Member(universe=group, instrument_id=known[symbol], first=first, last=FAR))
        elif len(mine) == 1 and mine[0].last == FAR and first < mine[0].first:
            mine[0].first = first
            earlier.append(mine[0])
    Member.objects.bulk_create(fresh)
    Member.objects.bulk_update(earlier, ["first"], batch_size=400)
