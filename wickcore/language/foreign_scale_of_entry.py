"""What an entry of the catalogue makes of the scale that its arguments have of other instruments."""

from collections.abc import Mapping, Sequence

from wickcore.language.entry import Entry
from wickcore.language.foreign_scale import Scale, as_exponential, as_logarithm, degrees, shifted, times
from wickcore.language.rule import Value


def scale_of(entry: Entry, values: Mapping[str, Value], numbers: Sequence[Value]) -> Scale | None:
    """The scale of the entry's value; None where its arguments have to be of each day's own prices first.

    values: the arguments by name; numbers: those of them that are columns of numbers.
    """
    scales = {v.lent for v in numbers if v.constant is None or entry.scale == "same"}
    if not any(scales):
        return ()
    if entry.scale == "printed" or "zigzag" in entry.name:
        return None
    if len(scales) > 1:  # each has its own: what is the same whatever the scale does not mind
        return () if entry.degree == 0 and (entry.of_sums == "gone" or not any(map(shifted, scales))) else None
    (scale,) = scales
    if entry.scale == "exponential":
        return None if degrees(scale) else as_exponential(scale)
    if entry.scale == "logarithm":
        return None if shifted(scale) else as_logarithm(scale)
    if shifted(scale):
        return _of_logarithm(entry, values, scale)
    return times(scale, 0.5 if entry.scale == "root" else 1.0, 0.0) if entry.degree is None or entry.scale == "root" else ()


def _of_logarithm(entry: Entry, values: Mapping[str, Value], scale: Scale) -> Scale | None:
    """As `scale_of`, of sums with a logarithm."""
    if entry.of_sums == "gone":
        return ()
    if entry.of_sums == "kept":
        return times(scale, 1.0, 1.0)
    n = values["n"].constant if entry.of_sums == "n times" else None
    return None if n is None else times(scale, 1.0, n)
