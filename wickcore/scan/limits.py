"""When a computation is to end before it is done."""

import time
from collections.abc import Callable
from threading import Event


class Stopped(Exception):
    """The evaluation was cancelled or ran past its deadline."""


class TooHeavy(Stopped):
    """It takes longer than a request may; the message says what of it. expected: whether that was known before it was tried."""

    def __init__(self, message: str, expected: bool = False) -> None:
        super().__init__(message)
        self.expected = expected


class Limits:
    """When to give up: a deadline in seconds from now and a flag that anyone may set."""

    def __init__(self, seconds: float | None = None, cancel: Event | None = None) -> None:
        self.seconds = seconds
        self.until = None if seconds is None else time.monotonic() + seconds
        self.cancel = cancel
        self._heaviest: tuple[float, Callable[[], str]] | None = None

    def check(self) -> None:
        """Raises Stopped when it is time."""
        if self.cancel is not None and self.cancel.is_set():
            raise Stopped("The computation was stopped.")
        if self.until is not None and time.monotonic() > self.until:
            raise TooHeavy(f"This took longer than a request may{self._what()}. Use shorter windows, or narrow the universe.")

    def allow(self, seconds: float, heaviest: Callable[[], str] | None = None) -> None:
        """Raises TooHeavy at once for what would surely take longer than there is time for. heaviest: what takes most of it, in words."""
        if heaviest is not None and (self._heaviest is None or seconds > self._heaviest[0]):
            self._heaviest = seconds, heaviest
        if self.seconds is not None and seconds > 5 * self.seconds:
            what = self._what()
            raise TooHeavy(
                f"This would take about {seconds:,.0f} seconds{what}. Use shorter windows, or fewer lines with long ones.", True
            )

    def _what(self) -> str:
        return f"; most of it is {self._heaviest[1]()}" if self._heaviest else ""
