"""Which tests run. Each entry of the catalogue is compared with its formula, with cut data and with split prices on every run.

Of other cases that repeat, marked `rotated`, some take turns by day; of the browser's tests those that are not of the main way run each second
day, but all where CI is set. Every case with `--every-case`."""

import os
import zlib
from datetime import date
from typing import Any

import pytest
from xdist.scheduler import LoadScopeScheduling

from upperwick.base.kernels import prepare

# The browser's driver leaves an event loop running in its process; the tests of the server that come after it there are no less synchronous.
os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")
prepare()
TURNS = 28  # days in which each case of those that repeat has run
CI = bool(os.environ.get("CI"))


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--every-case", action="store_true", help="run every case of the tests marked `rotated`")


def rotation() -> int:
    """The day's number; ROTATION=n repeats another day's run."""
    return int(os.environ.get("ROTATION", date.today().toordinal()))


def _mine(item: pytest.Item, day: int) -> bool:
    """Whether it is a test's turn. `rotated` is of so many turns as there are, `rotated(n)` of n, which of them its name tells;
    `rotated(n, k)` of n, number k."""
    marker = item.get_closest_marker("rotated")
    # What one person changes is looked at whole in the browser before it is everybody's.
    if marker is None or (CI and marker.args == (2,) and item.get_closest_marker("browser")):
        return True
    turns, own = (*marker.args, *(TURNS, zlib.crc32(item.name.encode()))[len(marker.args) :])
    return bool(own % turns == day % turns)


def pytest_report_header(config: pytest.Config) -> str:
    if config.getoption("--every-case"):
        return "every case of the rotated tests"
    return f"rotated tests: those of day {rotation()} (ROTATION={rotation()} repeats them, --every-case runs all)"


class _Together(LoadScopeScheduling):
    """The tests of a file run in one process."""

    def __init__(self, config: pytest.Config, log: Any = None) -> None:
        super().__init__(config, log)
        config.option.loadscopereorder = False

    def _split_scope(self, nodeid: str) -> str:
        return nodeid.partition("::")[0]


@pytest.hookimpl(optionalhook=True)
def pytest_xdist_make_scheduler(config: pytest.Config, log: Any) -> _Together:
    return _Together(config, log)


def pytest_collection_modifyitems(config: pytest.Config, items: list[pytest.Item]) -> None:
    items[:] = _in_order(items)
    # A test that was asked for by its own name runs.
    if config.getoption("--every-case") or any("::" in argument for argument in config.args):
        return
    day = rotation()
    kept, left = [], []
    for item in items:
        (kept if _mine(item, day) else left).append(item)
    if left:
        config.hook.pytest_deselected(items=left)
        items[:] = kept


def _in_order(items: list[pytest.Item]) -> list[pytest.Item]:
    """The browser's files, which take longest, before the others; but while the first process makes the one server that they share, the next
    two begin with others."""
    files: dict[str, list[pytest.Item]] = {}
    for item in items:
        files.setdefault(item.nodeid.partition("::")[0], []).append(item)
    browser = [file for file in files if "/browser/" in file]
    others = [file for file in files if file not in browser]
    return [item for file in (*browser[:1], *others[:2], *browser[1:], *others[2:]) for item in files[file]]
