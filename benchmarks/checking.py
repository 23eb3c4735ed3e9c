"""How long it takes to check a text as long as the limits allow: each of the ways to fill one, cut at the last line that is accepted.

python benchmarks/checking.py
"""

import statistics
import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).resolve().parent.parent))

from wickcore.language.check import check_rule
from wickcore.language.parser import MAX_CHARACTERS, MAX_LINES
from wickcore.language.problems import RuleError

WAYS = {
    "alike lines": "close > sma(20) and high > open + 1",
    "all different": "close > sma({n}) and high > open + {k} * atr({m}) and rsi({n}) > 50 and volume > 2 * sma(volume, {m})",
    "sums": "1 < " + " + ".join(["open"] * 20),
    "chains": " < ".join(["1"] * 40),
    "brackets": "(" * 31 + "1 < 2" + ")" * 31,
    "long definitions": "adx({n}) > {k} and adx({m}) > plus_di({n})",
    "patterns": "base(k={a}, lasts={n}).upper.now < flag_bull(k={a}, lasts={m}).lower.now",
    "weeks": "close {n}w ago > 1 and on(week, sma({m})) > on(month, ema({n}))",
    "stacks": "stacked(ema, {n}, {m}, 5{k}, 6{k}, 7{k})",
    "ranks": "rank(change({n}), in=sector) > 5 and rank(change({m})) > 5",
    "unknown names": "clsoe{k} > smaa({n})",
    "broken lines": "close >> sma(close, {n})",
}


def text(way: str) -> str:
    lines, left = [], MAX_CHARACTERS
    for k in range(MAX_LINES - 1):
        line = WAYS[way].format(k=k, n=k + 2, m=k + 220, a=2 + k % 20)
        left -= len(line) + 1
        if left < 0:
            break
        lines.append(line)
    return "\n".join(lines)


def problems(text: str) -> list[str]:
    try:
        check_rule(text)
    except RuleError as error:
        return [p.message for p in error.problems]
    return []


def accepted(text: str) -> str:
    """As many of its lines as the limits on words and steps allow."""
    lines = text.split("\n")
    while any("is at most" in said or "at most 3,000 steps" in said for said in problems("\n".join(lines))):
        lines.pop()
    return "\n".join(lines)


def main() -> None:
    print("| text | lines | characters | seconds |\n|---|---|---|---|")
    for way in WAYS:
        kept, seconds = accepted(text(way)), []
        for _ in range(15):
            begun = time.perf_counter()
            problems(kept)
            seconds.append(time.perf_counter() - begun)
        print(f"| {way} | {kept.count(chr(10)) + 1} | {len(kept):,} | {statistics.median(seconds):.3f} |", flush=True)


if __name__ == "__main__":
    main()
