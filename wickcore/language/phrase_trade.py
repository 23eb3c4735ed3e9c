"""Phrases of the trade that mean something of their own: pullbacks, breakouts, tightness, volume, leaders, reports. Each with the line it means."""

import re
from collections.abc import Callable

from wickcore.language.phrase_operands import LAST, SPAN, UNIT, bars, operand

Make = Callable[..., str | None]
_AVERAGE = {"week": "5", "month": "21", "quarter": "63", "half year": "126", "year": "252"}
PATTERNS = {
    "double bottom": "double_bottom", "double top": "double_top", "inverse head and shoulders": "inverse_head_shoulders",
    "inverted head and shoulders": "inverse_head_shoulders", "head and shoulders": "head_shoulders", "ascending triangle": "triangle_up",
    "rising triangle": "triangle_up", "descending triangle": "triangle_down", "symmetrical triangle": "triangle", "triangle": "triangle",
    "falling wedge": "wedge_falling", "rising wedge": "wedge_rising", "rising channel": "channel_up", "falling channel": "channel_down",
    "base": "base", "flat base": "base", "tight base": "base", "bull flag": "flag_bull", "bullish flag": "flag_bull", "bear flag": "flag_bear",
    "bearish flag": "flag_bear", "bull pennant": "pennant_bull", "bear pennant": "pennant_bear", "saucer": "saucer",
    "rounding bottom": "saucer", "rounded bottom": "saucer", "rounding top": "rounding_top", "cup": "cup", "cup and handle": "cup_handle",
    "cup with handle": "cup_handle", "cup with a handle": "cup_handle", "inverse cup and handle": "inverse_cup_handle",
}  # fmt: skip
_PATTERN = "|".join(sorted(PATTERNS, key=len, reverse=True))
_INDEX = r"(?:the )?(?:index|market|benchmark|broad market|overall market)"
_PERIOD = r"(?:a |the |this )?(?:last |past )?(week|month|quarter|half year|year)"


def _of(target: str, make: Callable[[str], str]) -> str | None:
    """A line about a level that is said in words; a window that would hold today's own extreme looks at the bars before."""
    level = operand(target)
    if level is None:
        return None
    return make(f"{level} 1 ago" if re.match(r"(highest|lowest)\(", level) else level)


def _strength(n: str | None, unit: str | None, sign: str) -> str:
    return f"relative_strength({bars(n, unit) if n else 63}) {sign} 0"


def _among(percent: str, n: str | None, unit: str | None, period: str | None) -> str:
    window = bars(n, unit) if n else _AVERAGE.get(period or "", "63")
    return f"rank(change({window})) > {100 - float(percent):.10g}"


def _times_up(word: str, n: str | None, unit: str | None, period: str | None) -> str:
    window = bars(n or "1", unit) if n else _AVERAGE.get(period or "", "252")
    said = {"doubled": ">= 100%", "tripled": ">= 200%", "halved": "<= -50%"}
    return f"change({window}) {said[word]}"


def _broken(name: str, n: str | None) -> str:
    return f"triggered({PATTERNS[name]}, {n or 1})"


def _turned(first: str, second: str, number: str, way: str) -> str | None:
    value = operand(first)
    return f"{value} crosses {way} {number}" if value else None


def _slope(x: str, way: str, n: str | None) -> str | None:
    value = operand(x)
    up = way in ("rising", "increasing", "sloping up", "turning up", "pointing up", "trending up", "going up", "higher")
    if value is None or re.fullmatch(r"[\d.]+\w?%?", value):
        return None
    return f"{'rising' if up else 'falling'}({value}, {n or 1})"


