"""Turning points, and the pivots of the day before."""

from wickcore.language.entry import POSITIVE, Parameter, bars, defined, kernel

_S, _P = "swings", "pivots"
_K = bars(1, name="k", help="how many lower highs (higher lows) on both sides")
_NTH = bars(1, name="nth", help="1 the latest, 2 the one before it")
_HIGH, _LOW = Parameter("x", "number", "high"), Parameter("x", "number", "low")
_BY = Parameter(
    "by", "number", "5%", "how far price must turn back: a share of the turning point, or an amount such as 3 * atr(14)"
)
_PIVOT = "on(day, ((high + low + close) / 3) 1 ago)"

ENTRIES = (
    kernel("swing_high", _S, "The price of the latest turning point upwards: a bar with k lower highs on both sides, known k bars later.",
           "high of the latest confirmed turning point", "until one is confirmed", "close > swing_high(2)", _HIGH, _K, _NTH, level=True,
           other='swing_low', side="level", said="the latest swing high", of_sums="kept"),
    kernel("swing_low", _S, "The price of the latest turning point downwards: a bar with k higher lows on both sides, known k bars later.",
           "low of the latest confirmed turning point", "until one is confirmed", "close < swing_low(2)", _LOW, _K, _NTH, level=True,
           other='swing_high', side="level", said="the latest swing low", of_sums="kept"),
    kernel("swing_high.age", _S, "Bars since the latest turning point upwards itself, not since it became known.", "bars", "until one is confirmed",
           "swing_high(3).age < 10", _HIGH, _K, _NTH, degree=0, bounds=POSITIVE, other="swing_low.age", said="the age of the latest swing high"),
    kernel("swing_low.age", _S, "Bars since the latest turning point downwards itself, not since it became known.", "bars", "until one is confirmed",
           "swing_low(3).age < 10", _LOW, _K, _NTH, degree=0, bounds=POSITIVE, other="swing_high.age", said="the age of the latest swing low"),
    kernel("is_swing_high", _S, "This bar confirms a turning point upwards k bars back.", "k lower highs on both sides", "2 * k",
           "is_swing_high(2) once in 3", _HIGH, _K, result="condition", degree=0, other='is_swing_low', said="a swing high is confirmed"),
    kernel("is_swing_low", _S, "This bar confirms a turning point downwards k bars back.", "k higher lows on both sides", "2 * k",
           "is_swing_low(1)", _LOW, _K, result="condition", degree=0, other='is_swing_high', said="a swing low is confirmed"),
    kernel("zigzag_high", _S, "The price of the latest high from which price has turned back by a share or an amount, known on the bar that does.",
           "the highest high since the last turning point, once a later low lies `by` below it", "until one is confirmed",
           "close > zigzag_high(3 * atr(14))", _BY, _NTH, degree=1, level=True,
           other='zigzag_low', side="level", said="the latest high that price has turned back from"),
    kernel("zigzag_low", _S, "The price of the latest low from which price has turned back by a share or an amount, known on the bar that does.",
           "the lowest low since the last turning point, once a later high lies `by` above it", "until one is confirmed",
           "zigzag_low(8%) > zigzag_low(8%, nth=2)", _BY, _NTH, degree=1, level=True,
           other='zigzag_high', side="level", said="the latest low that price has turned back from"),
    kernel("zigzag_high.age", _S, "Bars since that high itself, not since it became known.", "bars", "until one is confirmed",
           "zigzag_high(8%).age > 20", _BY, _NTH, degree=0, bounds=POSITIVE, other="zigzag_low.age", said="the age of the latest high"),
    kernel("zigzag_low.age", _S, "Bars since that low itself, not since it became known.", "bars", "until one is confirmed",
           "zigzag_low(8%).age > 20", _BY, _NTH, degree=0, bounds=POSITIVE, other="zigzag_high.age", said="the age of the latest low"),
    kernel("is_zigzag_high", _S, "This bar is the first to lie so far below the highest high since the last turning point.",
           "low at or under that high less `by`", "until `by` is known", "is_zigzag_high(3 * atr(14)) once in 3", _BY, result="condition", degree=0,
           other='is_zigzag_low', said="price has turned back from a high"),
    kernel("is_zigzag_low", _S, "This bar is the first to lie so far above the lowest low since the last turning point.",
           "high at or over that low and `by`", "until `by` is known", "is_zigzag_low(10%)", _BY, result="condition", degree=0,
           other='is_zigzag_high', said="price has turned back from a low"),
    defined("pivot", _P, "The mean of the day before's high, low and close.", _PIVOT, "1", "close > pivot", level=True, side="level",
            said="the pivot of the day before"),
    defined("r1", _P, "First resistance: as far above the pivot as the day before's low was below it.", f"2 * {_PIVOT} - on(day, low 1 ago)", "1",
            "high > r1", level=True, other='s1', side="level", said="the first resistance over the pivot"),
    defined("s1", _P, "First support: as far below the pivot as the day before's high was above it.", f"2 * {_PIVOT} - on(day, high 1 ago)", "1",
            "low < s1", level=True, other='r1', side="level", said="the first support under the pivot"),
    defined("r2", _P, "Second resistance: the pivot plus the day before's range.", f"{_PIVOT} + on(day, (high - low) 1 ago)", "1", "high > r2",
            level=True, other='s2', side="level", said="the second resistance over the pivot"),
    defined("s2", _P, "Second support: the pivot less the day before's range.", f"{_PIVOT} - on(day, (high - low) 1 ago)", "1", "low < s2",
            level=True, other='r2', side="level", said="the second support under the pivot"),
)  # fmt: skip
