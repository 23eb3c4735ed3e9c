"""Values said in words: prices, averages, extremes, oscillators, amounts."""

import re
from collections.abc import Callable

UNIT = r"(?:days?|sessions?|bars?|periods?|weeks?|months?|quarters?|years?)"
SPAN = rf"(\d+) ?({UNIT})?"
AMOUNT = r"\$?(\d+(?:\.\d+)?) ?(%|k|m|b|thousand|million|billion)?"
_SCALE = {"thousand": "k", "million": "m", "billion": "b"}
_ITS = r"(?:its |the |their |a |an )?"
LAST = r"(?:in|over|of|for|within|during)? ?(?:the )?(?:last|past|previous|prior)? ?"


def operand(said: str) -> str | None:
    """A value said in words, or None. “The 50” is an average whose kind was not said, and no price."""
    if re.fullmatch(r"(?:the|its|their) \d{1,3}", said.strip()):
        return None
    said = re.sub(rf"^{_ITS}", "", said.strip())
    said = re.sub(r"^(?:todays |current |daily )", "", said)
    for pattern, make in OPERANDS:
        match = re.fullmatch(pattern, said)
        if match:
            made = make(*match.groups())
            if made:
                return made
    frame = re.fullmatch(r"(?:(weekly|monthly) (.+)|(.+) on (?:the |a )?(weekly|monthly)(?: chart| bars?)?)", said)
    if frame:
        inner = operand(frame.group(2) or frame.group(3))
        unit = frame.group(1) or frame.group(4)
        return f"on({'week' if unit == 'weekly' else 'month'}, {inner})" if inner else None
    return None


def bars(n: str, unit: str | None) -> str:
    """20 days are 20 bars; weeks and months count bars of their own."""
    if unit and unit.startswith("week"):
        return f"{n}w"
    if unit and unit.startswith("month"):
        return f"{n}mo"
    if unit and unit.startswith("quarter"):
        return f"{int(n) * 3}mo"
    if unit and unit.startswith("year"):
        return f"{int(n) * 52}w"
    return n


def amount(value: str, unit: str | None) -> str:
    return f"{value}{_SCALE.get(unit or '', unit or '')}"


def _average(n: str, unit: str | None, kind: str | None, word: str | None = None) -> str:
    name = {"exponential": "ema", "ema": "ema", "weighted": "wma", "wma": "wma", "smoothed": "rma", "hull": "hull", "hma": "hull"}
    return f"{name.get(kind or '', name.get(word or '', 'sma'))}({bars(n, unit)})"


