"""Volume and money."""

from wickcore.language.entry import POSITIVE, SIGNED, Parameter, bars, defined

_V = "volume"
_ANCHOR = Parameter("condition", "condition", "first_of(day)", "the bar it begins on")
_FLOW = "pick(high > low, ((close - low) - (high - close)) / (high - low) * volume, 0)"

ENTRIES = (
    defined("rel_volume", _V, "Volume against its own average over the n bars before this one.", "volume / (sma(volume, n) 1 ago)", "n",
            "rel_volume(20) > 1.5", bars(20), bounds=POSITIVE, said="volume against its {n}-bar average"),
    defined("avg_turnover", _V, "The mean money traded a bar over n bars.", "sma(close * volume, n)", "n - 1", "avg_turnover(20) > 2m", bars(20),
            bounds=POSITIVE, said="the {n}-bar average of money traded", amount=True),
    defined("obv", _V, "On-balance volume: volumes of rising bars added, of falling bars taken off. Only its changes mean something.",
            "total(pick(close > (close 1 ago), volume, 0) - pick(close < (close 1 ago), volume, 0))", "1", "obv > sma(obv, 20)",
            source="J. Granville, 1963 (from memory); the first bar counts nothing", side="level", said="the on-balance volume"),
    defined("ad_line", _V, "Accumulation line: each bar's volume, weighted by where in its range it closed, -1 to 1.", f"total({_FLOW})", "0",
            "ad_line > ema(ad_line, 20)", formula="total(((close - low) - (high - close)) / (high - low) * volume); a bar without range adds 0",
            side="level", said="the accumulation line"),
    defined("cmf", _V, "Money flow of n bars: volume weighted by where it closed, over all volume; -1 to 1.",
            f"sum({_FLOW}, n) / sum(volume, n)", "n - 1", "cmf(20) > 0", bars(20),
            formula="sum(((close - low) - (high - close)) / (high - low) * volume, n) / sum(volume, n)", bounds=SIGNED, side="move",
            said="the {n}-bar money flow"),
    defined("up_down_volume", _V, "Volume of rising bars over volume of falling bars.",
            "sum(pick(close > (close 1 ago), volume, 0), n) / sum(pick(close < (close 1 ago), volume, 0), n)", "n",
            "up_down_volume(50) > 1.2", bars(50), bounds=POSITIVE, side="ratio",
            said="the volume of rising bars over that of falling ones, {n} bars"),
    defined("vwap", _V, "Average price weighted by volume since the condition was last true, that bar included; on bars within the day "
            "from the session's open where no condition is given.",
            "sum_since(typical * volume, condition) / sum_since(volume, condition)", "until first true", "close > vwap(first_of(month))",
            _ANCHOR, level=True, side="level", said="the volume-weighted average price since {condition}"),
)  # fmt: skip
