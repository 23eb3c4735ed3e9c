"""Stops that follow the price: what they are on a bar depends on the way there."""

from wickcore.language.entry import bars, constant, defined, kernel, number

_T = "trailing stops"
_N, _K = bars(10), constant("width", "3", "how many average true ranges")
_WILDER = "J. W. Wilder, New Concepts in Technical Trading Systems (1978); the first direction is that of the first two bars"
_ABOVE, _BELOW = "(high + low) / 2 + width * atr(n)", "(high + low) / 2 - width * atr(n)"

ENTRIES = (
    defined("psar", _T, "The parabolic stop-and-reverse for this bar: below the price while it rises, above it while it falls.",
            "parabolic(high, low, step, most)", "1", "close > psar", constant("step", "0.02", "by how much it grows faster at each new extreme"),
            constant("most", "0.2", "how fast it grows at most"), level=True, source=_WILDER, side="level", said="the parabolic stop",
            formula="stop + pace * (extreme - stop), never inside the two bars before; the extreme of the move where a bar touches it", later=True),
    kernel("parabolic", _T, "The parabolic stop of any highs and lows.", "as psar, of the given sources", "1",
           "close > parabolic(high, low, 0.02, 0.2)", number("upper"), number("lower"), number("step"), number("most"), level=True,
           source=_WILDER, side="level", said="the parabolic stop", later=True),
    defined("stop_above", _T, "A line width average true ranges above the middle of the bar that only falls while the close stays under it.",
            f"carry({_ABOVE}, pick({_ABOVE} < prior or (close 1 ago) > prior, {_ABOVE}, prior))", "n", "close crosses above stop_above", _N, _K,
            level=True, other="stop_below", side="level", said="the falling stop above", later=True),
    defined("stop_below", _T, "A line width average true ranges below the middle of the bar that only rises while the close stays over it.",
            f"carry({_BELOW}, pick({_BELOW} > prior or (close 1 ago) < prior, {_BELOW}, prior))", "n", "close crosses below stop_below", _N, _K,
            level=True, other="stop_above", side="level", said="the rising stop below", later=True),
    defined("trend_side", _T, "Which of the two lines is in force: 1 from a close over stop_above on, -1 from a close under stop_below on.",
            "carry(sign(stop_above(n, width)), pick(prior > 0, pick(close < stop_below(n, width), -1, 1), "
            "pick(close > stop_above(n, width), 1, -1)))", "n", "trend_side == 1 and trend_side == -1 1 ago", _N, _K, side="move",
            said="the side of the trend", later=True),
    defined("trend_stop", _T, "The stop of a trend follower on average true ranges: stop_below while the trend is up, stop_above while it is down.",
            "pick(trend_side(n, width) > 0, stop_below(n, width), stop_above(n, width))", "n", "close > trend_stop", _N, _K, level=True,
            side="level", said="the stop of the trend", later=True),
    defined("stop_from_high", _T, "The stop that hangs from the highest high: width average true ranges under it.",
            "highest(high, n) - width * atr(n)", "n", "close < stop_from_high(22, 3)", bars(22), _K, level=True, other="stop_from_low",
            side="level", said="the stop under the {n}-bar high", later=True),
    defined("stop_from_low", _T, "The stop that stands on the lowest low: width average true ranges over it.",
            "lowest(low, n) + width * atr(n)", "n", "close > stop_from_low(22, 3)", bars(22), _K, level=True, other="stop_from_high",
            side="level", said="the stop over the {n}-bar low", later=True),
)  # fmt: skip
