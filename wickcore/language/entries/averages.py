"""Averages, extremes and counts: the kernels, and what is defined by them."""

from wickcore.language.catalogue import CONDITION, Entry, Parameter, X, bars

_NUMBER = Parameter("x", "number", None, "what is measured")


def _kernel(name: str, family: str, help: str, formula: str, warm_up: str, example: str, low: int = 1, **more: str) -> Entry:
    return Entry(
        name, family, "kernel", "number", help, formula, warm_up, example=example, parameters=(X, bars(low=low)), degree=None, **more
    )


ENTRIES = (
    _kernel("sma", "averages", "Simple moving average: the mean of the last n values.", "sum(x, n) / n", "n - 1 bars",
            "close > sma(50)"),
    _kernel("ema", "averages",
            "Exponential moving average with weight 2 / (n + 1), started from the simple mean of its first n values.",
            "previous + 2 / (n + 1) * (x - previous)", "n - 1 bars", "close > ema(9)"),
    _kernel("rma", "averages",
            "The smoothed average used in ATR and RSI: weight 1 / n, started from the simple mean of its first n values.",
            "previous + (x - previous) / n", "n - 1 bars", "close > rma(20)",
            source="J. Welles Wilder, New Concepts in Technical Trading Systems, 1978"),
    _kernel("wma", "averages", "Linearly weighted average: the newest value weighs n, the oldest 1.",
            "(n*x + (n-1)*(x 1 ago) + ...) / (n*(n+1)/2)", "n - 1 bars", "close > wma(20)"),
    _kernel("stdev", "statistics", "Standard deviation of the population over the last n values.",
            "sqrt(mean((x - sma(x, n))^2))", "n - 1 bars", "stdev(close, 20) / close < 2%"),
    _kernel("sum", "statistics", "The sum of the last n values.", "x + (x 1 ago) + ...", "n - 1 bars", "sum(volume, 5) > 1m"),
    _kernel("highest", "extremes", "The highest of the last n values, this bar included.", "max over n bars", "n - 1 bars",
            "close > highest(high, 60) 1 ago"),
    _kernel("lowest", "extremes", "The lowest of the last n values, this bar included.", "min over n bars", "n - 1 bars",
            "close < lowest(low, 60) 1 ago"),
    Entry("count", "statistics", "kernel", "number", "On how many of the last n bars the condition was true.",
          "number of true bars among n; unknown while any of them is", "n - 1 bars", example="count(close > open, 10) >= 7",
          parameters=(CONDITION, bars())),
    Entry("bars_since", "statistics", "kernel", "number",
          "How many bars ago the condition was last true; 0 when it is true now. Unknown until it has been true once.",
          "bars from the latest true bar to this one", "until first true",
          example="bars_since(close > highest(high, 60) 1 ago) < 3", parameters=(CONDITION,)),
    Entry("rsi", "momentum", "definition", "number",
          "Relative strength index, 0 to 100. Unknown when nothing moved in all the bars behind it.",
          "100 * up / (up + down), where up and down are rma(n) of the rises and of the falls", "n bars",
          "J. Welles Wilder, New Concepts in Technical Trading Systems, 1978", "rsi(14) < 30", (X, bars(14)),
          "100 * rma(max(x - (x 1 ago), 0), n) / (rma(max(x - (x 1 ago), 0), n) + rma(max((x 1 ago) - x, 0), n))", None),
    Entry("macd", "momentum", "definition", "number", "The distance of a fast from a slow exponential average.",
          "ema(x, fast) - ema(x, slow)", "slow - 1 bars", example="macd > macd_signal",
          parameters=(X, bars(12, name="fast"), bars(26, name="slow")), definition="ema(x, fast) - ema(x, slow)", degree=None),
    Entry("macd_signal", "momentum", "definition", "number", "The exponential average of macd.",
          "ema(macd(x, fast, slow), signal)", "slow + signal - 2 bars", example="macd crosses above macd_signal",
          parameters=(X, bars(12, name="fast"), bars(26, name="slow"), bars(9, name="signal")),
          definition="ema(ema(x, fast) - ema(x, slow), signal)", degree=None),
    Entry("abs", "statistics", "kernel", "number", "The value without its sign.", "abs(x)", example="abs(body) < 10% * range",
          parameters=(_NUMBER,), degree=None),
    Entry("sqrt", "statistics", "kernel", "number", "The square root; unknown below zero.", "sqrt(x)", example="sqrt(atr(14)) > 1",
          parameters=(_NUMBER,)),
    Entry("log", "statistics", "kernel", "number", "The natural logarithm; unknown at or below zero.", "ln(x)",
          example="log(close) > sma(log(close), 50)", parameters=(_NUMBER,)),
    Entry("max", "statistics", "kernel", "number", "The larger of two values.", "max(a, b)", example="max(open, close) > sma(20)",
          parameters=(Parameter("a", "number"), Parameter("b", "number")), degree=None),
    Entry("min", "statistics", "kernel", "number", "The smaller of two values.", "min(a, b)", example="min(open, close) > sma(20)",
          parameters=(Parameter("a", "number"), Parameter("b", "number")), degree=None),
    Entry("rising", "trend", "definition", "condition", "Every one of the last n moves was up.", "x > (x 1 ago) held n", "n bars",
          example="rising(sma(50), 5)", parameters=(X, bars(3)), definition="x > (x 1 ago) held n"),
    Entry("falling", "trend", "definition", "condition", "Every one of the last n moves was down.", "x < (x 1 ago) held n", "n bars",
          example="falling(volume, 2)", parameters=(X, bars(3)), definition="x < (x 1 ago) held n"),
    Entry("place", "extremes", "definition", "number", "Where x lies between two values: 0 at the lower, 1 at the upper.",
          "(x - lower) / (upper - lower)", example="place(close, lowest(low, 52w), highest(high, 52w)) > 75%",
          parameters=(_NUMBER, Parameter("lower", "number"), Parameter("upper", "number")),
          definition="(x - lower) / (upper - lower)", degree=None),
)  # fmt: skip
