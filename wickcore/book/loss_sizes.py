"""What a stop means for the account: arithmetic before trading."""

from collections.abc import Sequence
from dataclasses import dataclass

STOPS = tuple(i / 100 for i in range(5, 55, 5))
SLOTS = (5, 10, 20)


@dataclass(frozen=True, slots=True)
class SizeRow:
    """A loss of a position as a fraction, and what it takes of the account in an equal slot of so many."""

    loss: float
    shares: tuple[float, ...]


def sizes(losses: Sequence[float] = STOPS, slots: Sequence[int] = SLOTS) -> list[SizeRow]:
    """One row a loss: a stop of 30% in one of 5 equal slots costs 6% of the account, in one of 10 slots 3%. Raises ValueError for
    what is out of
    range."""
    if any(not 0 < loss <= 1 for loss in losses) or any(n < 1 for n in slots):
        raise ValueError("A loss is above 0% and up to 100%, and there is at least one slot.")
    return [SizeRow(loss, tuple(loss / n for n in slots)) for loss in losses]
