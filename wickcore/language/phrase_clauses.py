"""What stands around a condition in a sentence: not, ago, first, then, after, or, for a time, so many of so many.

Each rule takes the words around a condition away, has the rest read as a condition of its own, and puts the language's words around the line.
A rule that cannot read its rest gives None, and the sentence is left to the others.
"""

import re
from collections.abc import Callable

from wickcore.language.phrase_operands import operand

Line = Callable[[str], "str | None"]
Clause = Callable[..., "str | None"]
BARS = {"day": 1, "session": 1, "bar": 1, "close": 1, "time": 1, "week": 5, "month": 21, "quarter": 63, "year": 252}
TIME = r"(\d+) (days?|sessions?|bars?|weeks?|months?|quarters?|years?|closes)"
_A_TIME = TIME.replace("(", "(?:")
_FLIP = {">": "<=", ">=": "<", "<": ">=", "<=": ">"}
_DAYS = r"(?:days?|bars?|sessions?|closes)"


def span(n: str, unit: str) -> int:
    """A time said in words, in bars of the rule: two weeks are ten sessions."""
    return int(n) * BARS[unit.rstrip("s") if unit.rstrip("s") in BARS else unit]


def negated(line: str) -> str:
    """The line that is true where this one is false: a single comparison turned round, else `not (…)`."""
    if not re.search(r" (?:and|or|held|once|ago|near|between|crosses) ", f" {line} "):
        found = re.fullmatch(r"(.+?) (>=|<=|>|<) (.+)", line)
        if found and not re.search(r"[<>]", found.group(1) + found.group(3)):
            return f"{found.group(1)} {_FLIP[found.group(2)]} {found.group(3)}"
    return f"not {line}" if re.fullmatch(r"\w+(\([^()]*\))?", line) else f"not ({line})"


def grouped(line: str) -> str:
    """In brackets, where something stands behind it that would take only its end."""
    return line if re.fullmatch(r"[\w.]+(\([^()]*\))?", line) else f"({line})"


def whole(line: str) -> str:
    """In brackets, where it is of several conditions."""
    plain = re.sub(r" between (?:[^()]|\([^()]*\))+? and ", " ", line)
    return f"({line})" if re.search(r" (?:and|or) ", plain) else line


def earlier(line: str, n: int) -> str:
    return f"{grouped(line)} {n} ago"


def _joined(line: str, word: str) -> str:
    """The line as a part of one joined by `word`."""
    other = " or " if word == "and" else " and "
    return f"({line})" if other in f" {line} " else line


_EXTREME = re.compile(r"\bnew (?:\d+ \w+ )?(?:closing )?(?:highs?|lows?)\b")


def _over_time(rest: str, n: str, unit: str, line: Line) -> str | None:
    if _EXTREME.search(rest):  # a new high for three months is a three-month high, not one of each day
        return None
    inner = line(rest)
    if inner is None or " held " in inner or " once in " in inner:
        return None
    return f"{whole(inner)} held {span(n, unit)}"


def _state(line: str) -> str:
    """A crossing as the state it leads into: what has not been so before the first time."""
    return line.replace(" crosses above ", " > ").replace(" crosses below ", " < ")


def _first(rest: str, n: str, unit: str, line: Line) -> str | None:
    inner = line(rest)
    if inner is None:
        return None
    state = _state(inner)
    return f"{_joined(state, 'and')} and ({negated(state)} held {span(n, unit)}) 1 ago"


def _then(before: str, after: str, line: Line) -> str | None:
    first, second = line(before), line(after)
    if first is None or second is None:
        return None
    return f"{_joined(second, 'and')} and {earlier(first, 1)}"


def _after(now: str, before: str, line: Line) -> str | None:
    """“a hammer after three down days”: right after a run of bars, or a bar of a kind. After an event, such as a new high, may be any time."""
    first = line(before)
    if first is None or not (" held " in first or re.fullmatch(r"[a-z_]+", first)):
        return None
    return _then(before, now, line)


_COMPARED = r"(?:above|over|below|under|at least|at most|more than|less than)"


def _either(said: str, line: Line) -> str | None:
    # “rsi below 30 or above 70”, “close above the 50 day or the 200 day”: of what was spoken of before.
    halves = re.fullmatch(rf"(.+?) ({_COMPARED} .+?) or ({_COMPARED} .+)", said)
    levels = re.fullmatch(r"(.+?) (above|over|below|under) (.+?) or (.+)", said)
    if halves:
        parts = [line(f"{halves.group(1)} {half}") for half in halves.groups()[1:]]
    elif levels and operand(levels.group(4)):
        parts = [line(f"{levels.group(1)} {levels.group(2)} {level}") for level in levels.groups()[2:]]
    else:
        parts = [line(part) for part in re.split(r",? or (?:else )?", said)]
    known = [part for part in parts if part is not None]
    return " or ".join(_joined(part, "or") for part in known) if 1 < len(known) == len(parts) else None