_WAYS = r"(rising|falling|increasing|decreasing|sloping up|sloping down|turning up|turning down|pointing up|pointing down|trending up|trending down|going up|going down)"
TRADE: tuple[tuple[str, Make], ...] = (
    # at a level and back
    (r"(?:pull(?:s|ed|ing)? ?back|pullback|dip(?:s|ped|ping)?|retrac(?:es|ed|ing)|came back|comes back|coming back|fell back|falls back|back) (?:to|into|toward|towards|down to) (.+)",
     lambda t: _of(t, lambda x: f"low near {x} by 2%")),
    (r"(?:bounc(?:e|es|ed|ing)|rebound(?:s|ed|ing)?|turn(?:s|ed|ing) up|lift(?:s|ed|ing)) (?:off|from|at|on) (?:of )?(.+)",
     lambda t: _of(t, lambda x: f"low near {x} by 2% and close > open")),
    (r"(?:touch(?:es|ed|ing)?|test(?:s|ed|ing)?|tag(?:s|ged|ging)?) (.+)", lambda t: _of(t, lambda x: f"low <= {x} and high >= {x}")),
    (r"(?:reclaim(?:s|ed|ing)?|regain(?:s|ed|ing)?|retook|retakes|back above|back over|got back above) (.+)",
     lambda t: _of(t, lambda x: f"close crosses above {x}")),
    (r"(?:los(?:es|t|ing)|gave up|gives up|giving up|back below|back under|break(?:s|ing)? down through|broke down through) (?!\d+(?:\.\d+)?%)(.+)",
     lambda t: _of(t, lambda x: f"close crosses below {x}")),
    (r"(?:undercut|undercuts|undercutting) and (?:reclaim|reclaims|reclaimed|rally|rallied)(?: (?:of )?(.+))?",
     lambda t: _of(t, lambda x: f"low < {x} and close > {x}") if t else "low < lowest(low, 20) 1 ago and close > lowest(low, 20) 1 ago"),
    (r"(?:low |todays low )?undercuts? (.+)", lambda t: _of(t, lambda x: f"low < {x}")),
    (r"(?:high )?(?:takes out|took out|taking out|clears|cleared|clearing) (.+)", lambda t: _of(t, lambda x: f"high > {x}")),
    (r"(?:holds|held|holding|stays|stayed|staying) (above|below) (.+)",
     lambda w, t: _of(t, lambda x: f"close {'>' if w == 'above' else '<'} {x} held 5")),
    (r"at (?:the )?lower (?:bollinger )?band", lambda: "low <= bb_lower(20, 2)"),
    (r"at (?:the )?upper (?:bollinger )?band", lambda: "high >= bb_upper(20, 2)"),
    (r"(?:low )?(?:pierc(?:es|ed)|pok(?:es|ed) (?:below|through)|tagged|spiked below) (?:the )?lower (?:bollinger )?band", lambda: "low < bb_lower(20, 2)"),
    (r"(?:high )?(?:pierc(?:es|ed)|pok(?:es|ed) (?:above|through)|tagged|spiked above) (?:the )?upper (?:bollinger )?band", lambda: "high > bb_upper(20, 2)"),
    (r"(?:outside|above|over|walking) (?:the |its )?upper (?:bollinger )?band", lambda: "close > bb_upper(20, 2)"),
    (r"(?:outside|below|under) (?:the |its )?lower (?:bollinger )?band", lambda: "close < bb_lower(20, 2)"),
    (r"(?:inside|within|between) (?:the |its )?(?:bollinger )?bands", lambda: "close between bb_lower(20, 2) and bb_upper(20, 2)"),
    (r"at (?!an? |the (?:close|open))(.+)", lambda t: _of(t, lambda x: f"low near {x} by 2%") if re.search(r"average|ma\b|\bday$", t) else None),
    # averages
    (r"golden cross", lambda: "sma(50) crosses above sma(200)"),
    (r"death cross", lambda: "sma(50) crosses below sma(200)"),
    (r"(?:above|over) all (?:of )?(?:its |the )?(?:key |major |main )?(?:moving )?averages", lambda: "close > sma(20) and close > sma(50) and close > sma(200)"),
    (r"(?:below|under) all (?:of )?(?:its |the )?(?:key |major |main )?(?:moving )?averages", lambda: "close < sma(20) and close < sma(50) and close < sma(200)"),
    (rf"(.+?) (?:is )?{_WAYS}(?: for (?:the last )?(\d+) {UNIT})?", _slope),
    (r"(?:in )?(?:an? )?(?:strong |clear |established )?up ?trend(?:ing)?|trending up", lambda: "stacked(sma, 50, 200)"),
    (r"(?:in )?(?:a )?(?:strong |clear |established )?down ?trend(?:ing)?|trending down", lambda: "stacked(sma, 200, 50)"),
    (rf"{_INDEX} (?:is )?(?:in )?(?:an? )?up ?trend(?:ing)?", lambda: "benchmark(close > sma(200))"),
    (rf"{_INDEX} (?:is )?(?:in )?(?:a )?down ?trend(?:ing)?", lambda: "benchmark(close < sma(200))"),
    (rf"{_INDEX} (?:is )?(above|below|over|under) (?:its |the )?(.+)",
     lambda w, x: (lambda v: f"benchmark(close {'>' if w in ('above', 'over') else '<'} {v})" if v else None)(operand(x))),
    # breakouts
    (r"(?:breakout|breaking out|breaks? out|broke out|broken out)(?: today)?", lambda: "close > highest(high, 20) 1 ago"),
    (r"(?:breakdown|breaking down|breaks? down|broke down|broken down)(?: today)?", lambda: "close < lowest(low, 20) 1 ago"),
    (rf"(?:breakout|breaking out|breaks? out|broke out|broken out) (?:of|from) (?:an? |its |the )?{SPAN} (?:range|base|high|consolidation)",
     lambda n, u: f"close > highest(high, {bars(n, u)}) 1 ago"),
    (rf"(?:breakout|breaking out|breaks? out|broke out|broken out) (?:to|at) (?:a |its )?(?:new )?{SPAN} high(?:s)?",
     lambda n, u: f"close > highest(high, {bars(n, u)}) 1 ago"),
    (rf"(?:breakout|breaking out|breaks? out|broke out|broken out) (?:of|from) (?:an? |its |the )?({_PATTERN}|range|consolidation)(?: today| {LAST}(\d+) {UNIT})?",
     lambda name, n: _broken(name if name in PATTERNS else "base", n)),
    (rf"(?:an? )?({_PATTERN}) (?:breakout|breaks? out|broke out|breaking out|triggered|breaks?|broke|break)(?: today| {LAST}(\d+) {UNIT})?", _broken),
    (rf"(?:in |forming |building |forms )?(?:an? )?({_PATTERN})(?: pattern)?(?: forming)?", lambda name: PATTERNS[name]),
    (r"(?:breaks?|broke|breaking|breaks? out|broke out) (?:above |over |through )?(?:of )?(?:a |its )?resistance", lambda: "close crosses above level.price"),
    (r"(?:breaks?|broke|breaking) (?:below |under |through )?(?:a |its )?support", lambda: "close crosses below level.price"),
    (r"(?:near|at|close to|around) (?:a |its )?(?:support|resistance|level)", lambda: "close near level.price by 1%"),
    (r"(?:at |makes? |making |made |hit |hits |hitting |sets? )?(?:a )?new highs?(?: today)?", lambda: "high > highest(high, 52w) 1 ago"),
    (r"(?:at |makes? |making |made |hit |hits |hitting |sets? )?(?:a )?new lows?(?: today)?", lambda: "low < lowest(low, 52w) 1 ago"),
    (r"(?:near|close to|at|around) (?:its |the |new )?highs", lambda: "off_high(52w) >= -5%"),
    (r"(?:near|close to|at|around) (?:its |the |new )?lows", lambda: "above_low(52w) <= 5%"),
    (r"(?:within|less than|no more than|not more than|inside) (\d+(?:\.\d+)?)% (?:of|from|off|below) (?:its |the )?highs?", lambda p: f"off_high(52w) >= -{p}%"),
    (r"(?:within|less than|no more than|inside) (\d+(?:\.\d+)?)% (?:of|from|above|off) (?:its |the )?lows?", lambda p: f"above_low(52w) <= {p}%"),
    (r"(?:down |at least )?(\d+(?:\.\d+)?)% (?:off|below|from|under) (?:its |the )?highs?", lambda p: f"off_high(52w) <= -{p}%"),
    (r"(?:more than|over) (\d+(?:\.\d+)?)% (?:off|below|from|under) (?:its |the )?highs?", lambda p: f"off_high(52w) < -{p}%"),
    (r"(?:up |at least )?(\d+(?:\.\d+)?)% (?:off|above|from|over) (?:its |the )?lows?", lambda p: f"above_low(52w) >= {p}%"),
    (r"(?:more than|over) (\d+(?:\.\d+)?)% (?:off|above|from|over) (?:its |the )?lows?", lambda p: f"above_low(52w) > {p}%"),
    # tightness
    (r"(?:(\d+) )?(?:very )?tight closes|closes (?:are |is )?tight", lambda n=None: f"highest(close, {n or 3}) / lowest(close, {n or 3}) - 1 < 1.5%"),
    (r"(\d+) closes within (\d+(?:\.\d+)?)%(?: of each other)?", lambda n, p: f"highest(close, {n}) / lowest(close, {n}) - 1 < {p}%"),
    (r"(?:tight|narrow) (?:trading )?range|trading (?:in a )?tight(?:ly)?(?: range)?|consolidating|tight consolidation", lambda: "highest(high, 10) / lowest(low, 10) - 1 < 8%"),
    (r"(?:volatility (?:contraction|contracting|is contracting)|contracting volatility|volatility drying up)", lambda: "atr(10) < atr(50)"),
    (r"(?:volatility (?:expansion|expanding|is expanding)|expanding volatility)", lambda: "atr(10) > atr(50)"),
    (r"nr ?(\d+)(?: day| bar)?", lambda n: f"narrowest({n})"),
    (r"(?:a )?(?:wide|big|large) range (?:day|bar|candle)", lambda: "range_expansion(9)"),
    (r"(?:a )?(?:narrow|small|tight) range (?:day|bar|candle)", lambda: "narrowest(7)"),
    (rf"(?:widest|largest|biggest) (?:range|bar|day) {LAST}(\d+) {UNIT}", lambda n: f"range_expansion({int(n) - 1})"),
    (r"(\d+) inside (?:days|bars)(?: in a row)?|(?:double) inside (?:day|bar)", lambda n=None: f"inside_bar held {n or 2}"),
    (r"(?:coming|came|comes|broke|breaking) out of (?:a |the )?squeeze|squeeze (?:has )?(?:just )?(?:fired|released|ended)", lambda: "squeeze_released"),
    # the bar
    (r"(?:closes|closed|closing|close) (?:near|at|on) (?:its |the )?(?:days |daily )?highs?(?: of the day)?", lambda: "closing_place > 75%"),
    (r"(?:closes|closed|closing|close) (?:near|at|on) (?:its |the )?(?:days |daily )?lows?(?: of the day)?", lambda: "closing_place < 25%"),
    (r"(?:closes|closed|closing|close) (?:in|within) (?:the )?(top|upper) (\d+)%? of (?:its|the|the days|days|todays) (?:daily )?range", lambda _, p: f"closing_place > {100 - int(p)}%"),
    (r"(?:closes|closed|closing|close) (?:in|within) (?:the )?(bottom|lower) (\d+)%? of (?:its|the|the days|days|todays) (?:daily )?range", lambda _, p: f"closing_place < {p}%"),
    (r"(?:strong|good) close", lambda: "closing_place > 75%"),
    (r"(?:weak|poor|bad) close", lambda: "closing_place < 25%"),
    (r"gap and go", lambda: "gap > 2% and close > open"),
    (r"gap(?:ped|s)? up (?:and|but) (?:closed|closing|closes) (?:lower|down|red)", lambda: "gap > 0 and close < open"),
    (r"(?:unfilled|open) gap(?: up)?|gap(?:ped|s)? up (?:and|but|that|which)? ?(?:held|was never (?:filled|closed)|never (?:filled|closed)|not (?:filled|closed))", lambda: "gap > 0 and low > close 1 ago"),
    (r"gap(?:ped|s)? up (?:and|but|that|which)? ?(?:filled|closed|was filled)", lambda: "gap > 0 and low <= close 1 ago"),
    (r"gap(?:ped|s)? down (?:and|but|that|which)? ?(?:filled|closed|was filled)", lambda: "gap < 0 and high >= close 1 ago"),
    (r"(?:key )?reversal (?:day|bar)|bullish reversal", lambda: "low < low 1 ago and close > high 1 ago"),
    (r"bearish reversal", lambda: "high > high 1 ago and close < low 1 ago"),
    (r"first down (?:day|close) (?:after|in) (\d+) up (?:days|closes)", lambda n: f"close < close 1 ago and (close > close 1 ago held {n}) 1 ago"),
    (r"first up (?:day|close) (?:after|in) (\d+) down (?:days|closes)", lambda n: f"close > close 1 ago and (close < close 1 ago held {n}) 1 ago"),
    (r"higher highs and higher lows", lambda: "high > high 1 ago and low > low 1 ago"),
    (r"lower highs and lower lows", lambda: "high < high 1 ago and low < low 1 ago"),
    (r"higher swing lows?", lambda: "swing_low(2) > swing_low(2, nth=2)"),
    (r"lower swing highs?", lambda: "swing_high(2) < swing_high(2, nth=2)"),
    # volume
    (r"(?:on |with )?(?:heavy|high|big|strong|large|above average|elevated) volume", lambda: "rel_volume(20) > 1.5"),
    (r"(?:on |with )?(?:light|low|quiet|thin|weak|below average) volume", lambda: "rel_volume(20) < 0.7"),
    (r"(?:volume )?(?:dry|dries|drying|dried) up(?: in volume)?|volume (?:dry|dries|drying|dried) ?up|volume dryup", lambda: "rel_volume(20) < 0.5"),
    (r"(?:a )?volume (?:spike|surge|explosion|burst|thrust)", lambda: "rel_volume(20) > 2"),
    (r"low volume (?:pullback|pull back|dip|decline)", lambda: "close < close 1 ago and rel_volume(20) < 1"),
    (r"high volume (?:breakout|break out)", lambda: "close > highest(high, 20) 1 ago and rel_volume(20) > 1.5"),
    (rf"(?:the )?(?:highest|biggest|largest|most) volume (?:{LAST}|since )?{SPAN}", lambda n, u: f"volume > highest(volume, {bars(n, u)}) 1 ago"),
    (rf"(?:the )?(?:lowest|smallest|least) volume (?:{LAST}|since )?{SPAN}", lambda n, u: f"volume < lowest(volume, {bars(n, u)}) 1 ago"),
    (r"(?:on |with )?(?:twice|double) (?:its |the )?(?:average|usual|normal) volume", lambda: "volume >= 2 * (sma(volume, 20) 1 ago)"),
    (r"(?:on |with )?(\d+(?:\.\d+)?) times (?:its |the )?(?:average|usual|normal) volume", lambda k: f"volume >= {k} * (sma(volume, 20) 1 ago)"),
    (r"(?:liquid|good liquidity|enough liquidity)", lambda: "avg_turnover(20) > 2m"),
    # company it keeps
    (rf"(?:outperform(?:s|ed|ing)?|beat(?:s|ing)?|stronger than|leading|ahead of|better than) {_INDEX}(?: {LAST}{SPAN})?", lambda n, u: _strength(n, u, ">")),
    (rf"(?:underperform(?:s|ed|ing)?|lag(?:s|ged|ging)?|weaker than|behind|worse than) {_INDEX}(?: {LAST}{SPAN})?", lambda n, u: _strength(n, u, "<")),
    (rf"(?:outperform(?:s|ed|ing)?|beat(?:s|ing)?|stronger than|leading|ahead of|better than) {_INDEX} {LAST}{_PERIOD}", lambda p: f"relative_strength({_AVERAGE[p]}) > 0"),
    (r"(?:relative strength|rs)(?: line)? (?:is )?(?:at |making |makes )?(?:a )?new highs?", lambda: "close / benchmark(close) >= highest(close / benchmark(close), 52w)"),
    (r"(?:high|strong|good) relative strength", lambda: "rank(change(126)) > 80"),
    (rf"(?:in )?(?:the )?(?:top|strongest|best) (\d+)%(?: of (?:the market|all))?(?: (?:by|in|over|for|on))?(?: (?:the )?(?:last |past )?{SPAN})?(?: {_PERIOD})?(?: (?:performance|returns?|momentum|gain|change|strength))?",
     _among),
    (r"(?:a )?(?:leader|leaders|market leader|market leaders|momentum leaders?)", lambda: "rank(change(126)) > 90"),
    (rf"(doubled|tripled|halved) {LAST}(?:{SPAN}|{_PERIOD})", _times_up),
    # reports
    (r"(?:earnings|report|reports|results) (?:are |is )?(?:in more than|more than|over|at least) (\d+) days(?: away| off| out)?", lambda n: f"days_to_report > {n}"),
    (r"(?:no|not|without) (?:earnings|report|reporting|results)(?: due| coming up)? (?:this|in the coming|for the) week", lambda: "days_to_report > 5"),
    (r"(?:no|without) (?:earnings|report|results)(?: due| coming up)? (?:next week|for 2 weeks|in (?:the next )?2 weeks)", lambda: "days_to_report > 10"),
    (r"(?:no|without) (?:earnings|report|results)(?: due| coming up)? (?:this month|for a month)", lambda: "days_to_report > 21"),
    (r"(?:earnings|reports?|reporting|results)(?: earnings)? (?:due |coming )?(?:in |within )(?:the )?(?:next )?(\d+) days", lambda n: f"days_to_report <= {n}"),
    (r"(?:earnings|reports?|reporting|results)(?: earnings)? (?:due |coming )?this week", lambda: "days_to_report <= 5"),
    (r"(?:earnings|reports?|reporting|results)(?: earnings)? (?:due |coming )?tomorrow", lambda: "days_to_report == 1"),
    (r"(?:just |recently )?reported(?: earnings)?(?: today| yesterday)?", lambda: "days_since_report <= 1"),
    (r"reported(?: earnings)? this week", lambda: "days_since_report <= 5"),
    (r"(?:beat|beats|topped|above) (?:earnings |the )?(?:estimates|expectations|consensus|forecasts?)", lambda: "eps_surprise > 0"),
    (r"(?:missed|misses|below) (?:earnings |the )?(?:estimates|expectations|consensus|forecasts?)", lambda: "eps_surprise < 0"),
    (r"(?:gapped up|gap up|gaps up) (?:on|after) (?:earnings|its report|the report|results)|earnings gap(?: up)?", lambda: "gap > 3% and days_since_report <= 1"),
    (r"(?:earnings|eps|profits?) (?:are |is )?(?:growing|rising|up)|growing earnings", lambda: "eps_growth > 0"),
    (r"(?:revenue|sales) (?:are |is )?(?:growing|rising|up)|growing (?:revenue|sales)", lambda: "revenue_growth > 0"),
    (r"(?:revenue|sales) (?:are |is )?(?:growing|rising|up) (?:by )?(more than|over|at least)? ?(\d+(?:\.\d+)?)%", lambda how, p: f"revenue_growth {'>' if how in ('more than', 'over') else '>='} {p}%"),
    (r"(?:earnings|eps|profits?) (?:are |is )?(?:growing|rising|up) (?:by )?(more than|over|at least)? ?(\d+(?:\.\d+)?)%", lambda how, p: f"eps_growth {'>' if how in ('more than', 'over') else '>='} {p}%"),
    (r"(?:profitable|in profit|makes? a profit)(?: (?:company|companies|stocks?|names?))?", lambda: "eps > 0"),
    (r"(?:pays a dividend|pays dividends|dividend pay(?:er|ers|ing)|with a dividend)", lambda: "dividend_yield > 0"),
    # sizes and prices
    (r"no penny stocks?|not (?:a )?penny stocks?", lambda: "close > 5"),
    (r"penny stocks?", lambda: "close < 5"),
    (r"large caps?(?: stocks?| only)?", lambda: "market_cap > 10b"),
    (r"mid caps?(?: stocks?| only)?", lambda: "market_cap between 2b and 10b"),
    (r"small caps?(?: stocks?| only)?", lambda: "market_cap < 2b"),
    (r"micro caps?(?: stocks?| only)?", lambda: "market_cap < 300m"),
    (r"(?:priced |price )?between \$?(\d+(?:\.\d+)?) and \$?(\d+(?:\.\d+)?)(?: dollars| a share)?", lambda a, b: f"close between {a} and {b}"),
    (r"(?:priced |costs |costing |trades at )?(over|above|under|below) \$(\d+(?:\.\d+)?)(?: a share)?", lambda w, p: f"close {'>' if w in ('over', 'above') else '<'} {p}"),
    (r"(?:moves|moving|swings) (?:at least |more than |over )?(\d+(?:\.\d+)?)%(?: or more)? (?:a|per) day", lambda p: f"adr(20) >= {p}%"),
    (r"(?:atr|average true range) (?:is )?(above|over|more than|below|under|less than) (\d+(?:\.\d+)?)% of (?:the |its )?(?:price|close)", lambda w, p: f"natr(14) {'>' if w in ('above', 'over', 'more than') else '<'} {p}%"),
    # oscillators turning
    (r"(.+?) (?:has )?(?:turn(?:s|ed|ing)?|cross(?:es|ed|ing)?|came|comes|coming|moved|hook(?:s|ed|ing)?)(?: back)?(?: (up|back up))? from (?:below|under) (\d+)", lambda x, u, n: _turned(x, u, n, "above")),
    (r"(.+?) (?:has )?(?:turn(?:s|ed|ing)?|cross(?:es|ed|ing)?|came|comes|coming|moved|hook(?:s|ed|ing)?)(?: back)?(?: (down|back down))? from (?:above|over) (\d+)", lambda x, u, n: _turned(x, u, n, "below")),
    (r"macd (?:turned |turns |turning |went |goes )(?:positive|up)|macd crosses zero", lambda: "macd crosses above 0"),
    (r"macd (?:turned |turns |turning |went |goes )(?:negative|down)", lambda: "macd crosses below 0"),
    (r"macd (?:is )?positive", lambda: "macd > 0"),
    (r"macd (?:is )?negative", lambda: "macd < 0"),
    (r"not overbought", lambda: "rsi(14) < 70"),
    (r"not oversold", lambda: "rsi(14) > 30"),
    # moves over a named time
    (r"(up|down|gained|lost|rose|fell|dropped) (?:by )?(more than|over|at least)? ?(\d+(?:\.\d+)?)% (?:in|over|within|for|during) (?:a|the last|the past|last|past|1) (week|month|quarter|half year|year)",
     lambda w, how, p, per: (lambda down: f"change({_AVERAGE[per]}) {('<' if down else '>') + ('' if how in ('more than', 'over') else '=')} {'-' if down else ''}{p}%")(w in ("down", "lost", "fell", "dropped"))),
)  # fmt: skip
