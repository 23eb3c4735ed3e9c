"""Momentum and direction."""

from wickcore.language.entries.prices import WILDER
from wickcore.language.entry import GAIN, HUNDRED, POSITIVE, X, bars, defined

_M = "momentum"
_FAST, _SLOW, _SIGNAL = bars(12, name="fast"), bars(26, name="slow"), bars(9, name="signal")
_RISE, _FALL = "high - (high 1 ago)", "(low 1 ago) - low"
_UP = f"100 * rma(pick({_RISE} > {_FALL} and {_RISE} > 0, {_RISE}, 0), n) / rma(true_range, n)"
_DOWN = f"100 * rma(pick({_FALL} > {_RISE} and {_FALL} > 0, {_FALL}, 0), n) / rma(true_range, n)"
_STOCH = "sma(100 * (close - lowest(low, n)) / (highest(high, n) - lowest(low, n)), smooth)"
_SEEDS = "Usual libraries start the smoothing from a sum of n - 1 moves; the two agree once the start is forgotten"

ENTRIES = (
    defined("roc", _M, "Rate of change of any source over n bars, as a fraction.", "x / (x n ago) - 1", "n", "roc(close, 20) > 10%", X, bars(10),
            bounds=GAIN, fraction=True, side="move", said="the change of the {x} over {n} bars"),
    defined("rsi", _M, "Relative strength index, 0 to 100. Unknown when nothing moved in all the bars behind it.",
            "100 * rma(max(x - (x 1 ago), 0), n) / (rma(max(x - (x 1 ago), 0), n) + rma(max((x 1 ago) - x, 0), n))", "n", "rsi(14) < 30",
            X, bars(14), formula="100 * up / (up + down), where up and down are rma(n) of the rises and of the falls", source=WILDER,
            bounds=HUNDRED, side="hundred", said="the {n}-bar RSI{of x}"),
    defined("stoch_k", _M, "Where the close lies between the lowest low and the highest high of n bars, 0 to 100, averaged over a few bars.",
            _STOCH, "n + smooth - 2", "stoch_k < 20", bars(14), bars(3, name="smooth"), source="G. Lane (from memory)",
            bounds=HUNDRED, side="hundred", said="the fast stochastic line"),
    defined("stoch_d", _M, "The average of stoch_k.", f"sma({_STOCH}, signal)", "n + smooth + signal - 3", "stoch_k crosses above stoch_d",
            bars(14), bars(3, name="smooth"), bars(3, name="signal"), formula="sma(stoch_k(n, smooth), signal)", source="G. Lane (from memory)",
            bounds=HUNDRED, side="hundred", said="the slow stochastic line"),
    defined("macd", _M, "The distance of a fast from a slow exponential average.", "ema(x, fast) - ema(x, slow)", "slow - 1",
            "macd > macd_signal", X, _FAST, _SLOW, side="move", said="MACD"),
    defined("macd_signal", _M, "The exponential average of macd.", "ema(ema(x, fast) - ema(x, slow), signal)", "slow + signal - 2",
            "macd crosses above macd_signal", X, _FAST, _SLOW, _SIGNAL, formula="ema(macd(x, fast, slow), signal)",
            side="move", said="the MACD signal"),
    defined("macd_hist", _M, "macd less its signal.", "macd(x, fast, slow) - macd_signal(x, fast, slow, signal)", "slow + signal - 2",
            "rising(macd_hist, 2)", X, _FAST, _SLOW, _SIGNAL, side="move", said="the MACD histogram"),
    defined("cci", _M, "Commodity channel index: the typical price's distance from its average, in 1.5% of its mean deviation.",
            "(typical - sma(typical, n)) / (0.015 * mean_dev(typical, n))", "n - 1", "cci(20) > 100", bars(20, 2),
            source="D. Lambert, Commodities magazine, 1980 (from memory)", side="move", said="the {n}-bar CCI"),
    defined("mfi", _M, "Money flow index, 0 to 100: the share of money that traded at rising typical prices.",
            "100 * sum(pick(typical > (typical 1 ago), typical * volume, 0), n) / sum(pick(typical != (typical 1 ago), typical * volume, 0), n)",
            "n", "mfi(14) < 20", bars(14), formula="100 * rising money / (rising money + falling money), money = typical * volume",
            bounds=HUNDRED, side="hundred", said="the {n}-bar money flow index"),
    defined("willr", _M, "Where the close lies between the highest high and the lowest low of n bars: 0 at the high, -100 at the low.",
            "-100 * (highest(high, n) - close) / (highest(high, n) - lowest(low, n))", "n - 1", "willr(14) < -80", bars(14),
            source="L. Williams (from memory)", bounds=(-100.0, 0.0), side="williams", said="the {n}-bar Williams reading"),
    defined("plus_di", _M, "How much of the true range was upward movement, 0 to 100.", _UP, "n", "plus_di > minus_di", bars(14),
            formula="100 * rma(upward moves, n) / atr(n)", source=f"{WILDER}. {_SEEDS}", bounds=POSITIVE, other='minus_di',
            said="the {n}-bar plus directional index"),
    defined("minus_di", _M, "How much of the true range was downward movement, 0 to 100.", _DOWN, "n", "minus_di < 20", bars(14),
            formula="100 * rma(downward moves, n) / atr(n)", source=f"{WILDER}. {_SEEDS}", bounds=POSITIVE, other='plus_di',
            said="the {n}-bar minus directional index"),
    defined("adx", _M, "Average directional index, 0 to 100: how one-sided movement is, whichever the side.",
            "rma(100 * abs(plus_di(n) - minus_di(n)) / (plus_di(n) + minus_di(n)), n)", "2 * n - 1", "adx(14) > 25", bars(14),
            source=f"{WILDER}. {_SEEDS}", bounds=HUNDRED, said="the {n}-bar ADX"),
    defined("aroon_up", _M, "How lately the highest high of n + 1 bars was: 100 now, 0 n bars ago.",
            "100 * (n - bars_since_highest(high, n + 1)) / n", "n", "aroon_up > 70", bars(25), source="T. Chande, 1995 (from memory)",
            bounds=HUNDRED, other='aroon_down', said="the {n}-bar Aroon up"),
    defined("aroon_down", _M, "How lately the lowest low of n + 1 bars was: 100 now, 0 n bars ago.",
            "100 * (n - bars_since_lowest(low, n + 1)) / n", "n", "aroon_down < 30", bars(25), source="T. Chande, 1995 (from memory)",
            bounds=HUNDRED, other='aroon_up', said="the {n}-bar Aroon down"),
    defined("trix", _M, "The one-bar change of a triply smoothed average, as a fraction.", "roc(ema(ema(ema(x, n), n), n), 1)", "3 * n - 2",
            "trix(15) > 0", X, bars(15), source="J. Hutson, Technical Analysis of Stocks and Commodities, 1983 (from memory)", side="move",
            said="the {n}-bar TRIX"),
    defined("tsi", _M, "True strength index, -100 to 100: the twice smoothed move over the twice smoothed size of the move.",
            "100 * ema(ema(x - (x 1 ago), slow), fast) / ema(ema(abs(x - (x 1 ago)), slow), fast)", "slow + fast - 1", "tsi > 0",
            X, bars(25, name="slow"), bars(13, name="fast"), source="W. Blau, Technical Analysis of Stocks and Commodities, 1991 (from memory)",
            bounds=(-100.0, 100.0), side="move", said="the true strength index"),
    defined("ppo", _M, "macd as a fraction of the slow average.", "(ema(x, fast) - ema(x, slow)) / ema(x, slow)", "slow - 1", "ppo > 1%",
            X, _FAST, _SLOW, fraction=True, side="move", said="the percentage price oscillator"),
)  # fmt: skip
