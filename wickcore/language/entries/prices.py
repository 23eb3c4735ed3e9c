"""Fields of the bar and what is made of one or two bars."""

from wickcore.language.catalogue import Entry, X, bars

_F = "price fields"


def _field(name: str, help: str, degree: int = 1) -> Entry:
    return Entry(name, _F, "field", "number", help, name, example=f"{name} > 10", degree=degree)


def _made(name: str, help: str, definition: str, example: str, warm_up: str = "none") -> Entry:
    return Entry(name, _F, "definition", "number", help, definition, warm_up, example=example, definition=definition, degree=None)


ENTRIES = (
    _field("open", "The first price of the bar."),
    _field("high", "The highest price of the bar."),
    _field("low", "The lowest price of the bar."),
    _field("close", "The last price of the bar."),
    _field("volume", "Shares traded in the bar.", -1),
    Entry(
        "change", _F, "definition", "number",
        "How far the close moved over the last n bars, as a fraction; over one bar where n is left out.",
        "close / (close n ago) - 1", "n bars", example="change > 5%", parameters=(bars(1),),
        definition="close / (close n ago) - 1", degree=None,
    ),
    _made("gap", "The open against the previous close, as a fraction.", "open / (close 1 ago) - 1", "gap > 3%", "1 bar"),
    _made("range", "High less low.", "high - low", "range > atr(14)"),
    _made("body", "Close less open; negative when the bar falls.", "close - open", "body > 0"),
    _made("upper_wick", "High less the larger of open and close.", "high - max(open, close)", "upper_wick > 2 * abs(body)"),
    _made("lower_wick", "The smaller of open and close, less the low.", "min(open, close) - low", "lower_wick > upper_wick"),
    _made("typical", "The mean of high, low and close.", "(high + low + close) / 3", "typical > sma(typical, 20)"),
    _made("turnover", "Money traded: close times volume.", "close * volume", "turnover > 5m"),
    _made(
        "closing_place", "Where in its range the bar closed: 0 at the low, 100% at the high. Unknown on a bar without range.",
        "(close - low) / (high - low)", "closing_place > 50%",
    ),
    _made(
        "true_range",
        "The range with the previous close counted in. Unknown on the first bar.",
        "max(high, close 1 ago) - min(low, close 1 ago)", "true_range > 2 * atr(14)", "1 bar",
    ),
    Entry(
        "avg_turnover", _F, "definition", "number", "The mean money traded a bar over n bars.", "sma(close * volume, n)", "n - 1 bars",
        example="avg_turnover(20) > 2m", parameters=(bars(20),), definition="sma(close * volume, n)", degree=None,
    ),
    Entry(
        "rel_volume", _F, "definition", "number", "Volume against its own average over the n bars before this one.",
        "volume / (sma(volume, n) 1 ago)", "n bars", example="rel_volume(20) > 1.5", parameters=(bars(20),),
        definition="volume / (sma(volume, n) 1 ago)", degree=None,
    ),
    Entry(
        "off_high", _F, "definition", "number", "How far the close is from the highest high of n bars, this one included; 0 or below.",
        "close / highest(high, n) - 1", "n - 1 bars", example="off_high(52w) > -25%", parameters=(bars(252),),
        definition="close / highest(high, n) - 1", degree=None,
    ),
    Entry(
        "above_low", _F, "definition", "number", "How far the close is above the lowest low of n bars, this one included; 0 or more.",
        "close / lowest(low, n) - 1", "n - 1 bars", example="above_low(52w) > 50%", parameters=(bars(252),),
        definition="close / lowest(low, n) - 1", degree=None,
    ),
    Entry(
        "roc", _F, "definition", "number", "Rate of change of any source over n bars, as a fraction.", "x / (x n ago) - 1", "n bars",
        example="roc(close, 20) > 10%", parameters=(X, bars(10)), definition="x / (x n ago) - 1", degree=None,
    ),
)  # fmt: skip
