"""Fields of the bar, what is made of one or two bars, and ranges."""

from typing import Unpack

from wickcore.language.entry import GAIN, POSITIVE, SHARE, Entry, Traits, bars, defined

_F = "price fields"
WILDER = "J. Welles Wilder, New Concepts in Technical Trading Systems, 1978"


def _field(name: str, help: str, degree: int = 1, **traits: Unpack[Traits]) -> Entry:
    return Entry(name, _F, "field", "number", help, name, example=f"{name} > 10", degree=degree, **traits)


ENTRIES = (
    _field("open", "The first price of the bar.", bounds=POSITIVE, side="level", said="the open"),
    _field("high", "The highest price of the bar.", bounds=POSITIVE, other='low', side="level", said="the high"),
    _field("low", "The lowest price of the bar.", bounds=POSITIVE, other='high', side="level", said="the low"),
    _field("close", "The last price of the bar.", bounds=POSITIVE, side="level", said="the close"),
    _field("volume", "Shares traded in the bar.", -1, bounds=POSITIVE, said="volume", amount=True),
    defined("change", _F, "How far the close moved over the last n bars, as a fraction; over one bar where n is left out.",
            "close / (close n ago) - 1", "n", "change > 5%", bars(1),
            bounds=GAIN, fraction=True, side="move", said="the change over {n} bars"),
    defined("gap", _F, "The open against the previous close, as a fraction.", "open / (close 1 ago) - 1", "1", "gap > 3%",
            bounds=GAIN, fraction=True, side="move", said="the opening gap"),
    defined("range", _F, "High less low.", "high - low", "0", "range > atr(14)", bounds=POSITIVE, said="the bar's range"),
    defined("body", _F, "Close less open; negative when the bar falls.", "close - open", "0", "body > 0",
            side="move", said="the bar's body"),
    defined("upper_wick", _F, "High less the larger of open and close.", "high - max(open, close)", "0", "upper_wick > 2 * abs(body)",
            bounds=POSITIVE, other='lower_wick', said="the upper wick"),
    defined("lower_wick", _F, "The smaller of open and close, less the low.", "min(open, close) - low", "0", "lower_wick > upper_wick",
            bounds=POSITIVE, other='upper_wick', said="the lower wick"),
    defined("typical", _F, "The mean of high, low and close.", "(high + low + close) / 3", "0", "typical > sma(typical, 20)",
            bounds=POSITIVE, side="level", said="the typical price"),
    defined("turnover", _F, "Money traded: close times volume.", "close * volume", "0", "turnover > 5m",
            bounds=POSITIVE, said="money traded", amount=True),
    defined("closing_place", _F, "Where in its range the bar closed: 0 at the low, 100% at the high. Unknown on a bar without range.",
            "(close - low) / (high - low)", "0", "closing_place > 50%",
            bounds=SHARE, fraction=True, side="share", said="the place of the close in the bar's range"),
    defined("true_range", "ranges", "The range with the previous close counted in. Unknown on the first bar.",
            "max(high, close 1 ago) - min(low, close 1 ago)", "1", "true_range > 2 * atr(14)", source=WILDER,
            bounds=POSITIVE, said="the true range"),
    defined("atr", "ranges", "Average true range: the smoothed average of the true range, in money.", "rma(true_range, n)", "n",
            "range > 2 * (atr(14) 1 ago)", bars(14), source=WILDER, bounds=POSITIVE, said="the {n}-bar average true range"),
    defined("natr", "ranges", "Average true range as a fraction of the close.", "rma(true_range, n) / close", "n", "natr(14) > 3%", bars(14),
            bounds=POSITIVE, fraction=True, said="the {n}-bar average true range as a share of the close"),
    defined("adr", "ranges", "Average daily range as a fraction: the mean of high / low over n bars, less 1.", "sma(high / low, n) - 1",
            "n - 1", "adr(20) > 2%", bars(20), bounds=POSITIVE, fraction=True, said="the {n}-bar average daily range"),
    defined("range_expansion", "ranges", "This bar's range is wider than each of the n before it.", "range > highest(range, n) 1 ago", "n",
            "range_expansion(9)", bars(9, help="how many bars before this one"), result="condition",
            said="the range is wider than each of the {n} before it"),
    defined("narrowest", "ranges", "This bar's range is the smallest of n, this one included.", "range <= lowest(range, n)", "n - 1",
            "narrowest(7)", bars(7), result="condition", said="the range is the smallest of {n} bars"),
)  # fmt: skip
