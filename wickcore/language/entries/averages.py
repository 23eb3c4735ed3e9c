"""Averages and extremes."""

from wickcore.language.entries.prices import WILDER
from wickcore.language.entry import X, bars, constant, defined, kernel, number

_A, _E = "averages", "extremes"

ENTRIES = (
    kernel("sma", _A, "Simple moving average: the mean of the last n values.", "sum(x, n) / n", "n - 1", "close > sma(50)", X, bars()),
    kernel("ema", _A, "Exponential moving average with weight 2 / (n + 1), started from the simple mean of its first n values.",
           "previous + 2 / (n + 1) * (x - previous)", "n - 1", "close > ema(9)", X, bars()),
    kernel("wma", _A, "Linearly weighted average: the newest value weighs n, the oldest 1.",
           "(n*x + (n-1)*(x 1 ago) + ...) / (n*(n+1)/2)", "n - 1", "close > wma(20)", X, bars()),
    kernel("rma", _A, "The smoothed average used in ATR and RSI: weight 1 / n, started from the simple mean of its first n values.",
           "previous + (x - previous) / n", "n - 1", "close > rma(20)", X, bars(), source=WILDER),
    defined("dema", _A, "Double exponential average: an exponential average with most of its lag taken out.",
            "2 * ema(x, n) - ema(ema(x, n), n)", "2 * n - 2", "close > dema(20)", X, bars(),
            source="P. Mulloy, Technical Analysis of Stocks and Commodities 12, 1994"),
    defined("tema", _A, "Triple exponential average.", "3 * ema(x, n) - 3 * ema(ema(x, n), n) + ema(ema(ema(x, n), n), n)", "3 * n - 3",
            "close > tema(20)", X, bars(), source="P. Mulloy, Technical Analysis of Stocks and Commodities 12, 1994"),
    defined("hull", _A, "Hull's average: a weighted average of twice the half-length average less the full one; fast and smooth.",
            "wma(2 * wma(x, round(n / 2)) - wma(x, n), round(sqrt(n)))", "n + round(sqrt(n)) - 2", "rising(hull(20), 2)", X, bars(low=2),
            source="A. Hull, 2005 (from memory)"),
    kernel("ema_by", _A, "Exponential average whose weight changes from bar to bar; started from the value before the first known weight.",
           "previous + weight * (x - previous)", "until the weight is known", "ema_by(close, 10%) < close", X, number("weight", "0 to 1")),
    defined("kama", _A, "Kaufman's adaptive average: fast while prices go one way, slow while they go back and forth.",
            "ema_by(x, (abs(x - (x n ago)) / sum(abs(x - (x 1 ago)), n) * (2 / (fast + 1) - 2 / (slow + 1)) + 2 / (slow + 1)) "
            "* (abs(x - (x n ago)) / sum(abs(x - (x 1 ago)), n) * (2 / (fast + 1) - 2 / (slow + 1)) + 2 / (slow + 1)))",
            "n", "close > kama(10)", X, bars(10), constant("fast", "2"), constant("slow", "30"),
            formula="ema_by(x, (efficiency * (2/(fast+1) - 2/(slow+1)) + 2/(slow+1))^2), efficiency = abs(x - x n ago) / "
                    "sum(abs(x - x 1 ago), n)",
            source="P. Kaufman, Trading Systems and Methods. Unknown where nothing moved in n bars"),
    defined("vwma", _A, "Average weighted by volume.", "sma(x * volume, n) / sma(volume, n)", "n - 1", "close > vwma(20)", X, bars(), level=True),
    kernel("highest", _E, "The highest of the last n values, this bar included.", "max over n bars", "n - 1",
           "close > highest(high, 60) 1 ago", X, bars()),
    kernel("lowest", _E, "The lowest of the last n values, this bar included.", "min over n bars", "n - 1",
           "close < lowest(low, 60) 1 ago", X, bars()),
    kernel("bars_since_highest", _E, "How many bars ago the highest of the last n values was; 0 when it is this one. The latest of equals.",
           "bars from the highest of n to this one", "n - 1", "bars_since_highest(high, 60) <= 2", X, bars(), degree=0),
    kernel("bars_since_lowest", _E, "How many bars ago the lowest of the last n values was; 0 when it is this one. The latest of equals.",
           "bars from the lowest of n to this one", "n - 1", "bars_since_lowest(low, 60) > 20", X, bars(), degree=0),
    defined("place", _E, "Where x lies between two values: 0 at the lower, 1 at the upper.", "(x - lower) / (upper - lower)", "0",
            "place(close, lowest(low, 52w), highest(high, 52w)) > 75%", number("x"), number("lower"), number("upper")),
    defined("off_high", _E, "How far the close is from the highest high of n bars, this one included; 0 or below.",
            "close / highest(high, n) - 1", "n - 1", "off_high(52w) > -25%", bars(252)),
    defined("above_low", _E, "How far the close is above the lowest low of n bars, this one included; 0 or more.",
            "close / lowest(low, n) - 1", "n - 1", "above_low(52w) > 50%", bars(252)),
)  # fmt: skip
