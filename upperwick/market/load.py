"""The market in memory: loaded once a process for each data version, shared by all requests, read-only."""

from collections import defaultdict
from pathlib import Path
from threading import Lock

import numpy as np
from django.db import connection

from upperwick.base.files import stands
from upperwick.base.processes import processes, threads
from upperwick.market.assembly import bars_of, by_instrument, market_with, one_state
from upperwick.market.blocks import Columns, Damaged, Place, one_after_another
from upperwick.market.columns.cache import kept_market, place_of
from upperwick.market.models import (
    BarBlock,
    Dividend,
    Instrument,
    Split,
)
from upperwick.market.version import data_version as data_version
from wickcore.bars.bars import Bars
from wickcore.bars.market import Market
from wickcore.scan.evaluate import Evaluator

CACHE_BYTES = 400_000_000  # of columns that were computed, in all processes together
_left_out: dict[str, list[Place]] = {}
_lock = Lock()
_held: tuple[str, Evaluator] | None = None
_held_folder: tuple[Path, int] | None = None  # of the columns that are held; None where they are in memory


def evaluator() -> Evaluator:
    """The evaluator over the present data version, loaded on first use."""
    global _held, _held_folder
    version = data_version()
    with _lock:
        if _held is None or _held[0] != version or (_held_folder is not None and not stands(_held_folder)):
            market, _held_folder = _market_of(version)
            _held = (
                market.version,
                Evaluator(market, CACHE_BYTES // processes(), threads()),
            )  # an import may have ended meanwhile: what was read says what it is
        return _held[1]


def _market_of(version: str) -> tuple[Market, tuple[Path, int] | None]:
    """From the columns that are kept on disk, where they can be, and their folder."""
    if connection.in_atomic_block:  # of a state that nobody else may ever see
        return load_market(), None
    try:
        market = kept_market(version)
        place = place_of(market.version)
    except (Damaged, OSError):
        return load_market(), None
    _left_out.clear()
    return market, place


def load_market(version: str | None = None) -> Market:
    """Reads the whole market. What is damaged is left out, by instrument and year (see `damage`), and all else is read. Raises DamagedBlock
    where that is not to be told apart."""
    left_out: frozenset[Place] = frozenset()
    while True:
        try:
            with one_state():
                version = version or data_version()
                found = _load(version, left_out)
        except Damaged as damaged:
            left_out |= damaged.places
            continue
        _left_out.clear()
        _left_out[version] = sorted(left_out)
        return found


def damage() -> list[Place]:
    """What the market that is held had to leave out."""
    return _left_out.get(_held[0], []) if _held else []


def _load(version: str, left_out: frozenset[Place]) -> Market:
    stored = BarBlock.objects.order_by("instrument_id", "frame", "year", "part")
    for place in left_out:
        stored = stored.exclude(instrument__symbol=place.symbol, frame=place.frame, year=place.span)
    lengths: dict[str, dict[int, int]] = defaultdict(lambda: defaultdict(int))
    for owner, frame, rows in stored.values_list("instrument_id", "frame", "rows"):
        lengths[frame][owner] += rows
    with_bars = {owner for by_owner in lengths.values() for owner in by_owner}
    instruments = [i for i in Instrument.objects.order_by("symbol") if i.id in with_bars]
    splits, dividends = by_instrument(Split, "ratio"), by_instrument(Dividend, "amount")
    tables: list[Bars] = []
    for frame in ("day", "5min"):
        if frame in lengths or (frame == "day" and not lengths):
            counts = [lengths[frame][i.id] for i in instruments]
            offsets = np.concatenate([[0], np.cumsum(counts)]).astype(np.int64)
            columns = Columns(frame, {i.id: i.symbol for i in instruments}, int(offsets[-1]))
            columns.read(
                stored.filter(frame=frame),
                one_after_another({i.id: int(at) for i, at in zip(instruments, offsets[:-1], strict=True)}),
            )
            tables.append(bars_of(frame, instruments, offsets, columns, splits, dividends, tables[0] if tables else None))
    return market_with(tuple(tables), instruments, splits, dividends, version)
