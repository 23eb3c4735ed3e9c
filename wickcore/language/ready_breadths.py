"""Breadths that are always there, by name: a text each, over all shares unless another universe is named."""

READY: dict[str, str] = {
    "Above the 20-day average": "close > sma(20)",
    "Above the 50-day average": "close > sma(50)",
    "Above the 200-day average": "close > sma(200)",
    "Above the 40-week average": "bars: week\nclose > sma(40)",
    "New highs less new lows of the year": "shows: count\nless: low <= lowest(low, 52w)\nhigh >= highest(high, 52w)",
    "Advances less declines": "shows: count\nless: close < close 1 ago\nclose > close 1 ago",
    "Advances less declines, running sum": "shows: sum\nless: close < close 1 ago\nclose > close 1 ago",
    "Up volume": "weight: volume\nclose > close 1 ago",
    "In a squeeze": "squeeze",
    "Within a tenth of their year's high": "off_high(52w) > -10%",
}
