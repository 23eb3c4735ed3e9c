"""Trade phrases to lines: a fixed grammar of the ways a condition is said. It never guesses: what it does not understand it names.

A phrase is first tidied (lower case, digits for number words, one space), then matched whole: against the phrases that mean something
of their own, or as two operands around a comparison. Operands are read the same way, whole or not at all.
"""

import re
from collections.abc import Callable
from dataclasses import dataclass

from wickcore.language.check import check_rule
from wickcore.language.ideas import IDEAS
from wickcore.language.phrase_clauses import clause, with_times_counted
from wickcore.language.phrase_lines import distance, gap, move, new_extreme, operator, share_of_range, streak, volume_above, within
from wickcore.language.phrase_offers import nearest_examples
from wickcore.language.phrase_operands import AMOUNT, LAST, OPERANDS, PRICE, SPAN, UNIT, amount, bars, operand
from wickcore.language.phrase_setups import SETUPS
from wickcore.language.phrase_tidy import tidy
from wickcore.language.phrase_trade import TRADE
from wickcore.language.problems import RuleError
from wickcore.language.scope import UNLIKE

_MORE, _LEAST = r"(?:more than|over|above|greater than|bigger than|larger than)", r"(?:at least|no less than|minimum of|min)"
_LESS, _MOST = r"(?:less than|under|below|smaller than)", r"(?:at most|no more than|maximum of|max)"
_CANDLES = {
    "hammer": "hammer", "doji": "doji", "hanging man": "hanging_man", "shooting star": "shooting_star", "inverted hammer": "inverted_hammer",
    "bullish engulfing": "engulfing_up", "bearish engulfing": "engulfing_down", "engulfing": "engulfing_up", "morning star": "morning_star",
    "evening star": "evening_star", "piercing line": "piercing", "piercing": "piercing", "dark cloud cover": "dark_cloud",
    "dark cloud": "dark_cloud", "three white soldiers": "three_white_soldiers", "3 white soldiers": "three_white_soldiers",
    "3 black crows": "three_black_crows", "bullish harami": "harami_up", "bearish harami": "harami_down", "marubozu": "marubozu",
    "inside": "inside_bar", "outside": "outside_bar",
}  # fmt: skip
_COMPARISONS = (
    (r"(?:crosses|crossed|crossing|breaks|broke|breaking|breaks out|broke out|rises|rose|moves|moved|goes|climbs) (?:back )?(?:above|over|through)",
     "crosses above"),
    (r"(?:crosses|crossed|crossing|breaks|broke|breaking|falls|fell|drops|dropped|moves|moved|goes|slips) (?:back )?(?:below|under|beneath)",
     "crosses below"),
    (r"(?:at or above|at least|no less than|greater than or equal to|not below|>=)", ">="),
    (r"(?:at or below|at most|no more than|less than or equal to|not above|<=)", "<="),
    (r"(?:above|over|greater than|more than|higher than|bigger than|exceeds|exceeding|>)", ">"),
    (r"(?:below|under|less than|lower than|smaller than|beneath|<)", "<"),
)  # fmt: skip


@dataclass(frozen=True, slots=True)
class Phrase:
    """lines: the rule's lines, empty where the phrase was not understood. unknown: the words in the way. offers: lines near to what was said,
    each with the words it was made of."""

    lines: tuple[str, ...]
    unknown: tuple[str, ...] = ()
    offers: tuple[tuple[str, str], ...] = ()


def from_phrase(text: str, base: str = "day") -> Phrase:
    """The line or lines that a phrase means, or the words that were not understood. base: the finest frame that the market has bars of."""
    said = tidy(text)
    if not said:
        return Phrase(())
    if said in _IDEAS:
        return Phrase((_IDEAS[said],))
    for wording in dict.fromkeys((said, with_times_counted(said), with_times_counted(re.sub(r" ?\btoday\b ?", " ", said).strip()))):
        for lines in ((_line(wording) or "",), _several(wording, {})):
            if all(lines) and lines and _sound(lines, base):
                return Phrase(lines)
    known = _vocabulary()
    strange = tuple(w for w in re.findall(r"[a-z]+", said) if w not in known)
    return Phrase((), strange or (text.strip(),), _offers(said, base))


