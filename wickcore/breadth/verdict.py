"""What came after the passings of a level, in a sentence: never more than so few can say."""

from wickcore.breadth.passings import After
from wickcore.study.verdict import percent

LUCK = 0.05  # rarer than this, luck is said to hardly do it
FEW = 10
_NUMBERS = ("none", "one", "two", "three", "four", "five", "six", "seven", "eight", "nine", "ten")


def passing_verdict(found: After, frame: str) -> str:
    """The sentence for one horizon."""
    unit = "week" if frame == "week" else "session"
    at = f"{found.horizon} {unit}s"
    if found.mean is None or found.better is None or found.luck is None:
        return f"No crossing has {at} behind it yet: nothing to measure."
    n = "the one crossing" if found.count == 1 else f"{found.count} crossings"
    better = found.better >= 0
    said = f"After such {unit}s the index did {'better' if better else 'worse'} at {at}, by {percent(abs(found.better))}."
    as_well = "as well" if better else "as badly"
    random = f"{often(found.luck)} random choices of {found.count} {unit}{'' if found.count == 1 else 's'} did {as_well}"
    if found.luck > LUCK:
        return f"{said} But {n} cannot tell it from luck: {random}."
    said = f"{said} Luck hardly does that: {random}."
    return f"{said} Yet {n} are few to lean on." if found.count < FEW else said


def often(share: float) -> str:
    """A share as people say it: one in five, two of three, nearly all."""
    if share >= 0.95:
        return "nearly all"
    if share > 0.5:
        tenths = round(share * 10)
        return f"{_NUMBERS[min(9, tenths)]} of ten"
    times = round(1 / share)
    return f"one in {_NUMBERS[times] if times <= 10 else f'{times:,}'}"
