"""In which order tests run, and which of them share a process. Every case runs on every run."""

import os
from time import monotonic
from typing import Any

import pytest
from xdist.scheduler import LoadScopeScheduling

from upperwick.base.kernels import prepare

# The browser's driver leaves an event loop running in its process; the tests of the server that come after it there are no less synchronous.
os.environ.setdefault("DJANGO_ALLOW_ASYNC_UNSAFE", "true")
prepare()
BEGUN = monotonic()


def pytest_addoption(parser: pytest.Parser) -> None:
    parser.addoption("--seconds", type=float, help="skip the tests that have not begun after so many seconds (make quick)")


def pytest_runtest_setup(item: pytest.Item) -> None:
    seconds = item.config.getoption("--seconds")
    if seconds and monotonic() - BEGUN > seconds:
        pytest.skip("left to `make test`")


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


def _in_order(items: list[pytest.Item]) -> list[pytest.Item]:
    """The browser's files, which take longest, before the others; but while the first process makes the one server that they share, the next
    two begin with others."""
    files: dict[str, list[pytest.Item]] = {}
    for item in items:
        files.setdefault(item.nodeid.partition("::")[0], []).append(item)
    browser = [file for file in files if "/browser/" in file]
    others = [file for file in files if file not in browser]
    return [item for file in (*browser[:1], *others[:2], *browser[1:], *others[2:]) for item in files[file]]