def _not(rest: str, line: Line) -> str | None:
    once = re.fullmatch(rf"(.+?) (?:in|for|within) (?:the last |the past )?{TIME}", rest)
    inner = (_once(once.group(1), once.group(2), once.group(3), line) if once else None) or line(rest)
    return None if inner is None or inner.startswith("not ") else negated(inner)


def _count(least: str | None, n: str, m: str, rest: str, line: Line) -> str | None:
    """“at least 7 of the last 10 closes above the 20 day”."""
    inner = line(rest) or line(f"close {rest}")
    if inner is None or int(n) > int(m):
        return None
    return f"count({inner}, {m}) {'<=' if least and least.startswith(('at most', 'no more')) else '>='} {n}"


def _more_days(first: str, second: str, n: str, unit: str, line: Line) -> str | None:
    a, b = line(f"{first} day"), line(f"{second} day")
    if a is None or b is None:
        return None
    a, b = (
        "close > close 1 ago" if w == "up" else "close < close 1 ago" if w == "down" else x for w, x in ((first, a), (second, b))
    )
    return f"count({a}, {span(n, unit)}) > count({b}, {span(n, unit)})"


def _all_of(n: str, field: str, words: str, line: Line) -> str | None:
    inner = line(f"{field[:-1]} {words}")
    return f"{inner} held {n}" if inner and inner.startswith(f"{field[:-1]} ") else None


def _nth(rest: str, n: str, line: Line) -> str | None:
    return _over_time(rest, n, "day", line)


def _nth_day(rest: str, n: str, line: Line) -> str | None:
    """“for the third day”; “for the 50 day” is of an average."""
    return _nth(rest, n, line) if int(n) < 10 else None


def _once(rest: str, n: str, unit: str, line: Line) -> str | None:
    if re.match(r"(?:is |was |has |had )?(?:not|no|never|without)\b", rest):  # not once, rather than once not: see `_not`
        return None
    # “within 3% of the high in the last ten days”, “up 5% in the last week”: the time is of the high and of the move.
    if re.search(r"\b(?:highs?|lows?|highest|lowest|report\w*)\b|%", rest) and not (
        _EXTREME.search(rest) or rest.startswith("gap")
    ):
        return None
    inner = line(rest)
    if inner is None or " held " in inner or " once in " in inner or re.match(r"(change|triggered|failed)\(", inner):
        return None
    return f"{whole(inner)} once in {span(n, unit)}"


def _both(first: str, second: str, way: str, sign: str) -> str | None:
    a, b = operand(first), operand(second)
    if a is None or b is None:
        return None
    slope = "rising" if way in ("rising", "up", "sloping up", "pointing up", "turning up") else "falling"
    return f"{a} {sign} {b} and {slope}({a}, 1) and {slope}({b}, 1)"


