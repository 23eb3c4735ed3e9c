"""A large market of random walks, and the same as frames of Polars and pandas."""

from typing import Any

import numpy as np

from wickcore.bars.bars import Bars

FIRST = int(np.datetime64("2004-01-01", "D").astype(int))


def make_bars(instruments: int = 5_000, length: int = 5_000, seed: int = 1) -> Bars:
    """Daily bars on weekdays, every instrument from the first day on."""
    rng = np.random.default_rng(seed)
    total = instruments * length
    days = np.busday_offset(np.datetime64(FIRST, "D"), np.arange(length), roll="forward").astype("datetime64[D]").astype(np.int32)
    close = np.empty((instruments, length))
    for k in range(instruments):
        close[k] = np.cumsum(rng.standard_normal(length, dtype=np.float32))
    close *= 0.018
    close += rng.uniform(2.0, 5.0, (instruments, 1))
    np.exp(close, out=close)
    close = close.reshape(-1)
    open_ = np.roll(close, 1)
    open_[::length] = close[::length]
    top = np.maximum(open_, close)
    high = top * (1 + 0.008 * rng.random(total, dtype=np.float32))
    low = np.minimum(open_, close) * (1 - 0.008 * rng.random(total, dtype=np.float32))
    volume = np.exp(11 + 0.5 * rng.standard_normal(total, dtype=np.float32)).astype(np.float64)
    offsets = np.arange(instruments + 1, dtype=np.int64) * length
    symbols = tuple(f"M{k:05d}" for k in range(instruments))
    return Bars(symbols, offsets, np.tile(days, instruments), open_, high, low, close, volume, np.ones(total))


def columns(bars: Bars) -> dict[str, Any]:
    """The columns other libraries compute from."""
    return {"owner": bars.owner, **{name: getattr(bars, name) for name in ("open", "high", "low", "close", "volume")}}
