"""What people call things elsewhere, and how it is written here: each way to say it leads to a line that checks, one key away.

A line that cannot be read or names what is not known is written anew by the table below; the result is offered where the whole of it checks,
and only there. So is a name that is merely like one that is known.
"""

import math
import re
from collections.abc import Callable, Collection, Sequence
from functools import cache

from wickcore.language.problems import Problem

MOST = 4  # lines of a rule for which a mend is looked for
LONGEST = 400  # signs of a line that is looked up in the table: the time it takes grows with their square
_PRICE = r"(open|high|low|close|volume)"
_VALUE = r"([a-z_][\w.]*(?:\((?:[^()]|\([^()]*\))*\))?|[\d.]+%?)"
_BARS = r"(?:\s*(?:bars?|days?|sessions?))?"
_YEAR_HIGH = r"(?:52[ _-]?(?:w|wk|week)s?[ _-]?high|week52high|high52|year(?:ly)?[ _-]high)"
_YEAR_LOW = _YEAR_HIGH.replace("high", "low")
# In their order: signs and numbers, what stands between values, then names. The longer before what is a part of it.
CALLED: tuple[tuple[str, str | Callable[[re.Match[str]], str]], ...] = (
    (r"\$\s*(?=\d)", ""),
    (r"(?<=\d)_(?=\d{3})", ""),
    (r"(?<![\w.,(])(\d{1,3}(?:,\d{3})+)\b(?!\s*[,)])", lambda m: m.group(1).replace(",", "")),
    (r"(?<=\d)\s*bn\b", "b"),
    (r"(?<=\d)\s*(?:mm|mn|mio|million)\b", "m"),
    (r"(?<=\d)\s*(?:billion)\b", "b"),
    (r"(?<=\d)\s*(?:thousand)\b", "k"),
    (r"\b(\d+)\s*(?:y|yr|yrs)\b", lambda m: f"{52 * int(m.group(1))}w"),
    (r"(?<=\d)\s+%", "%"),
    (r"&&|\bAND\b", "and"),
    (r"\|\||\bOR\b", "or"),
    (r"!(?!=)", "not "),
    (r"<>", "!="),
    (r"=>|>==", ">="),
    (r"=<|<==", "<="),
    (r"===", "=="),
    (rf"\b{_PRICE}\s*\[\s*-?(\d+)\s*\]", r"\1 \2 ago"),
    (rf"{_VALUE}\s*\[\s*-?(\d+)\s*\]", r"\1 \2 ago"),
    (rf"\b{_PRICE}\.(\d+)\b", r"\1 \2 ago"),
    (rf"\b(?:yesterday(?:'s)?|prev|previous|prior)[ _]{_PRICE}\b", r"\1 1 ago"),
    (rf"\b{_PRICE}[ _](?:yesterday|prev|previous)\b", r"\1 1 ago"),
    (r"\b(?:yesterday|prev|previous|prev_close|prior_close)\b", "close 1 ago"),
    (r"\bis (?:above|over|greater than|more than|higher than)\b", ">"),
    (r"\bis (?:below|under|less than|lower than)\b", "<"),
    (r"\bis (?:at least|not below)\b", ">="),
    (r"\bis (?:at most|not above)\b", "<="),
    (r"\bis (?=[<>=!])", ""),
    (r"\bis between\b", "between"),
    (r"\bis not\b", "!="),
    (r"\bis\b", "=="),
    (r"\bcross(?:es|ed|ing)?[ _](?:over|up)\b", "crosses above"),
    (r"\bcross(?:es|ed|ing)?[ _](?:under|down)\b", "crosses below"),
    (
        rf"\b(?:cross|crossover|cross_over|crosses_above|cross_above|crossed_above)\(\s*{_VALUE}\s*,\s*{_VALUE}\s*\)",
        r"\1 crosses above \2",
    ),
    (
        rf"\b(?:crossunder|cross_under|crosses_below|cross_below|crossed_below)\(\s*{_VALUE}\s*,\s*{_VALUE}\s*\)",
        r"\1 crosses below \2",
    ),
    (r"\bwithin ([\d.]+%) of (?:its |the )?(.+)$", r"near \2 by \1"),
    (rf"\b(?:in|within|over|during) the (?:last|past) (\d+){_BARS}", r"once in \1"),
    (rf"\bfor (?:the (?:last|past) )?(\d+){_BARS}", r"held \1"),
    (rf"([\d.]+%) of {_VALUE}", r"\1 * \2"),
    (r"\b(\d+(?:\.\d+)?)\s*(?:x|times) (?=[a-z(])", r"\1 * "),
    (rf"\bbetween {_VALUE} (?:to|-) {_VALUE}", r"between \1 and \2"),
    (r"([(,]\s*[a-z_]\w*\s*=(?!=))|(?<![<>=!])=(?!=)", lambda m: m.group(1) or "=="),  # an argument's name keeps its own
    (r"\b([a-z_]+)\s*==\s*true\b", r"\1"),
    (r"\b([a-z_]+)\s*==\s*false\b", r"not \1"),
    (r"\b(squeeze)\s*>=?\s*(\d+)\b", r"\1 held \2"),
    (r"^\s*(?:include|import|rule|scan|filter)\s*\(?\s*(\"[^\"]*\")\s*\)?\s*$", r"use \1"),
    (r"\b(sector|kind|symbol|weekday) in (\"[^\"]*\")", r"\1 in (\2)"),
    (r"\b(?:new|fresh)[ _](?:52[ _-]?(?:w|wk|week)s?[ _-]|year(?:ly)?[ _])?high\b", "close > highest(high, 52w) 1 ago"),
    (r"\b(?:new|fresh)[ _](?:52[ _-]?(?:w|wk|week)s?[ _-]|year(?:ly)?[ _])?low\b", "close < lowest(low, 52w) 1 ago"),
    (rf"^\s*{_YEAR_HIGH}\s*$", "close > highest(high, 52w) 1 ago"),
    (rf"^\s*{_YEAR_LOW}\s*$", "close < lowest(low, 52w) 1 ago"),
    (r"^\s*(?:ath|all[ _-]?time[ _-]?high)\s*$", "close > highest(high, all) 1 ago"),
    (r"^\s*(?:atl|all[ _-]?time[ _-]?low)\s*$", "close < lowest(low, all) 1 ago"),
    (rf"\b{_YEAR_HIGH}\b", "highest(high, 52w)"),
    (rf"\b{_YEAR_LOW}\b", "lowest(low, 52w)"),
    (r"\b(?:ath|all[ _-]?time[ _-]?high)\b", "highest(high, all)"),
    (r"\b(?:atl|all[ _-]?time[ _-]?low)\b", "lowest(low, all)"),
    (r"\batr\s*%(\s*[<>]=?\s*)([\d.]+)(?![\d%])", r"natr(14)\1\2%"),
    (r"\batr(?:\s*%|_pct|_percent)", "natr(14)"),
    (r"\b(?:avg|average|mean)[ _]?(?:dollar[ _]?vol(?:ume)?|turnover)\b(?!\()", "avg_turnover(20)"),
    (r"\bdollar[ _]?vol(?:ume)?\b", "turnover"),
    (r"\b(?:avg|average|mean|ave)[ _]?vol(?:ume)?\s*\(\s*(\d+)\s*\)", r"sma(volume, \1)"),
    (r"\b(?:avg|average|mean|ave)[ _]?vol(?:ume)?[ _]?(\d+)\b", r"sma(volume, \1)"),
    (r"\b(?:avg|average|mean|ave)[ _]?vol(?:ume)?\b", "sma(volume, 20)"),
    (r"\b(?:rvol|relvol|rel[ _]?vol|relative[ _]volume)\b(?!\()", "rel_volume(20)"),
    (r"\b(?:market[ _]?cap(?:itali[sz]ation)?|mkt[ _]?cap|mcap|marketcap)\b", "market_cap"),
    (r"\bperf(?:ormance)?\s*\(", "change("),
    (r"\b(?:perf(?:ormance)?|return|returns)\b", "change(21)"),
    (r"\b(?:days[ _]to[ _]earnings|days[ _]until[ _]earnings|earnings[ _]date|next[ _]earnings|earnings)\b", "days_to_report"),
    (r"\b(sma|ema|wma|rsi|atr|adx|cci|mfi)_?(\d+)\b", r"\1(\2)"),
    (r"\bma_?(\d+)\b", r"sma(\1)"),
    (r"\bma\s*\(", "sma("),
    (r"\b(?:the )?(\d+)[ -]?(?:dma|sma|ma)\b", r"sma(\1)"),
    (r"\b(?:the )?(\d+)[ -]?(?:dema|ema)\b", r"ema(\1)"),
    (r"\b(?:the )?(\d+)[ -]?(?:d|days?|bars?)[ -](?:simple )?(?:moving )?average\b", r"sma(\1)"),
    (r"\b(?:the )?(\d+)[ -]?(?:d|days?|bars?)[ -]exponential (?:moving )?average\b", r"ema(\1)"),
    (r"\bmacd[ _]line\b", "macd"),
    (r"\b(?:signal[ _]line|macd[ _]signal[ _]line|signal)\b", "macd_signal"),
    (r"\bstoch(?:astics?)?(?:[ _](?:k|%k))?\b(?!_)", "stoch_k"),
    (r"\b(?:bollinger|bb)[ _]?(?:band[ _])?(upper|lower|width)\b", r"bb_\1"),
    (r"\b(upper|lower)[ _]?(?:bollinger[ _]?)?band\b", r"bb_\1"),
    (r"\bgap(?:s|ped|ping)?[ _]?up\b", "gap > 0"),
    (r"\bgap(?:s|ped|ping)?[ _]?down\b", "gap < 0"),
    (r"\b(?:green|up[ _](?:day|bar))\b", "close > open"),
    (r"\b(?:red|down[ _](?:day|bar))\b", "close < open"),
    (r"\bp/e\b", "pe"),
    (r"\b(?:has|with)[ _]options\b", "optionable"),
    (r"\binside[ _](?:day|candle)\b", "inside_bar"),
    (r"\boutside[ _](?:day|candle)\b", "outside_bar"),
    (r"\b(?:price|last[ _]price|closing[ _]price|last)\b", "close"),
)


