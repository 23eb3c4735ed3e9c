"""Which tests run: by default one in ten of the catalogue's many cases, another tenth each day; all of them with `--every-case`."""

import os
import zlib
from datetime import date
from typing import Any

import pytest
from xdist.scheduler import LoadScopeScheduling

from upperwick.kernels import prepare

# The browser's driver leaves an event loop running in its process; the tests of the server that come after it there are no less synchronous.
os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")
prepare()
TURNS = 10


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--every-case", action="store_true", help="run every case of the tests marked `rotated`")


def rotation() -> int:
    """The day's turn; ROTATION=n repeats that of another day."""
    return int(os.environ.get("ROTATION", date.today().toordinal())) % TURNS


def pytest_report_header(config: pytest.Config) -> str:
    if config.getoption("--every-case"):
        return "every case of the rotated tests"
    return f"rotated tests: turn {rotation()} of {TURNS} (ROTATION={rotation()} repeats it, --every-case runs all)"


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
    turn = rotation()
    kept, left = [], []
    for item in items:
        mine = item.get_closest_marker("rotated") is None or zlib.crc32(item.name.encode()) % TURNS == turn
        (kept if mine else left).append(item)
    if left:
        config.hook.pytest_deselected(items=left)
        items[:] = kept


def _in_order(items: list[pytest.Item]) -> list[pytest.Item]:
    """The browser's files, which take longest, before the others; but the second process begins with others while the first makes the one
    server that they share."""
    files: dict[str, list[pytest.Item]] = {}
    for item in items:
        files.setdefault(item.nodeid.partition("::")[0], []).append(item)
    browser = [file for file in files if "/browser/" in file]
    others = [file for file in files if file not in browser]
    first = [file for pair in zip(browser[:2], others[:2], strict=False) for file in pair]
    rest = [file for file in (*browser, *others) if file not in first]
    return [item for file in (*first, *rest) for item in files[file]]
