"""What the precedents of a morning say, in a sentence, and how little that can be."""

from wickcore.precedents.outcomes import FEWEST, Outcome

LEAN = 0.05
_ORDINAL = ("", "first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth")
_ENDED = {
    0: "closed above their open",
    1: "stood above their open at the next close",
    5: "stood above their open five closes later",
}


def ordinal(n: int) -> str:
    """The tenth, the 11th, the 22nd."""
    if n < len(_ORDINAL):
        return _ORDINAL[n]
    ending = "th" if 10 <= n % 100 <= 20 else {1: "st", 2: "nd", 3: "rd"}.get(n % 10, "th")
    return f"{n}{ending}"


def looks(luck: float) -> str:
    """How often luck alone gives as much."""
    times = 1 / luck
    if times < 1.5:
        return "nearly every time"
    if times < 2.5:
        return "every second time"
    return f"once in {round(times):,} looks" if times < 9_999.5 else "less than once in 10,000 looks"


def at_least_once(luck: float, sets: int) -> float:
    """How likely one of so many sets, looked at one after another, would show as much by luck alone, as if each were new."""
    return float(1.0 - (1.0 - luck) ** max(1, sets))


def precedents_verdict(found: Outcome, closes: int, sets: int) -> str:
    """The sentence. sets: how many were looked at this morning, this one included."""
    if not found.count:
        return "No session before this one began like it."
    sessions = "1 such morning" if found.count == 1 else f"{found.count:,} such mornings"
    if found.few or found.luck is None:
        return f"Only {sessions}: under {FEWEST} nothing can be said of them."
    said = f"Of {sessions} {found.up:,} {_ENDED[closes]}. Luck alone shows as much {looks(found.luck)}"
    which = "" if sets <= 1 else f", and this is your {ordinal(sets)} set this morning"
    if at_least_once(found.luck, sets) > LEAN:
        return f"{said}{which}: nothing to lean on."
    return f"{said}{which}: more than luck would show, in this past."
