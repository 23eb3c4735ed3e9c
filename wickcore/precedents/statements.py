"""What can be true of a morning: each statement with its words and its line, which decides at the open. Data, not code.

`{event}` in a line stands for each kind of announcement that the market has.
"""

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Literal

# When a line can be answered: from the close before on, once the night is over, or only with the open itself.
Known = Literal["evening", "night", "bell"]


@dataclass(frozen=True, slots=True)
class Statement:
    """group: under what it is listed. words: in a sentence. line: in the rule language, for `decide: open`. known: from when on."""

    group: str
    words: str
    line: str
    known: Known = "evening"


BEFORE, NIGHT, GAP, STANDS, RUNS, CALENDAR, NEWS = (
    "The session before", "Overnight", "The gap", "Where it stands", "Runs and turns", "The calendar", "Announcements",
)  # fmt: skip
GROUPS = (BEFORE, NIGHT, GAP, STANDS, RUNS, CALENDAR, NEWS)


def _of(group: str, known: Known, *rows: tuple[str, str]) -> tuple[Statement, ...]:
    return tuple(Statement(group, words, line, known) for words, line in rows)


_BEFORE = _of(
    BEFORE, "evening",
    ("It closed above the close before", "close 1 ago > close 2 ago"),
    ("It closed below the close before", "close 1 ago < close 2 ago"),
    ("It gained more than 1%", "change 1 ago > 1%"),
    ("It lost more than 1%", "change 1 ago < -1%"),
    ("It gained more than 2%", "change 1 ago > 2%"),
    ("It lost more than 2%", "change 1 ago < -2%"),
    ("It closed above its open", "close 1 ago > open 1 ago"),
    ("It closed below its open", "close 1 ago < open 1 ago"),
    ("It closed in the upper fifth of its range", "closing_place 1 ago > 80%"),
    ("It closed in the lower fifth of its range", "closing_place 1 ago < 20%"),
    ("It stayed inside the session before it", "inside_bar 1 ago"),
    ("It went beyond the session before it on both sides", "outside_bar 1 ago"),
    ("Its range was the smallest of seven", "range 1 ago <= lowest(range, 7) 1 ago"),
    ("Its range was the largest of ten", "range 1 ago >= highest(range, 10) 1 ago"),
    ("Its range was over one and a half times the usual", "range 1 ago > 1.5 * sma(range, 20) 1 ago"),
    ("Its range was under 60% of the usual", "range 1 ago < 60% * sma(range, 20) 1 ago"),
    ("Its volume was under 80% of the usual", "rel_volume(20) 1 ago < 80%"),
    ("Its volume was over 130% of the usual", "rel_volume(20) 1 ago > 130%"),
    ("It fell below the low before and closed above it", "low 1 ago < low 2 ago and close 1 ago > low 2 ago"),
    ("It rose above the high before and closed below it", "high 1 ago > high 2 ago and close 1 ago < high 2 ago"),
    ("It opened higher and closed lower than the close before", "gap 1 ago > 0 and change 1 ago < 0"),
    ("It opened lower and closed higher than the close before", "gap 1 ago < 0 and change 1 ago > 0"),
    ("Its gap was the largest of 20 sessions", "abs(gap) 1 ago >= highest(abs(gap), 20) 1 ago"),
    ("It had a small body", "doji 1 ago"),
)  # fmt: skip

_NIGHT = _of(
    NIGHT, "night",
    ("The night ended above the close", "overnight.close > close 1 ago"),
    ("The night ended below the close", "overnight.close < close 1 ago"),
    ("The night gained more than 0.5%", "overnight.close > close 1 ago * 1.005"),
    ("The night lost more than 0.5%", "overnight.close < close 1 ago * 0.995"),
    ("The night's low came before its high", "overnight.low_first"),
    ("The night's high came before its low", "overnight.high_first"),
    ("The night ended in the upper fifth of its range", "overnight.place > 80%"),
    ("The night ended in the lower fifth of its range", "overnight.place < 20%"),
    ("The night's range was under 60% of the usual", "overnight.range < 60% * sma(overnight.range, 20) 1 ago"),
    ("The night's range was over one and a half times the usual", "overnight.range > 1.5 * sma(overnight.range, 20) 1 ago"),
    ("The night went above the high before", "overnight.high > high 1 ago"),
    ("The night went below the low before", "overnight.low < low 1 ago"),
    ("The night stayed within the range before", "overnight.high < high 1 ago and overnight.low > low 1 ago"),
    ("The night fell below the low before and came back", "overnight.low < low 1 ago and overnight.close > low 1 ago"),
    ("The night rose above the high before and came back", "overnight.high > high 1 ago and overnight.close < high 1 ago"),
)  # fmt: skip

