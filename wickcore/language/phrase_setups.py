"""More of what traders say of a set-up: shares of a range, advances given back, closes at an extreme, liquidity, reports, squeezes, candles."""

import re
from collections.abc import Callable

from wickcore.language.phrase_operands import AMOUNT, LAST, SPAN, amount, bars, operand
from wickcore.language.phrase_trade import PATTERNS

Make = Callable[..., "str | None"]
_MORE = r"(?:more than|over|above|greater than|bigger than|at least|no less than)"
_AT_MOST = r"(?:less than|under|below|at most|no more than|not more than|within)"
_UP_DAY = r"(?:an? |the )?(?:up|green|rising) (?:day|bar|close)"
_DOWN_DAY = r"(?:an? |the )?(?:down|red|falling) (?:day|bar|close)"
_SHRINK = r"(?:shrinking|contracting|narrowing|slowing|declining|dropping|tightening|decreasing|falling)"
_GROW = r"(?:rising|expanding|widening|growing|increasing|picking up|accelerating)"
_SHARES = {"half": "50", "third": "33.3333333333", "quarter": "25", "fifth": "20", "tenth": "10"}
_PATTERN = "|".join(sorted(PATTERNS, key=len, reverse=True))
_PERIODS = {"week": "5", "month": "21", "quarter": "63", "year": "252"}


def _sign(words: str | None, down: bool = False) -> str:
    """`>` for “more than” and its like, `>=` for “at least” or nothing; `<` and `<=` for a fall."""
    strict = bool(words) and not re.match(r"at least|no less", (words or "").strip())
    return ("<" if down else ">") + ("" if strict else "=")


def _level(said: str, make: Callable[[str], str]) -> str | None:
    value = operand(said)
    if value is None or re.fullmatch(r"[\d.]+[kmb%]?", value):
        return None
    return make(f"{value} 1 ago" if re.match(r"(highest|lowest)\(", value) else value)


def _undercut(target: str, back: str) -> str | None:
    return _level(target, lambda x: f"low < {x} and close > {x}")


def _close_at(word: str, side: str, n: str, unit: str | None) -> str:
    extreme, sign = ("highest", ">") if side in ("highest", "high") else ("lowest", "<")
    return f"{word} {sign} {extreme}({word}, {bars(n, unit)}) 1 ago"


def _at_extreme(x: str, side: str, n: str, unit: str | None) -> str | None:
    value = operand(x)
    if value is None or value in ("close", "high", "low"):
        return None
    extreme, sign = ("highest", ">") if side in ("highest", "high") else ("lowest", "<")
    return f"{value} {sign} {extreme}({value}, {bars(n, unit)}) 1 ago"


def _slope(x: str, way: str, n: str | None, unit: str | None, per: str | None) -> str | None:
    value = operand(x)
    if value is None or re.fullmatch(r"[\d.]+\w?%?", value):
        return None
    width = int(n) * {"w": 5, "m": 21, "q": 63, "y": 252}.get((unit or "d")[0], 1) if n else int(_PERIODS.get(per or "", "1"))
    return f"{'falling' if re.fullmatch(_SHRINK, way) else 'rising'}({value}, {width})"


def _atr_away(k: str, side: str, target: str) -> str | None:
    sign, way = ("+", ">") if side in ("above", "over") else ("-", "<")
    return _level(target, lambda x: f"close {way} {x} {sign} {k} * atr(14)")


def _extended(words: str | None, percent: str, side: str, target: str) -> str | None:
    down = side in ("below", "under")
    return _level(target, lambda x: f"close / {x} - 1 {_sign(words, down)} {'-' if down else ''}{percent}%")


def _near_all_time(percent: str, side: str) -> str:
    return f"close / highest(high, all) - 1 >= -{percent}%" if side == "high" else f"close / lowest(low, all) - 1 <= {percent}%"


def _flat(n: str, unit: str, percent: str) -> str:
    window = int(n) * {"w": 5, "m": 21}.get(unit[0], 1)
    return f"highest(high, {window}) / lowest(low, {window}) - 1 < {percent}%"