PRICE = r"(?:price|close|closing price|it|stock|share price|last price|shares|last|price of (?:the )?stock)"
_KINDS = r"(simple|exponential|weighted|smoothed|hull)?"
_FIELDS = r"(open|high|low|close|volume|range)"
OPERANDS: tuple[tuple[str, Callable[..., str | None]], ...] = (
    (PRICE, lambda: "close"),
    (_FIELDS, lambda f: f),
    (r"(?:opens|opened|opening)", lambda: "open"),
    (rf"(?:yesterdays|previous days?|prior days?|previous|prior|day befores|last days) {_FIELDS}", lambda f: f"{f} 1 ago"),
    (rf"{_FIELDS} (?:of )?(?:yesterday|the day before|1 day ago|the previous day)", lambda f: f"{f} 1 ago"),
    (rf"{_FIELDS} (\d+) (?:days?|bars?|sessions?) ago", lambda f, n: f"{f} {n} ago"),
    (rf"(?:last|previous|prior) weeks {_FIELDS}", lambda f: f"{f} 1w ago"),
    (rf"(?:last|previous|prior) months {_FIELDS}", lambda f: f"{f} 1mo ago"),
    (rf"{SPAN} {_KINDS} ?(?:moving )?(average|ma|sma|ema|wma|hma|mean)", _average),
    (rf"{SPAN} {_KINDS} ?(?:moving )?(average|ma|sma|ema|wma|hma) of (?:the )?close", _average),
    (rf"(\d+) ({UNIT})", lambda n, unit: _average(n, unit, None)),
    (r"(sma|ema|wma|hma|ma|moving average) ?\(?(?:of )?(\d+)\)?", lambda kind, n: _average(n, None, kind)),
    (rf"{_KINDS} ?moving average of (?:the )?(?:last )?{SPAN}", lambda kind, n, unit: _average(n, unit, kind)),
    (rf"{SPAN} average (?:daily )?volume", lambda n, unit: f"sma(volume, {bars(n, unit)})"),
    (rf"average (?:daily )?volume(?: (?:of|over) (?:the )?(?:last |past )?{SPAN})?", lambda n, unit: f"sma(volume, {bars(n or '20', unit)})"),
    (rf"highest (high|close|price|volume) {LAST}{SPAN}", lambda f, n, unit: f"highest({'high' if f == 'price' else f}, {bars(n, unit)})"),
    (rf"lowest (low|close|price|volume) {LAST}{SPAN}", lambda f, n, unit: f"lowest({'low' if f == 'price' else f}, {bars(n, unit)})"),
    (rf"(?:highest )?high {LAST}{SPAN}", lambda n, unit: f"highest(high, {bars(n, unit)})"),
    (rf"(?:lowest )?low {LAST}{SPAN}", lambda n, unit: f"lowest(low, {bars(n, unit)})"),
    (rf"{SPAN} high", lambda n, unit: f"highest(high, {bars(n, unit)})"),
    (rf"{SPAN} low", lambda n, unit: f"lowest(low, {bars(n, unit)})"),
    (r"(?:years|yearly|annual|1 year|52 week) high", lambda: "highest(high, 52w)"),
    (r"(?:years|yearly|annual|1 year|52 week) low", lambda: "lowest(low, 52w)"),
    (rf"(?:{SPAN} )?rsi(?: ?\(?(\d+)\)?)?", lambda n, unit, m: f"rsi({m or bars(n, unit) if m or n else 14})"),
    (r"relative strength index", lambda: "rsi(14)"),
    (r"(?:fast )?stochastics?(?: k)?", lambda: "stoch_k"),
    (r"(?:slow stochastics?|stochastics? d)", lambda: "stoch_d"),
    (r"macd(?: line)?", lambda: "macd"),
    (r"(?:macd )?signal(?: line)?", lambda: "macd_signal"),
    (r"macd histogram", lambda: "macd_hist"),
    (rf"(?:{SPAN} )?(adx|cci|mfi)(?: ?\(?(\d+)\)?)?", lambda n, u, name, m: f"{name}({m or n or {'cci': '20'}.get(name, '14')})"),
    (r"money flow(?: index)?", lambda: "mfi(14)"),
    (rf"(?:{SPAN} )?(?:atr|average true range)(?: ?\(?(\d+)\)?)?", lambda n, u, m: f"atr({m or n or 14})"),
    (rf"(?:{SPAN} )?(?:adr|average daily range)(?: ?\(?(\d+)\)?)?", lambda n, u, m: f"adr({m or n or 20})"),
    (r"(?:relative volume|rvol)", lambda: "rel_volume(20)"),
    (r"beta", lambda: "beta(252)"),
    (r"upper (?:bollinger )?band", lambda: "bb_upper(20, 2)"),
    (r"lower (?:bollinger )?band", lambda: "bb_lower(20, 2)"),
    (r"middle (?:bollinger )?band", lambda: "bb_mid(20)"),
    (r"(?:bollinger )?band ?width|width of (?:the )?bands?", lambda: "bb_width(20)"),
    (r"(?:market cap|market capitalisation|market capitalization|market value|company size)", lambda: "market_cap"),
    (r"(?:pe|p e|price to earnings|price earnings ratio|pe ratio)", lambda: "pe"),
    (r"(?:eps|earnings|earnings per share|earnings a share)", lambda: "eps"),
    (r"(?:dividend yield|yield)", lambda: "dividend_yield"),
    (r"(?:revenue growth|sales growth)", lambda: "revenue_growth"),
    (r"earnings growth", lambda: "eps_growth"),
    (r"earnings surprise", lambda: "eps_surprise"),
    (r"(?:turnover|money traded|dollar volume|money volume)", lambda: "turnover"),
    (rf"(?:{SPAN} )?average (?:turnover|money traded|dollar volume)", lambda n, unit: f"avg_turnover({bars(n or '20', unit)})"),
    (r"pivot(?: point)?", lambda: "pivot"),
    (r"vwap(?: (?:of|since|from) (?:the )?(?:month|start of the month))?", lambda: "vwap(first_of(month))"),
    (rf"{AMOUNT}(?: dollars?| shares?| money)?(?: a share| a day| per day)?", amount),
    (r"(?:zero|nothing)", lambda: "0"),
    (r"(\d+(?:\.\d+)?) times (.+)", lambda k, rest: _times(k, rest)),
    (r"(?:twice|double) (.+)", lambda rest: _times("2", rest)),
    (r"(?:triple|thrice) (.+)", lambda rest: _times("3", rest)),
    (r"half (?:of )?(.+)", lambda rest: _times("0.5", rest)),
    (r"(\d+(?:\.\d+)?)% of (.+)", lambda p, rest: _times(f"{p}%", rest)),
)  # fmt: skip


def _times(k: str, rest: str) -> str | None:
    inner = operand("average volume" if rest in ("average", "its average", "the average", "usual", "normal", "its usual") else rest)
    if inner is None:
        return None
    return f"{k} * ({inner} 1 ago)" if inner.startswith("sma(volume") else f"{k} * {inner}"
