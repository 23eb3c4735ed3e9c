"""Candles, and Heikin-Ashi bars. Published descriptions differ in their limits: here every limit is a named argument."""

from typing import Unpack

from wickcore.language.entry import Entry, Parameter, Traits, bars, constant, defined, kernel

_C = "candles"
_SMALL = constant("small", "35%", "the largest body, as a share of the range")
_WICK = constant("wick", "2", "the long wick, in bodies, at least")
_OTHER = constant("other", "10%", "the largest other wick, as a share of the range")
_TREND = bars(5, name="trend", help="the average that says what came before")
_FELL = "(close < sma(close, trend)) 1 ago"
_ROSE = "(close > sma(close, trend)) 1 ago"
_LONG_BELOW = "lower_wick >= wick * abs(body) and lower_wick > 0 and upper_wick <= other * range and abs(body) <= small * range"
_LONG_ABOVE = "upper_wick >= wick * abs(body) and upper_wick > 0 and lower_wick <= other * range and abs(body) <= small * range"
_MIDDLE = "(open + close) / 2"


def _candle(name: str, help: str, definition: str, warm_up: str, *parameters: Parameter, **traits: Unpack[Traits]) -> Entry:
    traits = {"said": f"a {name.replace('_', ' ')} has formed", **traits}
    return defined(name, _C, help, definition, warm_up, f"{name} once in 3", *parameters, result="condition", **traits)


ENTRIES = (
    _candle("doji", "Open and close are nearly one.", "abs(body) <= limit * range and range > 0", "0", constant("limit", "10%")),
    _candle("marubozu", "All body: hardly a wick on either side.", "upper_wick <= limit * range and lower_wick <= limit * range and range > 0",
            "0", constant("limit", "5%")),
    _candle("hammer", "After a fall, a long wick below a small body: sellers were met.", f"{_LONG_BELOW} and {_FELL}", "trend",
            _WICK, _OTHER, _SMALL, _TREND, other='shooting_star'),
    _candle("hanging_man", "The hammer's shape after a rise.", f"{_LONG_BELOW} and {_ROSE}", "trend", _WICK, _OTHER, _SMALL, _TREND,
            other='inverted_hammer'),
    _candle("inverted_hammer", "After a fall, a long wick above a small body.", f"{_LONG_ABOVE} and {_FELL}", "trend",
            _WICK, _OTHER, _SMALL, _TREND, other='hanging_man'),
    _candle("shooting_star", "The inverted hammer's shape after a rise: buyers were met.", f"{_LONG_ABOVE} and {_ROSE}", "trend",
            _WICK, _OTHER, _SMALL, _TREND, other='hammer'),
    _candle("engulfing_up", "A rising body that covers the falling one before it.",
            "body > 0 and body 1 ago < 0 and open <= close 1 ago and close >= open 1 ago and abs(body) > abs(body) 1 ago", "1",
            other='engulfing_down'),
    _candle("engulfing_down", "A falling body that covers the rising one before it.",
            "body < 0 and body 1 ago > 0 and open >= close 1 ago and close <= open 1 ago and abs(body) > abs(body) 1 ago", "1",
            other='engulfing_up'),
    _candle("harami_up", "A small rising body inside the falling one before it.",
            "body > 0 and body 1 ago < 0 and close <= open 1 ago and open >= close 1 ago and abs(body) <= inside * (abs(body) 1 ago)", "1",
            constant("inside", "60%", "the largest body, as a share of the one before"), other='harami_down'),
    _candle("harami_down", "A small falling body inside the rising one before it.",
            "body < 0 and body 1 ago > 0 and open <= close 1 ago and close >= open 1 ago and abs(body) <= inside * (abs(body) 1 ago)", "1",
            constant("inside", "60%", "the largest body, as a share of the one before"), other='harami_up'),
    _candle("piercing", "Opens under a falling bar's close and closes above the middle of its body.",
            f"body > 0 and body 1 ago < 0 and open < close 1 ago and close > ({_MIDDLE}) 1 ago and close < open 1 ago", "1",
            other='dark_cloud'),
    _candle("dark_cloud", "Opens over a rising bar's close and closes below the middle of its body.",
            f"body < 0 and body 1 ago > 0 and open > close 1 ago and close < ({_MIDDLE}) 1 ago and close > open 1 ago", "1",
            other='piercing'),
    _candle("morning_star", "A falling body, a small one below its close, then a rising one back above its middle.",
            "body 2 ago < 0 and abs(body) 1 ago <= star * (abs(body) 2 ago) and max(open, close) 1 ago <= close 2 ago and body > 0 "
            f"and close > ({_MIDDLE}) 2 ago", "2", constant("star", "40%", "the middle body, as a share of the first"),
            other='evening_star'),
    _candle("evening_star", "A rising body, a small one above its close, then a falling one back below its middle.",
            "body 2 ago > 0 and abs(body) 1 ago <= star * (abs(body) 2 ago) and min(open, close) 1 ago >= close 2 ago and body < 0 "
            f"and close < ({_MIDDLE}) 2 ago", "2", constant("star", "40%", "the middle body, as a share of the first"),
            other='morning_star'),
    _candle("three_white_soldiers", "Three rising bodies, each opening inside the one before and closing higher, with short upper wicks.",
            "(body > 0 and upper_wick <= limit * range) held 3 and "
            "(close > close 1 ago and open >= open 1 ago and open <= close 1 ago) held 2", "2", constant("limit", "30%"),
            other='three_black_crows'),
    _candle("three_black_crows", "Three falling bodies, each opening inside the one before and closing lower, with short lower wicks.",
            "(body < 0 and lower_wick <= limit * range) held 3 and "
            "(close < close 1 ago and open <= open 1 ago and open >= close 1 ago) held 2", "2", constant("limit", "30%"),
            other='three_white_soldiers'),
    _candle("inside_bar", "The whole bar lies inside the one before it.", "high < (high 1 ago) and low > (low 1 ago)", "1",
            said="the bar lies inside the one before"),
    _candle("outside_bar", "The bar reaches beyond the one before it on both sides.", "high > (high 1 ago) and low < (low 1 ago)", "1",
            said="the bar reaches beyond the one before on both sides"),
    defined("ha_close", "Heikin-Ashi", "The mean of the bar's four prices.", "(open + high + low + close) / 4", "0", "ha_close > ha_open",
            side="level", said="the Heikin-Ashi close"),
    kernel("ha_open", "Heikin-Ashi", "The middle of the last Heikin-Ashi bar's open and close; the first one is the bar's own open.",
           "(ha_open 1 ago + ha_close 1 ago) / 2", "0", "ha_close > ha_open held 3", Parameter("open", "number", "open"),
           Parameter("middle", "number", "ha_close"), degree=1, level=True, side="level", said="the Heikin-Ashi open"),
    defined("ha_high", "Heikin-Ashi", "The highest of the high and the Heikin-Ashi open and close.", "max(high, max(ha_open, ha_close))", "0",
            "ha_high > ha_high 1 ago", other='ha_low', side="level", said="the Heikin-Ashi high"),
    defined("ha_low", "Heikin-Ashi", "The lowest of the low and the Heikin-Ashi open and close.", "min(low, min(ha_open, ha_close))", "0",
            "ha_low == ha_open", other='ha_high', side="level", said="the Heikin-Ashi low"),
)  # fmt: skip
