"""Lines made from what a phrase says of moves, distances, extremes and volume."""

import re

from wickcore.language.phrase_operands import bars, operand

_MORE, _LEAST = r"(?:more than|over|above|greater than|bigger than|larger than)", r"(?:at least|no less than|minimum of|min)"


def operator(words: str | None, default: str = ">=", falling: bool = False) -> str:
    """`>` for "more than", `>=` for "at least" or nothing; turned round for falls."""
    words = (words or "").strip()
    sign = ">" if re.fullmatch(_MORE, words) else default
    return {">": "<", ">=": "<="}[sign] if falling else sign


def move(way: str, words: str | None, percent: str | None, n: str | None, unit: str | None, when: str | None) -> str:
    falling = way in ("down", "lost", "fell", "fallen", "dropped", "off", "loses", "falls", "drops", "declined")
    if when and "week" in when:
        measure = "on(week, change)"
    elif when and "month" in when:
        measure = "on(month, change)"
    else:
        measure = (
            f"change({bars(n, unit)})"
            if n and n != "1"
            else f"change({bars('1', unit)})"
            if n and bars("1", unit) != "1"
            else "change"
        )
    if percent is None:
        return f"{measure} {'<' if falling else '>'} 0"
    return f"{measure} {operator(words, falling=falling)} {'-' if falling else ''}{percent}%"


def streak(n: str, way: str) -> str:
    sign = "<" if way in ("down", "lower", "falling", "red", "losing") else ">"
    return f"close {sign} close 1 ago held {n}"


def distance(words: str | None, percent: str, side: str, target: str) -> str | None:
    level = operand(target)
    if level is None:
        return None
    below = side in ("below", "under", "off", "from", "down from", "beneath")
    extreme = re.fullmatch(r"(highest|lowest)\((high|low), (\w+)\)", level)
    if extreme and extreme.group(1) == "highest" and below:
        return f"off_high({extreme.group(3)}) {operator(words, falling=True)} -{percent}%"
    if extreme and extreme.group(1) == "lowest" and not below:
        return f"above_low({extreme.group(3)}) {operator(words)} {percent}%"
    return f"close / {level} - 1 {operator(words, falling=below)} {'-' if below else ''}{percent}%"


def within(percent: str, target: str) -> str | None:
    level = operand(target)
    if level is None:
        return None
    extreme = re.fullmatch(r"(highest|lowest)\((high|low), (\w+)\)", level)
    if extreme and extreme.group(1) == "highest":
        return f"off_high({extreme.group(3)}) >= -{percent}%"
    if extreme and extreme.group(1) == "lowest":
        return f"above_low({extreme.group(3)}) <= {percent}%"
    return f"close near {level} by {percent}%"


def new_extreme(close: str | None, n: str, unit: str | None, side: str, last: str | None) -> str:
    price, extreme, sign = ("high", "highest", ">") if side == "high" else ("low", "lowest", "<")
    field = "close" if close else price
    line = f"{field} {sign} {extreme}({price}, {bars(n, unit)}) 1 ago"
    return f"{line} once in {last}" if last else line


def share_of_range(part: str, share: str) -> str:
    upper = part in ("upper", "top", "highest")
    portion = {"half": 50.0, "third": 100 / 3, "quarter": 25.0, "fifth": 20.0, "10": 10.0}[share]
    bound = 100 - portion if upper else portion
    return f"closing_place {'>' if upper else '<'} {bound:.10g}%"


def gap(way: str, words: str | None, percent: str | None) -> str:
    down = way == "down"
    if percent is None:
        return "gap < 0" if down else "gap > 0"
    return f"gap {operator(words, falling=down)} {'-' if down else ''}{percent}%"


def volume_above(words: str | None, percent: str, target: str) -> str | None:
    level = operand(target if "volume" in target else f"{target} volume")
    return f"volume {operator(words)} {100 + float(percent):.10g}% * ({level} 1 ago)" if level and level.startswith("sma") else None
