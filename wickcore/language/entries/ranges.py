"""Ranges, bands and the squeeze: all of them definitions over the averages."""

from wickcore.language.catalogue import Entry, Parameter, X, bars, constant

_WILDER = "J. Welles Wilder, New Concepts in Technical Trading Systems, 1978"
_WIDTH = constant("width", "2", "how many standard deviations")
_K = constant("k", "1.5", "how many average true ranges")


def _number(
    name: str, family: str, help: str, definition: str, warm_up: str, example: str, parameters: tuple[Parameter, ...], **more: str
) -> Entry:
    return Entry(
        name, family, "definition", "number", help, definition, warm_up, example=example, parameters=parameters,
        definition=definition, degree=None, **more,
    )  # fmt: skip


def _condition(
    name: str, family: str, help: str, definition: str, warm_up: str, example: str, parameters: tuple[Parameter, ...]
) -> Entry:
    return Entry(
        name,
        family,
        "definition",
        "condition",
        help,
        definition,
        warm_up,
        example=example,
        parameters=parameters,
        definition=definition,
    )


_SQUEEZE = (
    "sma(close, n) + width * stdev(close, n) < ema(close, n) + k * rma(true_range, n) "
    "and sma(close, n) - width * stdev(close, n) > ema(close, n) - k * rma(true_range, n)"
)

ENTRIES = (
    _number("atr", "ranges", "Average true range: the smoothed average of the true range, in money.", "rma(true_range, n)", "n bars",
            "range > 2 * (atr(14) 1 ago)", (bars(14),), source=_WILDER),
    _number("natr", "ranges", "Average true range as a fraction of the close.", "rma(true_range, n) / close", "n bars",
            "natr(14) > 3%", (bars(14),)),
    _number("adr", "ranges", "Average daily range as a fraction: the mean of high / low over n bars, less 1.",
            "sma(high / low, n) - 1", "n - 1 bars", "adr(20) > 2%", (bars(20),)),
    _condition("range_expansion", "ranges", "This bar's range is wider than each of the n before it.",
               "range > highest(range, n) 1 ago", "n bars", "range_expansion(9)", (bars(9),)),
    _condition("narrowest", "ranges", "This bar's range is the smallest of n, this one included.",
               "range <= lowest(range, n)", "n - 1 bars", "narrowest(7)", (bars(7),)),
    _number("bb_mid", "bands", "The middle of the standard-deviation bands: the simple average.", "sma(x, n)", "n - 1 bars",
            "close > bb_mid", (X, bars(20))),
    _number("bb_upper", "bands", "The average plus a number of standard deviations.", "sma(x, n) + width * stdev(x, n)", "n - 1 bars",
            "close > bb_upper(20, 2)", (X, bars(20), _WIDTH)),
    _number("bb_lower", "bands", "The average less a number of standard deviations.", "sma(x, n) - width * stdev(x, n)", "n - 1 bars",
            "close < bb_lower(20, 2)", (X, bars(20), _WIDTH)),
    _number("bb_width", "bands", "The distance between the two bands as a fraction of the middle.",
            "2 * width * stdev(x, n) / sma(x, n)", "n - 1 bars", "bb_width < 10%", (X, bars(20), _WIDTH)),
    _number("bb_place", "bands", "Where x lies between the bands: 0 at the lower, 1 at the upper.",
            "(x - sma(x, n)) / (2 * width * stdev(x, n)) + 50%", "n - 1 bars", "bb_place < 20%", (X, bars(20), _WIDTH)),
    _number("keltner_mid", "bands", "The middle of the range channel: the exponential average of the close.", "ema(close, n)",
            "n - 1 bars", "close > keltner_mid", (bars(20), _K)),
    _number("keltner_upper", "bands", "The exponential average plus k average true ranges.", "ema(close, n) + k * rma(true_range, n)",
            "n bars", "close > keltner_upper(20, 1.5)", (bars(20), _K)),
    _number("keltner_lower", "bands", "The exponential average less k average true ranges.", "ema(close, n) - k * rma(true_range, n)",
            "n bars", "close < keltner_lower(20, 1.5)", (bars(20), _K)),
    _number("donchian_upper", "bands", "The highest high of n bars, this one included.", "highest(high, n)", "n - 1 bars",
            "close > donchian_upper(20) 1 ago", (bars(20),)),
    _number("donchian_lower", "bands", "The lowest low of n bars, this one included.", "lowest(low, n)", "n - 1 bars",
            "close < donchian_lower(20) 1 ago", (bars(20),)),
    _condition("squeeze", "bands", "Both standard-deviation bands lie inside the range channel: movement has dried up.",
               _SQUEEZE, "n bars", "squeeze held 5", (bars(20), _WIDTH, _K)),
    _condition("inside_bar", "candles", "The whole bar lies inside the one before it.", "high < (high 1 ago) and low > (low 1 ago)",
               "1 bar", "inside_bar", ()),
    _condition("outside_bar", "candles", "The bar reaches beyond the one before it on both sides.",
               "high > (high 1 ago) and low < (low 1 ago)", "1 bar", "outside_bar", ()),
)  # fmt: skip
