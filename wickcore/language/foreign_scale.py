"""The scale that a value has from another instrument: `of("ABC", close)` is carried on the continuous scale of that one's own splits, so that a
window, a ratio or a difference over it jumps at none of them. It is that instrument's price of each day wherever nothing looks back any more.

As of its own instrument's split factor a value knows how often that factor is in it (its degree) and how often the logarithm of it (its shift),
so it does of each other instrument's.
"""

from dataclasses import dataclass, replace

from wickcore.language.operations import Op


@dataclass(frozen=True, slots=True)
class Lent:
    """factor: the other instrument's split factor at each moment of this one. degree, shift: how often it and its logarithm are in a value."""

    factor: Op
    degree: float = 0.0
    shift: float = 0.0


Scale = tuple[Lent, ...]  # ordered by factor, none without meaning


def lent(kind: str, params: tuple[str, ...], degree: float, shift: float) -> Scale:
    """Of a value of this degree and shift that is asked of another instrument by a form of that kind."""
    return (Lent(Op(kind, (Op("factor"),), params), degree, shift),) if degree or shift else ()


def _kept(found: dict[Op, Lent]) -> Scale:
    return tuple(sorted((one for one in found.values() if one.degree or one.shift), key=lambda one: one.factor.key))


def joined(a: Scale, b: Scale, degree: float, shift: float) -> Scale:
    """The first's with so many times the second's degrees and shifts added."""
    if not a and not b:
        return ()
    found = {one.factor: one for one in a}
    for one in b:
        mine = found.get(one.factor, Lent(one.factor))
        found[one.factor] = replace(mine, degree=mine.degree + degree * one.degree, shift=mine.shift + shift * one.shift)
    return _kept(found)


def times(scale: Scale, degree: float, shift: float) -> Scale:
    """With its degrees and shifts taken so many times."""
    return joined((), scale, degree, shift)


def degrees(scale: Scale) -> Scale:
    """What is in it as a factor."""
    return times(scale, 1.0, 0.0)


def shifted(scale: Scale) -> bool:
    """Whether a logarithm is in it as a summand."""
    return any(one.shift for one in scale)


def as_logarithm(scale: Scale) -> Scale:
    """Of the logarithm of what has this scale, which has no shift."""
    return tuple(Lent(one.factor, 0.0, one.degree) for one in scale)


def as_exponential(scale: Scale) -> Scale:
    """Of the exponential of what has this scale, which has no degree."""
    return tuple(Lent(one.factor, one.shift, 0.0) for one in scale)


def lent_to(op: Op, scale: Scale) -> Op:
    """Money of each day brought on this scale, which has no shift."""
    for one in scale:
        op = Op("unlend", (op, one.factor), (-one.degree, 0.0))
    return op


def settled(op: Op, scale: Scale) -> Op:
    """The operation as of each day's own price of the other instruments."""
    for one in scale:
        op = Op("unlend", (op, one.factor), (one.degree, one.shift))
    return op