def _offers(said: str, base: str) -> tuple[tuple[str, str], ...]:
    """The parts of a sentence that were understood, then the nearest examples of the language: at most MOST_OFFERS, none twice."""
    found: dict[str, str] = {}
    for part in dict.fromkeys(p.strip(" ,") for p in re.split(r", and |,| and | but | with | while | plus ", said)):
        line = _line(with_times_counted(part)) if part != said else None
        if line and _sound((line,), base):
            found[line] = part
    for words, line in nearest_examples(said):
        if _sound((line,), base):
            found.setdefault(line, words)
    return tuple((words, line) for line, words in found.items())[:MOST_OFFERS]


_WITH_ITSELF = re.compile(r"(?:^|\(| and | or )([\w.]+(?:\([^()]*\))?) (?:[<>]=?|crosses \w+) \1(?! \d+\w* ago)(?=[ )]|$)")
_PAST = re.compile(r"\b(?:yesterday|\d+ (?:days?|bars?|sessions?) ago)$")


def _sound(lines: tuple[str, ...], base: str) -> bool:
    """Whether what was made of a phrase can be meant: lines that check, and compare nothing with itself or with what it is unlike."""
    if any(_WITH_ITSELF.search(line) for line in lines):  # “closed above it”, where what “it” is was not read
        return False
    try:
        rule = check_rule("\n".join(lines), base=base)
    except RuleError:
        return False
    return not any(UNLIKE in problem.message for problem in rule.advice)


# Where one condition may end and another begin: words that only join, and words that begin the second.
_JOINT = re.compile(
    r"\s*(?:, and |,| and | but | with | while | plus | also | where | on | in )\s*| (?=(?:near|at|within|closing|closed|below|above|inside|outside|trading|no|from|recovered|reversed) )| (?=on volume$)"
)
MOST_PARTS = 12
MOST_OFFERS = 3


def _several(said: str, seen: dict[str, tuple[str, ...]]) -> tuple[str, ...]:
    """The lines of several conditions said in one sentence, every word of it understood; empty where that is not so."""
    if said in seen:
        return seen[said]
    seen[said] = ()
    joints = list(_JOINT.finditer(said))
    if len(joints) > MOST_PARTS:
        return ()
    # The longest beginning that is a phrase, then the rest: “between 20 and 80” holds an “and” of its own.
    for joint in reversed(joints):
        head, tail = said[: joint.start()].strip(" ,"), said[joint.end() :].strip(" ,")
        first = _line(head) if head and tail else None
        if first is None:
            continue
        if _PAST.search(tail) and not re.search(r"\b(?:today|yesterday|ago)\b", head):  # of which of the two?
            continue
        slope = re.fullmatch(r"(?:still |also )?(rising|falling|turning up|turning down)", tail)
        value = re.match(r"(.+?) (?:>=?|<=?) ", first)
        if slope and value:
            seen[said] = (first, f"{'rising' if slope.group(1) in ('rising', 'turning up') else 'falling'}({value.group(1)}, 1)")
            return seen[said]
        same = re.fullmatch(rf"((?:{_MORE}|{_LEAST}|{_LESS}|{_MOST}) .+)", tail)
        more = _comparison(f"close {tail}") if same and value else None
        if more and value and re.fullmatch(r"close [<>]=? [\d.]+[%kmb]?", more):
            # “Up more than 5% but less than 10%”: of what was spoken of before.
            seen[said] = (first, value.group(1) + more.removeprefix("close"))
            return seen[said]
        rest = (one,) if (one := _line(tail)) else _several(tail, seen)
        if rest:
            seen[said] = (first, *rest)
            return seen[said]
    return ()


# -- a whole line ----------------------------------------------------------------------------------------------------


def _line(said: str) -> str | None:
    if not said:
        return None
    for pattern, word in (
        (r"(.+?),? (?:on|in) (?:the |a )?(weekly|monthly)(?: (?:chart|bars?|basis|time ?frame))?$", 2),
        (r"^(weekly|monthly) (.+)$", 1),
    ):
        match = re.search(pattern, said)
        if match:
            inner = _line(match.group(3 - word))
            if inner:
                return f"on({'week' if match.group(word) == 'weekly' else 'month'}, {inner})"
    return _special(said) or _comparison(said) or clause(said, _line)