_RULES: tuple[tuple[str, Clause], ...] = (
    (r"(?:only )?(?:when|if|while) (.+)", lambda rest, line: line(rest)),
    (r"either (.+)", _either),
    (r"(.+? or .+)", _either),
    (r"now (.+)", lambda rest, line: line(rest)),
    (r"(.+) (?:today|now)", lambda rest, line: line(rest)),
    (r"today (?:is |was |it is )?(?:an? )?(.+)", lambda rest, line: line(rest)),
    (rf"(.+?),? (?:for the )?first time in (?:more than |over |at least )?{TIME}", _first),
    (rf"(?:the |its )?first (.+?) (?:in|for|after) (?:more than |over |at least )?{TIME}", _first),
    (rf"(.+?),? (?:now )?for the (\d+) {_DAYS}(?: in a row| running)?", _nth_day),
    (r"(?:at least |the last |each of the last )?(\d+) (?:of the last )?(lows|highs|closes|opens) (?:were |are |have been )?(?:all )?((?:above|below|over|under) .+)", _all_of),
    (r"(?:the )?last (\d+) (lows|highs|closes|opens) (?:were |are |have been )?(?:all )?((?:above|below|over|under) .+)", _all_of),
    (rf"(at least |at most |no more than )?(\d+) (?:out )?of (?:the )?(?:last |past )?(\d+) {_DAYS} (?:closed |were |was )?(.+)", _count),
    (rf"(.+?),? (?:on )?(at least |at most |no more than )?(\d+) (?:out )?of (?:the )?(?:last |past )?(\d+) {_DAYS}",
     lambda rest, least, n, m, line: _count(least, n, m, rest, line)),
    (rf"(.+?),? (?:on )?(at least |at most |no more than )?(\d+) {_DAYS} out of (?:the last |the past )?(\d+)",
     lambda rest, least, n, m, line: _count(least, n, m, rest, line)),
    (rf"more (up|down|green|red) (?:days )?than (up|down|green|red) days (?:in|over|of|during) (?:the )?(?:last |past )?{TIME}", _more_days),
    (rf"(.+?),? (?:held |holding |lasting )?for (?:at least |more than |the last |the past )?{TIME}(?: in a row| running| straight| now)?", _over_time),
    (rf"(.+?),? (\d+) {_DAYS} (?:in a row|running|straight)", _nth),
    (rf"(.+?),? (?:at least once |some time )?(?:in|within|during|over) the (?:last|past) {TIME}", _once),
    (r"(.+),? (?:and )?then (?:it |closed |is )?(.+)", _then),
    (r"(.+?) after (?:an? |the )?(.+)", _after),
    (rf"(.+) (\d+) {_DAYS} ago", lambda rest, n, line: (lambda x: earlier(x, int(n)) if x else None)(line(rest))),
    (r"(.+) yesterday", lambda rest, line: (lambda x: earlier(x, 1) if x and " held " not in x and " once in " not in x else None)(line(rest))),
    (r"(?:is |are |was |were |has |have |had |does |do |did |it is )?(?:not|no) (?:an? |been |yet )?(.+)", _not),
    (rf"(?:has |have |had )?never (?:been )?(.+? (?:in|for|within) (?:the last |the past )?{_A_TIME})", _not),
    (r"(?:without|excluding|except|avoid(?:ing)?) (?:an? )?(.+)", _not),
)  # fmt: skip

_BOTH = re.compile(
    r"(.+?) (?:is |are )?(above|over|below|under) (.+?),? (?:and )?both (?:are )?(rising|up|sloping up|pointing up|turning up|falling|down|sloping down|pointing down|turning down)"
)


_PERIODS = re.compile(
    r"\b(?:a|the last|the past) (?:full |whole )?(week|month|quarter|year)\b(?! (?:high|low|average|chart|range))"
)


def with_times_counted(said: str) -> str:
    """“for a week”, “in the last month”: the one that is meant, as a number."""
    return _PERIODS.sub(lambda m: f"the last 1 {m.group(1)}" if m.group(0).startswith("the") else f"1 {m.group(1)}", said)


def clause(said: str, line: Line) -> str | None:
    """The line of a condition with words around it, or None. line: reads a condition."""
    both = _BOTH.fullmatch(said)
    if both:
        return _both(both.group(1), both.group(3), both.group(4), ">" if both.group(2) in ("above", "over") else "<")
    for pattern, make in _RULES:
        match = re.fullmatch(pattern, said)
        if match:
            made = make(*match.groups(), line)
            if made:
                return made
    return None


_AVERAGES = r"(?:ema|sma|wma|hma|ma|day(?: (?:moving )?average| ma| ema| sma)?|(?:simple |exponential )?(?:moving )?average)"


_OSCILLATOR = re.compile(r"\b(?:rsi|stochastics?|adx|cci|mfi|macd|beta|pe|volume)\b")


def with_averages_named(said: str) -> str:
    """“the 20 ema but above the 50”: a bare number that stands where an average would, said as the average before it."""
    known = re.search(rf"\b\d+ (?:days? |period |bar )?({_AVERAGES})\b", said)
    if known is None:
        return said
    kind = known.group(1)
    if kind == "day" or kind == "days":
        kind = "day average"

    def named(match: re.Match[str]) -> str:
        part = re.split(r",| and | but | with | while ", said[: match.start()])[-1]
        return match.group(0) if _OSCILLATOR.search(part) else f"{match.group(1)}{match.group(2)} {kind}"

    said = re.sub(
        rf"\b((?:above|below|over|under|than|to|at|and|of|reclaimed|lost|through) (?:the|its) )(\d{{1,3}})(?=,| but| and| both| on| with|$)(?! {_AVERAGES})",
        named, said,
    )  # fmt: skip
    return re.sub(
        rf"^((?:the )?\d+ {_AVERAGES} (?:is |are )?(?:above|below|over|under|crossed above|crosses above|crossed below|crosses below) (?:the )?)(\d{{1,3}})(?=,| but| and| both|$)",
        rf"\1\2 {kind}", said,
    )  # fmt: skip