_GAP = _of(
    GAP, "bell",
    ("It opens above the close", "open > close 1 ago"),
    ("It opens below the close", "open < close 1 ago"),
    ("It opens within 0.2% of the close", "gap between -0.2% and 0.2%"),
    ("It opens more than 0.5% higher", "gap > 0.5%"),
    ("It opens more than 0.5% lower", "gap < -0.5%"),
    ("It opens above the high before", "open > high 1 ago"),
    ("It opens below the low before", "open < low 1 ago"),
    ("It opens above the night's middle", "open > (overnight.high + overnight.low) / 2"),
    ("It opens below the night's middle", "open < (overnight.high + overnight.low) / 2"),
    ("Its gap is the largest of 20 sessions", "abs(gap) > highest(abs(gap), 20) 1 ago"),
)  # fmt: skip

_STANDS = _of(
    STANDS, "evening",
    *((f"The close is {word} the {n}-day average", f"close 1 ago {sign} sma({n}) 1 ago")
      for n in (20, 50, 200) for word, sign in (("above", ">"), ("below", "<"))),
    ("The averages of 20, 50 and 200 days are in order", "stacked(sma, 20, 50, 200) 1 ago"),
    ("It is at a 20-day high", "close 1 ago >= highest(close, 20) 1 ago"),
    ("It is at a 20-day low", "close 1 ago <= lowest(close, 20) 1 ago"),
    ("It is within 3% of its 60-day high", "close 1 ago near highest(high, 60) 1 ago by 3%"),
    ("It is within 3% of its 60-day low", "close 1 ago near lowest(low, 60) 1 ago by 3%"),
    ("It is within 1% of its year's high", "off_high(252) 1 ago > -1%"),
    ("It is more than a tenth under its year's high", "off_high(252) 1 ago < -10%"),
    ("It is over the upper 20-day band", "close 1 ago > bb_upper(20) 1 ago"),
    ("It is under the lower 20-day band", "close 1 ago < bb_lower(20) 1 ago"),
    ("It is in a squeeze", "squeeze 1 ago"),
    ("Its 14-day strength is over 70", "rsi(14) 1 ago > 70"),
    ("Its 14-day strength is under 30", "rsi(14) 1 ago < 30"),
)  # fmt: skip

_RUNS = _of(
    RUNS, "evening",
    *((f"{words} sessions {word} in a row or more", f"streak({move}) 1 ago >= {n}")
      for n, words in ((2, "Two"), (3, "Three"), (4, "Four"), (5, "Five"))
      for word, move in (("up", "close > close 1 ago"), ("down", "close < close 1 ago"))),
    ("Three rising lows", "rising(low, 3) 1 ago"),
    ("Three falling highs", "falling(high, 3) 1 ago"),
    ("It gained more than 3% in five sessions", "roc(5) 1 ago > 3%"),
    ("It lost more than 3% in five sessions", "roc(5) 1 ago < -3%"),
    ("Up after two sessions down", "close 1 ago > close 2 ago and streak(close < close 1 ago) 2 ago >= 2"),
    ("Down after two sessions up", "close 1 ago < close 2 ago and streak(close > close 1 ago) 2 ago >= 2"),
)  # fmt: skip

_CALENDAR = _of(
    CALENDAR, "evening",
    *((f"It is a {day}", f'weekday == "{day}"') for day in ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday")),
    ("It is the first session of a week", "first_of(week)"),
    ("It is the last session of a week", "last_of(week)"),
    ("It is the first session of a month", "first_of(month)"),
    ("It is the last session of a month", "last_of(month)"),
    ("It is one of the first three days of a month", "day_of_month <= 3"),
    ("It is the first session of a quarter", "first_of(quarter)"),
    ("It is the last session of a quarter", "last_of(quarter)"),
    *((f"It is {name}", f"month == {n}") for n, name in enumerate((
        "January", "February", "March", "April", "May", "June", "July", "August", "September", "October", "November", "December"), 1)),
)  # fmt: skip

_NEWS = _of(
    NEWS, "evening",
    ("{event} is announced", 'event("{event}")'),
    ("{event} was announced the session before", 'event("{event}") 1 ago'),
)  # fmt: skip

STATEMENTS = (*_BEFORE, *_NIGHT, *_GAP, *_STANDS, *_RUNS, *_CALENDAR, *_NEWS)
# What stays open until the bell and can be looked at both ways: what a session does, and what it does instead.
BOTH_WAYS = (
    ("open > close 1 ago", "open < close 1 ago"),
    ("gap > 0.5%", "gap < -0.5%"),
    ("open > high 1 ago", "open < low 1 ago"),
    ("open > (overnight.high + overnight.low) / 2", "open < (overnight.high + overnight.low) / 2"),
)


def statements_of(events: Iterable[str]) -> tuple[Statement, ...]:
    """All statements for a market with these kinds of announcements."""
    kinds = [name for name in events if '"' not in name]
    found: list[Statement] = []
    for one in STATEMENTS:
        if "{event}" not in one.line:
            found.append(one)
            continue
        for name in kinds:
            found.append(replace(one, words=one.words.replace("{event}", name), line=one.line.replace("{event}", name)))
    return tuple(found)