def _comparison(said: str) -> str | None:
    between = re.fullmatch(r"(.+?) (?:is |are |stands |lies )?between (.+) and (.+)", said)
    if between:
        parts = [operand(p) for p in between.groups()]
        return f"{parts[0]} between {parts[1]} and {parts[2]}" if all(parts) else None
    for words, sign in _COMPARISONS:
        for match in re.finditer(rf"\b{words}(?: |$)" if words[0] != ">" else words, said):
            left = re.sub(
                r"\s*(?:of|is|are|was|has been|have been|stays|trades|trading|closes|closed|closing|stands|to be|be)(?: at)?$",
                "",
                said[: match.start()].strip(),
            )
            right = said[match.end() :].strip()
            a, b = operand(left or "close"), operand(right)
            if a and b and (left or not b.endswith("%")):  # a share of what is not said
                return _beside(a, sign, _own_average(a, b))
    return None


def _own_average(a: str, b: str) -> str:
    """“Volume above its 50-day average”: of volume, though a bare “50-day average” is of closes."""
    average = re.fullmatch(r"(sma|ema|wma|rma|hull)\((\w+)\)", b)
    prices = a in ("close", "open", "high", "low") or re.match(r"(sma|ema|wma|rma|hull|highest|lowest|bb_\w+|vwap)\(", a)
    return f"{average.group(1)}({a}, {average.group(2)})" if average and not prices and re.match(r"[a-z]", a) else b


def _beside(a: str, operator: str, b: str) -> str:
    """A comparison in which a window that would include today looks at the bars before."""
    if operator in (">", "<", "crosses above", "crosses below") and re.match(r"(highest|lowest)\(", b):
        b = f"{b} 1 ago"
    if a == "volume" and re.fullmatch(r"sma\(volume, \w+\)", b):
        b = f"{b} 1 ago"
    percent = re.fullmatch(r"\d+(\.\d+)?", b) and a.split("(")[0] in ("adr", "natr", "change", "gap", "dividend_yield")
    return f"{a} {operator} {b}{'%' if percent else ''}"


# -- phrases of their own --------------------------------------------------------------------------------------------


def _special(said: str) -> str | None:
    # As it stands first: “close near the high” is of the close, “close is near the high” of where the price stands.
    bare = re.sub(
        rf"^(?:{PRICE} |the stock |stocks? )?(?:is |are |has |have |was |forms |makes |making |made |shows )?(?:trading |trades )?",
        "",
        said,
    )
    for words in dict.fromkeys((said, bare)):
        for pattern, make in (*_FIRST, *_SPECIALS, *TRADE, *SETUPS) if words else ():
            match = re.fullmatch(pattern, words)
            if match:
                made = make(*match.groups())
                if made:
                    return made
    return None


def _yesterday(inner: str) -> str | None:
    line = _special(inner) or _comparison(inner)
    if line is None or " held " in line or " once in " in line:
        return None
    return f"{line} 1 ago" if re.fullmatch(r"\w+(\([^()]*\))?", line) else f"({line}) 1 ago"


