"""What names instruments by their symbols, in texts: where a symbol is renamed, it follows, and goes back where that is undone."""

from dataclasses import dataclass
from typing import Any

from django.apps import apps
from django.db import IntegrityError, transaction

from upperwick.market.models import Drawing, Instrument

Place = dict[str, Any]  # model, field, and the rows' numbers


@dataclass(frozen=True, slots=True)
class _Followed:
    """A field that holds a symbol, or a list of them."""

    model: str
    field: str
    many: bool


_followed: list[_Followed] = []


def follow(model: str, field: str, many: bool = False) -> None:
    """Makes a field known. model: as `bench.BenchItem`. many: it holds a list of symbols. To be called by the apps as they get ready."""
    if _Followed(model, field, many) not in _followed:
        _followed.append(_Followed(model, field, many))


def rename(former: str, symbol: str) -> list[Place]:
    """Names one symbol by another wherever it is named. Returns where, for `name_back`. To be called inside a transaction."""
    places = []
    for one in _followed:
        model = apps.get_model(one.model)
        named = model.objects.filter(**{one.field: former}) if not one.many else _holding(model, one.field, former)
        ids = [row.pk for row in named if _named(row, one, former, symbol)]
        if ids:
            places.append({"model": one.model, "field": one.field, "ids": ids})
    ids = list(Drawing.objects.filter(instrument__symbol=former).values_list("pk", flat=True))
    new = Instrument.objects.filter(symbol=symbol).first()
    if ids and new is not None:
        Drawing.objects.filter(pk__in=ids).update(instrument=new)
        places.append({"model": "market.Drawing", "field": "instrument", "ids": ids})
    return places


def name_back(former: str, symbol: str, places: list[Place]) -> None:
    """Undoes `rename` where what it named is there and still named so."""
    for place in places:
        if place["model"] == "market.Drawing":
            old = Instrument.objects.filter(symbol=former).first()
            if old is not None:
                Drawing.objects.filter(pk__in=place["ids"], instrument__symbol=symbol).update(instrument=old)
            continue
        one = next((f for f in _followed if (f.model, f.field) == (place["model"], place["field"])), None)
        if one is None:
            continue
        for row in apps.get_model(one.model).objects.filter(pk__in=place["ids"]):
            _named(row, one, symbol, former)


def _holding(model: Any, field: str, symbol: str) -> list[Any]:
    return [row for row in model.objects.only(field).iterator() if symbol in getattr(row, field)]  # messages are large


def _named(row: Any, one: _Followed, was: str, now: str) -> bool:
    """Names what a row names by another symbol. Returns whether it did: two of one account that may stand there once only stay as they are."""
    stands = getattr(row, one.field)
    if one.many and was in stands:
        made: Any = list(dict.fromkeys(now if symbol == was else symbol for symbol in stands))
    elif not one.many and stands == was:
        made = now
    else:
        return False
    try:
        with transaction.atomic():
            type(row).objects.filter(pk=row.pk).update(**{one.field: made})
    except IntegrityError:
        return False
    return True