@cache
def _table() -> tuple[tuple[re.Pattern[str], str | Callable[[re.Match[str]], str]], ...]:
    """The table, made when it is first looked in: a rule without errors never does."""
    return tuple((re.compile(pattern, re.IGNORECASE if pattern.islower() else 0), to) for pattern, to in CALLED)


_NEAR = re.compile(r"\bnear (?!.*\bby\b)(.+)$")
_OFFERED = re.compile(r": did you mean `[^`]*`\?$")
_WORD = re.compile(r"[a-z_]\w*")
_OWN = re.compile(r"^\s*(?:let|dial)\s+([a-z_]\w*)", re.MULTILINE)
_QUOTED = re.compile(r'"[^"]*"')


def written_here(line: str, own: Collection[str] = ()) -> str:
    """The line as the table says it; as it was where nothing of it is in the table. own: names of the rule's own, which mean what it says."""
    code, sign, comment = line.partition("#")
    if len(code) > LONGEST:
        return line
    texts = _QUOTED.findall(code)
    numbers = iter(range(len(texts)))
    now = _QUOTED.sub(lambda m: f'"{chr(0xE000 + next(numbers))}"', code.rstrip())  # what stands in quotes is nobody's word
    named = re.match(r"\s*(?:let|dial)\s+\w+\s*=", now)
    head, now = (now[: named.end()], now[named.end() :]) if named else ("", now)
    for pattern, to in _table():

        def said(m: re.Match[str], to: str | Callable[[re.Match[str]], str] = to) -> str:
            if own and not {*_WORD.findall(m.group())}.isdisjoint(own):
                return m.group()
            return m.expand(to) if isinstance(to, str) else to(m)

        now = pattern.sub(said, now)
    now = _NEAR.sub(r"near \1 by 2%", now)
    for i, text in enumerate(texts):
        now = now.replace(f'"{chr(0xE000 + i)}"', text)
    return head + now + (f"  {sign}{comment}" if sign else "")


