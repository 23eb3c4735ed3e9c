"""When a computation is to end before it is done."""

import time
from threading import Event


class Stopped(Exception):
    """The evaluation was cancelled or ran past its deadline."""


class Limits:
    """When to give up: a deadline in seconds from now and a flag that anyone may set."""

    def __init__(self, seconds: float | None = None, cancel: Event | None = None) -> None:
        self.seconds = seconds
        self.until = None if seconds is None else time.monotonic() + seconds
        self.cancel = cancel

    def check(self) -> None:
        """Raises Stopped when it is time."""
        if self.cancel is not None and self.cancel.is_set():
            raise Stopped("The computation was stopped.")
        if self.until is not None and time.monotonic() > self.until:
            raise Stopped("This took longer than a request may; simplify the rule or narrow the universe.")

    def allow(self, seconds: float) -> None:
        """Raises Stopped at once for what would surely take longer than there is time for."""
        if self.seconds is not None and seconds > 5 * self.seconds:
            raise Stopped(f"This would take about {seconds:,.0f} seconds; use shorter windows, or fewer lines with long ones.")