_HOW = rf"(?:by )?({_MORE}|{_LEAST})? ?"
# Before all others: in these a word means something else than it does alone.
_FIRST: tuple[tuple[str, Callable[..., str | None]], ...] = tuple(
    one
    for one in TRADE
    if any(
        word in one[0]
        for word in ("highs?", "lows?", "_to_report", "% of (?:the |its )?(?:price|close)", "(week|month|quarter|half year|year)")
    )
)
_SPECIALS: tuple[tuple[str, Callable[..., str | None]], ...] = (
    (r"yesterday (?:was |had |it was |closed |there was )?(?:an? )?(.+)", _yesterday),
    # moves
    (rf"(up|down|gained|gains|lost|loses|rose|risen|fell|fallen|dropped|drops|falls|advanced|declined|off) {_HOW}(\d+(?:\.\d+)?)%"
     rf"(?: {LAST}{SPAN}| (?:on the day|today|in a day)| ((?:this|on the|in a|in the|over the|for the) (?:week|month)))?",
     lambda way, how, p, n, unit, when: move(way, how, p, n, unit, when)),
    (r"(up|down) (?:on the day|today)", lambda way: move(way, None, None, None, None, None)),
    (r"(up|down) ((?:this|on the|for the) (?:week|month))", lambda way, when: move(way, None, None, None, None, when)),
    (rf"(?:change|move) (?:of )?{_HOW}(\d+(?:\.\d+)?)%", lambda how, p: f"change {operator(how)} {p}%"),
    # streaks
    (r"(up|down|higher|lower|rising|falling) (?:for )?(?:at least )?(\d+) (?:days|bars|sessions)(?: in a row| straight| running)", lambda w, n: streak(n, w)),
    (r"(?:closed |closes )?(up|down|higher|lower) (?:for )?(\d+) (?:days|bars|sessions|times)(?: in a row| straight| running)?", lambda w, n: streak(n, w)),
    (r"(\d+) (?:straight |consecutive )?(up|down|higher|lower|green|red|falling|rising) (?:days|closes|bars|sessions)(?: in a row)?",
     lambda n, w: streak(n, w)),
    (r"(\d+) consecutive (?:days|bars|sessions) (up|down|higher|lower)", lambda n, w: streak(n, w)),
    (r"(\d+) (higher|lower) (highs|lows)(?: in a row)?", lambda n, w, f: f"{f[:-1]} {'>' if w == 'higher' else '<'} {f[:-1]} 1 ago held {n}"),
    (r"(higher|lower) (high|low|close)(?: (?:than|as) yesterdays?)?", lambda w, f: f"{f} {'>' if w == 'higher' else '<'} {f} 1 ago"),
    (r"(?:closed |closes )(higher|lower|up|down)(?: than (?:its )?open)?", lambda w: f"close {'>' if w in ('higher', 'up') else '<'} close 1 ago"),
    (r"(?:closed|closes|close) (above|below) (?:its|the) open", lambda w: f"close {'>' if w == 'above' else '<'} open"),
    (r"(?:green|up|rising) (?:bar|day|candle)", lambda: "close > open"),
    (r"(?:red|down|falling) (?:bar|day|candle)", lambda: "close < open"),
    # distances
    (r"(?:within|inside|no more than|less than) (\d+(?:\.\d+)?)% (?:of|from) (.+)", lambda p, t: within(p, t)),
    (r"(?:near|close to|around) (.+)", lambda t: within("2", t)),
    (rf"(?:trading |trades |closed |closes )?{_HOW}(\d+(?:\.\d+)?)% (below|under|beneath|off|from|down from|above|over) (.+)",
     lambda how, p, side, t: distance(how, p, side, t)),
    (rf"(?:{_MORE} )?half above (.+)", lambda t: distance("over", "50", "above", t)),
    (r"cut in half from (.+)", lambda t: distance(None, "50", "below", t)),
    # extremes
    (rf"(?:at |hits |hit |hitting |sets |reaches |reached )?(?:a )?(?:new )(closing )?{SPAN} (high|low)(?: {LAST.replace('for|', '')}(\d+) {UNIT})?",
     lambda c, n, unit, side, last: new_extreme(c, n, unit, side, last)),
    (rf"(?:at |hits |hit |hitting |sets |reaches |reached )(?:a |its )?(closing )?{SPAN} (high|low)", lambda c, n, u, s: new_extreme(c, n, u, s, None)),
    (rf"(?:closes|closed|closing|close) at (?:a |its )?(?:new )?{SPAN} (high|low)", lambda n, u, s: new_extreme("close", n, u, s, None)),
    (r"(?:at )?(?:a )?new (?:high|low) (?:of|for) the year", lambda: None),
    (rf"(?:close |price )?(?:is )?at (?:the )?(highest high|highest close|high) {LAST}{SPAN}",
     lambda f, n, unit: f"close >= highest({'close' if 'close' in f else 'high'}, {bars(n, unit)})"),
    (rf"(?:close |price )?(?:is )?at (?:the )?(lowest low|lowest close|low) {LAST}{SPAN}",
     lambda f, n, unit: f"close <= lowest({'close' if 'close' in f else 'low'}, {bars(n, unit)})"),
    # gaps
    (rf"(?:gaps?|gapped|gapping) (up|down)(?: (?:of )?{_HOW}(\d+(?:\.\d+)?)%)?", lambda way, how, p: gap(way, how, p)),
    (rf"opens? {_HOW}(\d+(?:\.\d+)?)% (higher|lower|above|below)(?: .*close)?", lambda how, p, w: gap("up" if w in ("higher", "above") else "down", how, p)),
    # ranges and the bar's place
    (r"(?:closes|closed|closing|close) in (?:the )?(upper|top|lower|bottom) (half|third|quarter|fifth|10)%? of (?:its|the|the days|days) range",
     share_of_range),
    (rf"(?:widest|largest|biggest) (?:range|bar|day) (?:of|in) (?:the )?(?:last |past )?(\d+)(?: {UNIT})?", lambda n: f"range_expansion({int(n) - 1})"),
    (rf"(?:narrowest|smallest|tightest) (?:range|bar|day) (?:of|in) (?:the )?(?:last |past )?(\d+)(?: {UNIT})?", lambda n: f"narrowest({n})"),
    (r"range {0,1}(?:is )?(?:more than|over|at least) (\d+(?:\.\d+)?) times (?:the |its )?(?:atr|average true range)", lambda k: f"range > {k} * (atr(14) 1 ago)"),
    (r"range expansion", lambda: "range_expansion(9)"),
    # squeezes
    (rf"(?:in )?(?:a )?squeeze(?: (?:for|of) (?:at least )?(\d+) {UNIT})?", lambda n: f"squeeze held {n}" if n else "squeeze"),
    (rf"(?:a )?squeeze (?:at least )?(\d+) {UNIT} old", lambda n: f"squeeze held {n}"),
    (r"squeeze (?:fires|fired|ends|ended|releases|released|breaks)", lambda: "squeeze_released"),
    # volume
    (rf"(?:on )?volume (?:is )?{_HOW}(\d+(?:\.\d+)?)% (?:above|over|higher than|larger than) (.+)", lambda how, p, t: volume_above(how, p, t)),
    (rf"(?:on )?volume (?:is )?(?:{_MORE} |{_LEAST} )?(twice|double|triple|half|\d+(?:\.\d+)? times) (.+)",
     lambda k, t: (lambda v: f"volume >= {v}" if v else None)(operand(f"{k} {t if 'volume' in t or t in ('average', 'its average', 'the average') else t + ' volume'}"))),
    (r"(?:on )?(?:rising|increasing|higher|growing) volume", lambda: "volume > volume 1 ago"),
    (r"(?:on )?(?:falling|decreasing|lower|declining|shrinking) volume", lambda: "volume < volume 1 ago"),
    (r"volume (?:is )?(?:rising|increasing|up)", lambda: "volume > volume 1 ago"),
    (r"volume (?:is )?(?:falling|decreasing|down)", lambda: "volume < volume 1 ago"),
    (r"(?:above|over) average volume|volume (?:is )?(?:above|over) average|volume (?:is )?(?:above|over) its average", lambda: "rel_volume(20) > 1"),
    (rf"(?:trades|trading|traded) (?:{_MORE} |{_LEAST} )?{AMOUNT}(?: dollars?| of money)? (?:a|per) day", lambda v, u: f"avg_turnover(20) >= {amount(v, u)}"),
    (rf"(?:trades|trading|traded) (?:{_MORE} |{_LEAST} )?{AMOUNT} shares (?:a|per) day", lambda v, u: f"sma(volume, 20) >= {amount(v, u)}"),
    # averages among themselves
    (r"(?:averages (?:are )?stacked|stacked averages|moving averages stacked|averages in order) (\d+) (?:over )?(\d+) (?:over )?(\d+)",
     lambda a, b, c: f"stacked(sma, {a}, {b}, {c})"),
    (r"(\d+)(?: days?)? (?:over|above) (\d+)(?: days?)? (?:over|above) (\d+)(?: days?)?(?: (?:moving )?averages?)?",
     lambda a, b, c: f"stacked(sma, {a}, {b}, {c})"),
    (rf"(.+?(?:average|ma|sma|ema|wma)) (?:is )?(rising|falling|sloping up|sloping down|turning up|turning down)(?: for (\d+) {UNIT})?",
     lambda x, w, n: (lambda v: f"{'rising' if w in ('rising', 'sloping up', 'turning up') else 'falling'}({v}, {n or 1})" if v else None)(operand(x))),
    (r"(rising|falling) (.+(?:average|ma|sma|ema|wma))", lambda w, x: (lambda v: f"{w}({v}, 1)" if v else None)(operand(x))),
    # windows since an event, the calendar, and the company it keeps
    (r"(?:at )?(?:an? )?(?:new )?all time high", lambda: "high > highest(high, all) 1 ago"),
    (r"(?:at )?(?:an? )?(?:new )?all time low", lambda: "low < lowest(low, all) 1 ago"),
    (r"(?:above|over) (?:its |the )?vwap since (?:the )?(?:last |latest )?(?:report|earnings)",
     lambda: "close > vwap(since days_since_report == 0)"),
    (r"(?:above|over) (?:its |the )?(?:vwap|volume weighted average price) (?:of|since the start of) (?:the |this )?(week|month|quarter|year)",
     lambda f: f"close > vwap(since first_of({f}))"),
    (r"(?:the )?(?:turn of the month|month end)", lambda: "last_of(month) or day_of_month <= 3"),
    (r"(?:on )?(?:a )?(monday|tuesday|wednesday|thursday|friday)s?", lambda d: f'weekday == "{d.capitalize()}"'),
    (rf"(?:stronger than|beats|beating|ahead of) (?:its |the )?sector(?: {LAST}{SPAN})?",
     lambda n, u: (lambda w: f"change({w}) > group(change({w}), by=sector)")(bars(n, u) if n else 63)),
    (r"(?:in )?(?:(?:one|1) of )?(?:the )?strongest sectors?", lambda: "rank(group(change(63), by=sector)) > 75"),
    # stops that follow
    (r"(?:above|over) (?:its |the )?(?:parabolic(?: stop| sar)?|psar)", lambda: "close > psar"),
    (r"(?:below|under) (?:its |the )?(?:parabolic(?: stop| sar)?|psar)", lambda: "close < psar"),
    (r"(?:the )?(?:parabolic(?: stop| sar)?|psar) (?:has )?turn(?:s|ed) (up|down)",
     lambda w: f"close crosses {'above' if w == 'up' else 'below'} psar"),
    # oscillators
    (r"(?:stop and reverse|stop) turn(?:s|ed) (up|down)", lambda w: f"close crosses {'above' if w == 'up' else 'below'} psar"),
    (r"(?:at |hits |hit |makes |made )?(?:a )?(?:new )?(?:yearly|years|annual) (high|low)", lambda w: f"{w} {'>' if w == 'high' else '<'} {'highest' if w == 'high' else 'lowest'}({w}, 52w) 1 ago"),
    (r"band squeeze", lambda: "squeeze"),
    (r"overbought", lambda: "rsi(14) > 70"),
    (r"oversold", lambda: "rsi(14) < 30"),
    (r"rsi (?:is )?overbought", lambda: "rsi(14) > 70"),
    (r"rsi (?:is )?oversold", lambda: "rsi(14) < 30"),
    (r"macd (?:crosses|crossed) (up|above|down|below)(?: its signal(?: line)?)?",
     lambda w: f"macd crosses {'above' if w in ('up', 'above') else 'below'} macd_signal"),
    # candles
    (rf"(?:a )?({'|'.join(_CANDLES)})(?: (?:bar|day|candle|pattern))?", lambda name: _CANDLES[name]),
    # facts
    (r"(?:no funds|shares only|only shares|stocks only|only stocks)", lambda: 'kind == "share"'),
    (r"(?:optionable|(?:with|has|have) (?:listed )?options|options listed|options available)", lambda: "optionable == 1"),
    (r"(?:with |has |have )?(?:weekly options|weeklies)(?: available)?", lambda: "weekly_options == 1"),
    (r"(?:positive earnings|earnings positive|profitable|earning money|makes money)", lambda: "eps > 0"),
    (r"(?:no report|no earnings|not reporting) (?:in|within) (?:the )?(?:next )?(\d+) days", lambda n: f"days_to_report > {n}"),
    (r"reports (?:in|within) (?:the )?(?:next )?(\d+) days", lambda n: f"days_to_report <= {n}"),
    (r"reports in more than (\d+) days", lambda n: f"days_to_report > {n}"),
    (r"reported (?:in|within) the (?:last|past) (\d+) days", lambda n: f"days_since_report <= {n}"),
    (r"reported (?:today|yesterday)", lambda: "days_since_report <= 1"),
    (r"sector (?:is )?([a-z]+)", lambda s: f'sector == "{s.capitalize()}"'),
    (r"stronger than the (?:index|market|benchmark)(?: (?:over|in) (?:the )?(?:last )?(\d+) days)?", lambda n: f"relative_strength({n or 63}) > 0"),
    (r"(?:index|market|benchmark) (?:is )?(above|below) its (.+)",
     lambda w, x: (lambda v: f"benchmark(close {'>' if w == 'above' else '<'} {v})" if v else None)(operand(x))),
)  # fmt: skip


def _vocabulary() -> set[str]:
    """Every word of the patterns."""
    patterns = [p for p, _ in (*OPERANDS, *_SPECIALS, *TRADE, *SETUPS)] + [p for p, _ in _COMPARISONS]
    return set(re.findall(r"[a-z]+", " ".join(patterns).replace("?", " "))) | {
        "is",
        "are",
        "the",
        "its",
        "a",
        "an",
        "on",
        "weekly",
        "monthly",
    }


_IDEAS = {tidy(said): line for said, line in IDEAS}