def mended(problems: Sequence[Problem], text: str, check: Callable[[str], Sequence[Problem]]) -> list[Problem]:
    """The problems with mends that mend: a line of the table's where it checks, a name like another only where it does.

    check: all problems of a text.
    """
    lines, own, tried, found = text.split("\n"), {*_OWN.findall(text)}, 0, []
    for p in sorted(set(problems)):
        line = lines[p.line - 1] if p.line <= len(lines) else ""
        if tried == MOST or not line.strip():
            found.append(p)
            continue
        tried += 1
        near = None if p.mend is None else line[: p.column - 1] + p.mend + line[p.column - 1 + p.length :]
        guessed = _OFFERED.search(p.message) is not None
        if near is not None and not guessed and _checks(lines, p.line, near, check):
            found.append(p)
            continue
        wide = written_here(line, own)
        if wide != line and _checks(lines, p.line, wide, check):
            start = len(line) - len(line.lstrip())
            mend = wide.strip()
            said = f"{_OFFERED.sub('.', p.message)} Here it is written `{mend}`."
            found.append(Problem(p.line, start + 1, len(line.rstrip()) - start, said, mend))
        elif p.mend is not None and near is not None and guessed:
            good = _checks(lines, p.line, near, check, p.column + len(p.mend))
            found.append(p if good else Problem(p.line, p.column, p.length, _OFFERED.sub(".", p.message)))
        else:
            found.append(p)
    return found


def _checks(lines: list[str], number: int, line: str, check: Callable[[str], Sequence[Problem]], upto: float = math.inf) -> bool:
    """Whether the rule has no problem in the line put in place, up to a column of it: what comes after has a mend of its own."""
    whole = "\n".join([*lines[: number - 1], line, *lines[number:]])
    return all(p.line != number or p.column > upto for p in check(whole))