def _given_back(share: str) -> str:
    middle = float(_SHARES[share])
    return f"(close - lowest(low, 21)) / (highest(high, 21) - lowest(low, 21)) between {90 - middle:.10g}% and {110 - middle:.10g}%"


def _stacked(a: str, b: str, c: str, kind: str | None) -> str:
    name = {"ema": "ema", "emas": "ema", "exponential": "ema"}.get(kind or "", "sma")
    return f"stacked({name}, {a}, {b}, {c})"


def _top(percent: str, n: str | None, unit: str | None, per: str | None) -> str:
    window = bars(n, unit) if n else _PERIODS.get(per or "", "63")
    window = str(int(n or 1) * 21) if unit and unit.startswith("month") else window
    return f"rank(change({window})) > {100 - float(percent):.10g}"


def _crossed(x: str, target: str | None, way: str | None) -> str | None:
    return f"macd crosses {'below' if way in ('down', 'below', 'under') else 'above'} macd_signal"


def _volume_over(percent: str, target: str) -> str | None:
    value = operand(target if "volume" in target else f"{target} volume")
    if value is None and target in ("yesterday", "the day before", "yesterdays", "the previous day"):
        value = "volume 1 ago"
    return None if value is None else f"volume >= {100 + float(percent):.10g}% * {value}"


def _holds(x: str) -> str | None:
    return _level(x, lambda v: f"low >= {v}")


