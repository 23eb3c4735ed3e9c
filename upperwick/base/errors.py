"""How any part of the application says no."""

from typing import Any


class Refused(Exception):
    """A request that cannot be carried out, said in a sentence for the person who made it."""

    def __init__(self, detail: str, status: int = 400, **extra: Any) -> None:
        super().__init__(detail)
        self.detail, self.status, self.extra = detail, status, extra
