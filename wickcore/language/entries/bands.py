"""Bands, channels and the squeeze: all of them definitions over the averages."""

from wickcore.language.entry import POSITIVE, X, bars, constant, defined

_B = "bands"
_WIDTH = constant("width", "2", "how many standard deviations")
_UPPER = constant("upper", "width", "how many standard deviations above, where the bands lie unequally far")
_LOWER = constant("lower", "width", "how many standard deviations below")
_K = constant("k", "1.5", "how many average true ranges")
_SQUEEZE = (
    "sma(close, n) + width * stdev(close, n) < ema(close, n) + k * rma(true_range, n) "
    "and sma(close, n) - width * stdev(close, n) > ema(close, n) - k * rma(true_range, n)"
)

ENTRIES = (
    defined("bb_mid", _B, "The middle of the standard-deviation bands: the simple average.", "sma(x, n)", "n - 1", "close > bb_mid", X, bars(20),
            side="level", said="the middle of the {n}-bar bands"),
    defined("bb_upper", _B, "The average plus a number of standard deviations.", "sma(x, n) + width * stdev(x, n)", "n - 1",
            "close > bb_upper(20, 2)", X, bars(20), _WIDTH,
            other='bb_lower', side="level", said="the upper {n}-bar band{of x} ({width} deviations)"),
    defined("bb_lower", _B, "The average less a number of standard deviations.", "sma(x, n) - width * stdev(x, n)", "n - 1",
            "close < bb_lower(20, 2)", X, bars(20), _WIDTH,
            other='bb_upper', side="level", said="the lower {n}-bar band{of x} ({width} deviations)"),
    defined("bb_width", _B, "The distance between the two bands as a fraction of the middle.", "(upper + lower) * stdev(x, n) / sma(x, n)",
            "n - 1", "bb_width < 10%", X, bars(20), _WIDTH, _UPPER, _LOWER,
            bounds=POSITIVE, fraction=True, said="the width of the {n}-bar bands"),
    defined("bb_place", _B, "Where x lies between the bands: 0 at the lower, 1 at the upper.",
            "(x - sma(x, n) + lower * stdev(x, n)) / ((upper + lower) * stdev(x, n))", "n - 1", "bb_place < 20%",
            X, bars(20, 2), _WIDTH, _UPPER, _LOWER, fraction=True, side="share", said="the place in the {n}-bar bands"),
    defined("keltner_mid", _B, "The middle of the range channel: the exponential average of the close.", "ema(close, n)", "n - 1",
            "close > keltner_mid", bars(20), side="level", said="the middle of the {n}-bar range channel"),
    defined("keltner_upper", _B, "The exponential average plus k average true ranges.", "ema(close, n) + k * rma(true_range, n)", "n",
            "close > keltner_upper(20, 1.5)", bars(20), _K,
            other='keltner_lower', side="level", said="the top of the {n}-bar range channel"),
    defined("keltner_lower", _B, "The exponential average less k average true ranges.", "ema(close, n) - k * rma(true_range, n)", "n",
            "close < keltner_lower(20, 1.5)", bars(20), _K,
            other='keltner_upper', side="level", said="the bottom of the {n}-bar range channel"),
    defined("donchian_upper", _B, "The highest high of n bars, this one included.", "highest(high, n)", "n - 1",
            "close > donchian_upper(20) 1 ago", bars(20), other='donchian_lower', side="level", said="the {n}-bar high"),
    defined("donchian_lower", _B, "The lowest low of n bars, this one included.", "lowest(low, n)", "n - 1",
            "close < donchian_lower(20) 1 ago", bars(20), other='donchian_upper', side="level", said="the {n}-bar low"),
    defined("squeeze", _B, "Both standard-deviation bands lie inside the range channel: movement has dried up.", _SQUEEZE, "n",
            "squeeze held 5", bars(20), _WIDTH, _K, result="condition", said="the bands lie inside the channel (a squeeze)"),
    defined("squeeze_bars", _B, "For how many bars the squeeze has lasted; 0 outside one.", "streak(squeeze(n, width, k))", "n",
            "squeeze_bars >= 5", bars(20), _WIDTH, _K, bounds=POSITIVE, said="the number of bars the squeeze has lasted"),
    defined("squeeze_released", _B, "The squeeze ended on this bar.", "squeeze(n, width, k) 1 ago and not squeeze(n, width, k)", "n + 1",
            "squeeze_released and close > close 1 ago", bars(20), _WIDTH, _K, result="condition", said="a squeeze has just ended", later=True),
)  # fmt: skip
