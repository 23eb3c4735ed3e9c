"""Columns on disk, compared with their checksums from time to time while the application runs."""

import logging
from collections.abc import Callable
from pathlib import Path
from threading import Event

from django.conf import settings
from django.db import connection

from upperwick.market.columns.cache import GONE, drop_damaged, kept_market
from upperwick.market.columns.checksums import damaged_in
from upperwick.market.columns.previous import FORMAT
from upperwick.market.version import data_version

FIRST_SECONDS, EVERY_SECONDS = 60.0, 900.0  # after the start, and between two looks
_log = logging.getLogger("upperwick")


def keep_comparing(ending: Event) -> None:
    """Compares until it is told to end; nothing that happens there ends it."""
    wait = FIRST_SECONDS
    while not ending.wait(wait):
        wait = EVERY_SECONDS
        try:
            if compare_all(lambda: not ending.is_set()):
                kept_market(data_version())  # made anew before anybody waits for it
        except Exception:
            _log.exception("The columns could not be compared; it is tried again.")
        finally:
            connection.close()


def compare_all(going_on: Callable[[], bool]) -> bool:
    """Drops the columns that are not as they were written. Returns whether there were any."""
    dropped = False
    for place in sorted((Path(settings.DATA_DIR) / "columns").glob(f"*-v{FORMAT}-*")):
        if place.suffix != ".part" and not place.name.startswith(GONE) and going_on() and damaged_in(place, going_on) is not None:
            dropped = drop_damaged(place) or dropped
    return dropped
