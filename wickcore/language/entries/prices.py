"""Fields of the bar, what is made of one or two bars, and ranges."""

from wickcore.language.entry import Entry, bars, defined

_F = "price fields"
WILDER = "J. Welles Wilder, New Concepts in Technical Trading Systems, 1978"


def _field(name: str, help: str, degree: int = 1) -> Entry:
    return Entry(name, _F, "field", "number", help, name, example=f"{name} > 10", degree=degree)


ENTRIES = (
    _field("open", "The first price of the bar."),
    _field("high", "The highest price of the bar."),
    _field("low", "The lowest price of the bar."),
    _field("close", "The last price of the bar."),
    _field("volume", "Shares traded in the bar.", -1),
    defined("change", _F, "How far the close moved over the last n bars, as a fraction; over one bar where n is left out.",
            "close / (close n ago) - 1", "n", "change > 5%", bars(1)),
    defined("gap", _F, "The open against the previous close, as a fraction.", "open / (close 1 ago) - 1", "1", "gap > 3%"),
    defined("range", _F, "High less low.", "high - low", "0", "range > atr(14)"),
    defined("body", _F, "Close less open; negative when the bar falls.", "close - open", "0", "body > 0"),
    defined("upper_wick", _F, "High less the larger of open and close.", "high - max(open, close)", "0", "upper_wick > 2 * abs(body)"),
    defined("lower_wick", _F, "The smaller of open and close, less the low.", "min(open, close) - low", "0", "lower_wick > upper_wick"),
    defined("typical", _F, "The mean of high, low and close.", "(high + low + close) / 3", "0", "typical > sma(typical, 20)"),
    defined("turnover", _F, "Money traded: close times volume.", "close * volume", "0", "turnover > 5m"),
    defined("closing_place", _F, "Where in its range the bar closed: 0 at the low, 100% at the high. Unknown on a bar without range.",
            "(close - low) / (high - low)", "0", "closing_place > 50%"),
    defined("true_range", "ranges", "The range with the previous close counted in. Unknown on the first bar.",
            "max(high, close 1 ago) - min(low, close 1 ago)", "1", "true_range > 2 * atr(14)", source=WILDER),
    defined("atr", "ranges", "Average true range: the smoothed average of the true range, in money.", "rma(true_range, n)", "n",
            "range > 2 * (atr(14) 1 ago)", bars(14), source=WILDER),
    defined("natr", "ranges", "Average true range as a fraction of the close.", "rma(true_range, n) / close", "n", "natr(14) > 3%", bars(14)),
    defined("adr", "ranges", "Average daily range as a fraction: the mean of high / low over n bars, less 1.", "sma(high / low, n) - 1",
            "n - 1", "adr(20) > 2%", bars(20)),
    defined("range_expansion", "ranges", "This bar's range is wider than each of the n before it.", "range > highest(range, n) 1 ago", "n",
            "range_expansion(9)", bars(9, help="how many bars before this one"), result="condition"),
    defined("narrowest", "ranges", "This bar's range is the smallest of n, this one included.", "range <= lowest(range, n)", "n - 1",
            "narrowest(7)", bars(7), result="condition"),
)  # fmt: skip
