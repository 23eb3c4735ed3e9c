"""A study as the API, the files and the command line give it."""

from collections.abc import Iterable
from dataclasses import asdict
from typing import Any

from wickcore.bars.moment import clock, iso
from wickcore.study.follow import Event, Study
from wickcore.study.verdict import verdict

MOST_EVENTS = 20_000


def as_dict(found: Study, most: int | None = MOST_EVENTS) -> dict[str, Any]:
    """The study with its latest `most` events (None for all)."""
    settings = found.settings
    return {
        "hits": found.hits,
        "no_entry": found.no_entry,
        "entry": settings.entry,
        "repeats": settings.repeats,
        "cost": settings.cost,
        "horizons": [asdict(f) for f in found.horizons],
        "verdicts": {str(f.bars): verdict(found, f.bars) for f in found.horizons},
        "events": event_rows(found.events[max(0, len(found.events) - most) if most is not None else 0 :]),
    }


def event_rows(events: Iterable[Event]) -> list[dict[str, Any]]:
    """Each hit that was chosen, with its entry and its return by horizon."""
    return [
        {
            "symbol": e.symbol,
            "day": iso(e.day),
            **({} if e.minute is None else {"time": clock(e.minute), "entry_time": _clock(e.entry_minute)}),
            "entry_day": None if e.entry_day is None else iso(e.entry_day),
            "entry": e.entry,
            "returns": {str(h): r for h, r in e.returns.items()},
        }
        for e in events
    ]


def _clock(minute: int | None) -> str | None:
    return None if minute is None else clock(minute)
