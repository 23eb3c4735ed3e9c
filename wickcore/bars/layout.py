"""How the fields of a market are laid out by instrument, declared once each, so that a market of some instruments is cut field by field.

A field without a layout is refused when its class is made: an array that is not cut keeps its length, and so another instrument's values.
"""

from collections.abc import Callable
from dataclasses import fields, replace
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

Ints = NDArray[np.int64]
Cut = Callable[[Any, Ints], Any]
KEY = "layout"
_Class = TypeVar("_Class")


def laid_out(cls: type[_Class]) -> type[_Class]:
    """Requires of a dataclass that each of its fields has a layout.

    Raises
    ------
    TypeError
        Names the fields that have none.
    """
    missing = [f.name for f in fields(cls) if KEY not in f.metadata]  # type: ignore[arg-type]
    if missing:
        raise TypeError(f"{cls.__name__}: {', '.join(missing)} has no layout; say how it is cut to some instruments.")
    return cls


def of(cut: Cut) -> dict[str, Cut]:
    """The metadata of a field that is cut this way."""
    return {KEY: cut}


def cut_fields(whole: Any, numbers: Ints) -> dict[str, Any]:
    """Each field of an object whose class is `laid_out`, cut to some instruments, in the order of their numbers."""
    return {f.name: f.metadata[KEY](getattr(whole, f.name), numbers) for f in fields(whole)}


def shared(value: Any, numbers: Ints) -> Any:
    """Not by instrument: the same for every choice of them."""
    return value


def per_instrument(value: Any, numbers: Ints) -> Any:
    """One value an instrument, an array or a tuple; empty where nothing is known of any."""
    if not len(value):
        return value
    return tuple(value[k] for k in numbers) if isinstance(value, tuple) else value[numbers]


def ragged(value: Any, numbers: Ints) -> Any:
    """Rows by instrument: an object with `offsets` and arrays or dicts of arrays, or a tuple that begins with the offsets; or None."""
    if value is None:
        return None
    if isinstance(value, tuple):
        offsets, rows = ragged_rows(value[0], numbers)
        return (offsets, *(column[rows] for column in value[1:]))
    offsets, rows = ragged_rows(value.offsets, numbers)
    columns = {f.name: getattr(value, f.name) for f in fields(value) if f.name != "offsets"}
    taken = {
        name: {key: array[rows] for key, array in column.items()} if isinstance(column, dict) else column[rows]
        for name, column in columns.items()
    }
    return replace(value, offsets=offsets, **taken)


def numbered(value: Any, numbers: Ints) -> Any:
    """Rows that name an instrument by its number, in a column `instrument`: rows of others go, the rest get the new numbers."""
    place = {int(k): at for at, k in enumerate(numbers)}
    rows = np.array([at for at, k in enumerate(value.instrument) if int(k) in place], np.int64)
    columns = {f.name: getattr(value, f.name)[rows] for f in fields(value)}
    columns["instrument"] = np.array([place[int(k)] for k in columns["instrument"]], np.int64)
    return replace(value, **columns)


def by_name(cut: Cut) -> Cut:
    """A dict of what is cut so."""
    return lambda value, numbers: {name: cut(each, numbers) for name, each in value.items()}


def tables(value: Any, numbers: Ints) -> Any:
    """Tables of bars."""
    return tuple(bars.only(numbers) for bars in value)


def ragged_rows(offsets: Ints, numbers: Ints) -> tuple[Ints, Ints]:
    """The offsets of some instruments' rows put one behind the other, and where those rows were.

    Parameters
    ----------
    offsets : int64, instruments + 1
    numbers : int64
        The instruments, in the order they are to have.

    Returns
    -------
    offsets : int64, len(numbers) + 1
    rows : int64
    """
    begins, lengths = offsets[:-1][numbers], np.diff(offsets)[numbers]
    new = np.concatenate([[0], np.cumsum(lengths)]).astype(np.int64)
    rows = np.arange(int(new[-1]), dtype=np.int64) + np.repeat(begins - new[:-1], lengths)
    return new, rows