SETUPS: tuple[tuple[str, Make], ...] = (
    # levels that are undercut, held, or far away
    (r"(?:low )?undercuts? (.+?) and (?:then )?(?:closed|closes|closing|finished|came) (?:back )?(above|over) (?:it|that|there|them)", _undercut),
    (r"(?:low |lows )(?:held|holds|stayed above|stays above|respected) (.+)", _holds),
    (r"low (?:of the day )?(?:touch(?:es|ed)|tag(?:s|ged)|hit|test(?:s|ed)) (.+)", lambda t: _level(t, lambda x: f"low <= {x} and high >= {x}")),
    (rf"({_MORE} )?(\d+(?:\.\d+)?) atrs? (above|over|below|under) (.+)", lambda _, k, side, t: _atr_away(k, side, t)),
    (rf"({_MORE} )?(\d+(?:\.\d+)?)% extended (?:above|over|from) (.+)", lambda how, p, t: _extended(how, p, "above", t)),
    (rf"extended (?:by )?({_MORE} )?(\d+(?:\.\d+)?)% (?:above|over|from) (.+)", lambda how, p, t: _extended(how, p, "above", t)),
    (rf"(?:{_AT_MOST}) (\d+(?:\.\d+)?)% (?:above|over) (.+)", lambda p, t: None if "low" in t else _level(t, lambda x: f"close / {x} - 1 < {p}%")),
    (r"(?:within|less than|no more than) (\d+(?:\.\d+)?)% (?:of|from|below|off) (?:its |the |an |any )?all time (high|low)", _near_all_time),
    (rf"(?:down|off) ({_MORE} )?(\d+(?:\.\d+)?)% from (?:its |the )?high of (?:the )?(?:last |past )?{SPAN}",
     lambda how, p, n, u: f"off_high({bars(n, u)}) {_sign(how, True)} -{p}%"),
    (r"(?:flat|sideways|consolidating|in a range|trading) (?:for |over )?(?:the last |the past )?(\d+) (days?|weeks?|months?|sessions?|bars?) within (\d+(?:\.\d+)?)%", _flat),
    (r"(\d+) tight closes within (\d+(?:\.\d+)?)%", lambda n, p: f"highest(close, {n}) / lowest(close, {n}) - 1 < {p}%"),
    (r"(?:retraced|gave back|given back|giving back) (?:about |around |roughly )?(half|a third|a quarter)? ?(?:of )?(?:the )?last months (?:advance|gain|move|rally)",
     lambda share: _given_back((share or "half").removeprefix("a "))),
    # extremes
    (rf"(?:a |the |its )?(highest|lowest) (close|open|high|low|range) {LAST}{SPAN}", lambda side, word, n, u: _close_at(word, side, n, u)),
    (rf"(.+?) (?:is )?at (?:its |a |the )?(highest|lowest|high|low) {LAST}{SPAN}", lambda x, side, n, u: _at_extreme(x, side, n, u)),
    (r"(?:a )?(?:bigger|wider|larger) range than (?:any of )?(?:the )?(?:last |past )?(\d+)(?: (?:days|bars|sessions))?", lambda n: f"range_expansion({n})"),
    (r"(?:reversed|reversal|turned(?: up)?) from a new low", lambda: "low < lowest(low, 52w) 1 ago"),
    (r"(?:at |made |makes |making |hit |hits |set |sets )?(?:a )?new 52 weeks? (highs?|lows?)",
     lambda side: "high > highest(high, 52w) 1 ago" if side.startswith("high") else "low < lowest(low, 52w) 1 ago"),
    (r"(?:a |the )?(?:break|breakout) of (?:its |the |yesterdays |the previous days )(high|low)", lambda w: f"{w} {'>' if w == 'high' else '<'} {w} 1 ago"),
    (r"(?:closed |closes |close )?(above|over|below|under) (?:the )?(high|low) of (\d+) days ago",
     lambda w, f, n: f"close {'>' if w in ('above', 'over') else '<'} {f} {n} ago"),
    # the bar
    (r"(?:in |closed in |closes in |closing in )?(?:the )?(top|upper|bottom|lower) (half|third|quarter|fifth|tenth) of (?:todays |the days |its |the )range",
     lambda part, share: f"closing_place {'>' if part in ('top', 'upper') else '<'} {100 - float(_SHARES[share]) if part in ('top', 'upper') else float(_SHARES[share]):.10g}%"),
    (r"opened (lower|higher|down|up)(?: than yesterday)?", lambda w: f"gap {'<' if w in ('lower', 'down') else '>'} 0"),
    (r"opened (above|below|over|under) (.+)", lambda w, t: _level(t, lambda x: f"open {'>' if w in ('above', 'over') else '<'} {x}")),
    (r"opened (?:at|on) (?:its |the )?(low|high)(?: of the day)?", lambda w: f"open == {w}"),
    (r"(?:closed|closes|closing|finished) (red|down|green|up)(?: on the day)?",
     lambda w: {"red": "close < open", "green": "close > open", "down": "close < close 1 ago", "up": "close > close 1 ago"}[w]),
    (r"(?:recovered|came back|reversed|turned)(?: to (?:close|finish))? (green|red)", lambda w: f"close {'>' if w == 'green' else '<'} open"),
    (rf"(?:on )?{_UP_DAY}", lambda: "close > close 1 ago"),
    (rf"(?:on )?{_DOWN_DAY}", lambda: "close < close 1 ago"),
    (r"(\d+) (down|up) (?:days|closes)", lambda n, w: f"close {'<' if w == 'down' else '>'} close 1 ago held {n}"),
    (r"(?:closed )?(up|down)", lambda w: f"close {'>' if w == 'up' else '<'} close 1 ago"),
    (r"(\d+) (higher|lower) (lows|highs)(?: in a row)?", lambda n, w, f: f"{f[:-1]} {'>' if w == 'higher' else '<'} {f[:-1]} 1 ago held {n}"),
    (r"(up|down|higher|lower) (\d+) weeks(?: in a row| running| straight)", lambda w, n: f"on(week, close {'>' if w in ('up', 'higher') else '<'} close 1 ago held {n})"),
    (rf"(?:change|move|moved) (?:of )?({_MORE} )?(\d+(?:\.\d+)?)% (?:either way|in either direction|up or down)", lambda how, p: f"abs(change) {_sign(how)} {p}%"),
    # gaps
    (rf"gap(?:ped|s)? up ({_MORE} )?(\d+(?:\.\d+)?)% and (?:held|it held|was not filled|stayed open)", lambda how, p: f"gap {_sign(how)} {p}% and low > close 1 ago"),
    (rf"gap(?:ped|s)? (up|down) ({_MORE} )?(\d+(?:\.\d+)?)%", lambda way, how, p: f"gap {_sign(how, way == 'down')} {'-' if way == 'down' else ''}{p}%"),
    # slopes and movement
    (rf"(.+?) (?:is |has been |have been )?({_SHRINK}|{_GROW})(?: (?:for |over )?(?:the last |the past )?(?:(\d+) (days?|bars?|sessions?|weeks?|months?)|(?:the last |the past |a )?(week|month|quarter)))?", _slope),
    (r"all (?:of )?(?:its |the )?(?:moving )?averages (?:are )?(rising|falling)", lambda w: f"{w}(sma(20), 1) and {w}(sma(50), 1) and {w}(sma(200), 1)"),
    (r"(?:the )?(\d+),? (?:day )?(\d+),? (?:day )?and (\d+) (?:day )?(emas?|smas?|exponential)? ?(?:moving )?(?:averages?)? ?(?:are )?stacked(?: up)?", _stacked),
    (r"momentum (?:is )?(slowing|fading|weakening)(?: over the last week| for a week| this week)?", lambda _: "falling(roc(10), 5)"),
    (r"range expansion to the (upside|downside)", lambda w: f"range_expansion(9) and close {'>' if w == 'upside' else '<'} close 1 ago"),
    (r"squeeze (?:is )?(?:on|holding) (?:for )?(?:at least )?(\d+) (?:days|bars|sessions)", lambda n: f"squeeze held {n}"),
    (r"squeeze (?:let go|released|fired|broke|ended)(?: to the (upside|downside))?",
     lambda w=None: f"squeeze_released and close {'>' if w == 'upside' else '<'} close 1 ago" if w else "squeeze_released"),
    # oscillators
    (r"macd crossed(?: (up|down|above|below|over|under))?(?: its| the)?(?: signal(?: line)?)?", lambda way=None: _crossed("macd", None, way)),
    (r"(?:macd )?(below|above|under|over) zero", lambda w: f"macd {'<' if w in ('below', 'under') else '>'} 0"),
    (r"stochastics? (?:is )?oversold(?: and)? (?:crossing|crossed|turning|turned) up", lambda: "stoch_k crosses above stoch_d and stoch_k < 20"),
    (r"stochastics? (?:is )?overbought(?: and)? (?:crossing|crossed|turning|turned) down", lambda: "stoch_k crosses below stoch_d and stoch_k > 80"),
    # volume and money
    (r"(?:on )?volume (?:up )?(\d+(?:\.\d+)?)% (?:over|above|higher than|more than) (.+)", _volume_over),
    (r"(?:on )?(?:(?:at least|more than|over) )?(double|triple|twice|quadruple|\d+(?:\.\d+)? times) (?:its |the )?(?:usual |average |normal )?volume",
     lambda k: f"volume >= {({'double': '2', 'twice': '2', 'triple': '3', 'quadruple': '4'}).get(k, k.split()[0])} * (sma(volume, 20) 1 ago)"),
    (r"volume (?:dried up|drying up|dries up|down) to (half|a third|a quarter) (?:of )?(?:its |the )?(?:usual |normal )?average",
     lambda share: f"rel_volume(20) <= {float(_SHARES[share.removeprefix('a ')]):.10g}%"),
    (r"(?:with )?volume (?:is )?dr(?:ying|ied|ies) up", lambda: "rel_volume(20) < 0.5"),
    (rf"(?:{_MORE} )?{AMOUNT}(?: dollars?| of money)? (?:is |are )?traded (?:a|per|every|each) day", lambda v, u: f"avg_turnover(20) >= {amount(v, u)}"),
    (r"volume (?:is )?(?:higher|bigger|larger) than (?:on )?any down day (?:of|in) (?:the )?last (\d+)(?: days)?",
     lambda n: f"volume > highest(pick(close < close 1 ago, volume, 0), {n}) 1 ago"),
    # reports and facts
    (r"(?:earnings )?reported (?:earnings )?(?:in|within|over|during) (?:the )?(?:last |past )?(\d+) (days?|weeks?|months?)",
     lambda n, u: f"days_since_report <= {int(n) * {'d': 1, 'w': 7, 'm': 30}[u[0]]}"),
    (r"(?:reports|reporting|earnings(?: due)?) (?:in|within) (?:the )?(?:next )?(\d+) (weeks?|months?)",
     lambda n, u: f"days_to_report <= {int(n) * {'w': 7, 'm': 30}[u[0]]}"),
    (r"no (?:earnings|report|results)(?: due)? (?:for|in|within) (?:the )?next (\d+) days", lambda n: f"days_to_report > {n}"),
    (rf"(?:beat|beats|topped) (?:the )?(?:estimates|expectations|consensus|forecasts?) by ({_MORE} )?(\d+(?:\.\d+)?)%", lambda how, p: f"eps_surprise {_sign(how)} {p}%"),
    (r"pays (?:at least |more than )?(\d+(?:\.\d+)?)% (?:in dividends|dividends?)", lambda p: f"dividend_yield >= {p}%"),
    (r"listed (?:less|fewer) than (\d+) (days?|months?|years?) ago", lambda n, u: f"listed_days < {int(n) * {'d': 1, 'm': 30, 'y': 365}[u[0]]}"),
    (r"listed (?:more than|over|at least) (\d+) (days?|months?|years?)(?: ago)?", lambda n, u: f"listed_days > {int(n) * {'d': 1, 'm': 30, 'y': 365}[u[0]]}"),
    (r"(?:an? )?funds?", lambda: 'kind == "fund"'),
    # strength
    (r"(?:relative )?strength (?:is )?in (?:the )?top (\d+)%", lambda p: f"rank(change(63)) > {100 - float(p):.10g}"),
    (r"(?:in )?(?:the )?top (\d+)% (?:of )?(?:performers|gainers|stocks|names)(?: (?:over|in|for) (?:the )?(?:last |past )?(?:(\d+) (days?|weeks?|months?)|(week|month|quarter|year)))?", _top),
    (rf"({_MORE} )?(\d+(?:\.\d+)?)% (up|down) (?:this|on the|for the) (week|month)",
     lambda how, p, way, per: f"on({per}, change) {_sign(how, way == 'down')} {'-' if way == 'down' else ''}{p}%"),
    (r"on (?:good |strong |heavy )?volume", lambda: "rel_volume(20) > 1.5"),
    # patterns
    (rf"(?:an? )?({_PATTERN}) (?:breakout|breaks? out|broke out|breaking out|triggered|broke) this (week|month)",
     lambda name, per: f"triggered({PATTERNS[name]}, {_PERIODS[per]})"),
    (rf"(?:an? )?({_PATTERN}) (?:within|in|inside) (\d+) (?:days|bars|sessions) of (?:its |the )?breakout", lambda name, n: f"triggered({PATTERNS[name]}, {n})"),
    (r"(?:an? )?(\d+) (weeks?|months?) base", lambda n, u: f"highest(high, {int(n) * (5 if u[0] == 'w' else 21)}) / lowest(low, {int(n) * (5 if u[0] == 'w' else 21)}) - 1 < 25%"),
    (r"(?:higher) (?:swing )?low than (?:the|its) last swing low", lambda: "swing_low(2) > swing_low(2, nth=2)"),
    (r"vwap reclaim(?:ed)?", lambda: "on(5min, close crosses above vwap)"),
    (r"(?:in |during |within )?(?:the )?first (\d+) minutes", lambda n: f"minute <= {n}"),
    (r"(?:in |during |within )?(?:the )?first hour", lambda: "minute <= 60"),
)  # fmt: skip
