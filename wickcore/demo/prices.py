"""Return paths to printed bars, with splits and dividends on their days."""

from dataclasses import dataclass

import numpy as np

from wickcore.demo.paths import Grid, Paths, Shares

SPLIT_ABOVE, JOIN_BELOW = 160.0, 3.0


@dataclass(frozen=True, slots=True)
class Printed:
    """Bars as printed, shape (sessions, shares); split: ratio on its day, else 1; dividend: money a share on its day, else 0."""

    open: Grid
    high: Grid
    low: Grid
    close: Grid
    volume: Grid
    split: Grid
    dividend: Grid


def print_bars(paths: Paths, shares: Shares, start: Grid, pays: Grid, turnover: Grid, rng: np.random.Generator) -> Printed:
    """Printed bars from total returns.

    start: first price a share. pays: yearly dividend yield, 0 for none. turnover: usual money traded a day.
    """
    length, count = paths.total.shape
    shape = (length, count)
    total = np.clip(paths.total, -0.45, 0.45)
    overnight = np.clip(paths.overnight, -0.35, 0.35)
    up, down = np.abs(rng.standard_normal(shape)), np.abs(rng.standard_normal(shape))
    usual = np.log(turnover)
    noise = 0.28 * rng.standard_normal(shape)
    open_, close = np.empty(shape), np.empty(shape)
    split, dividend = np.ones(shape), np.zeros(shape)
    volume = np.empty(shape)
    price, slow = start.copy(), np.zeros(count)
    for t in range(length):
        begins = shares.first == t
        price[begins] = start[begins]
        pay_day = ((t - shares.phase) % 63 == 30) & (pays > 0) & (t > shares.first)
        dividend[t] = np.where(pay_day, np.round(price * pays / 4, 2), 0.0)
        dividend[t][dividend[t] < 0.01] = 0.0
        quiet = (dividend[t] == 0) & (t > shares.first + 5)
        split[t] = np.where(quiet & (price > SPLIT_ABOVE), np.where(price > 2 * SPLIT_ABOVE, 3.0, 2.0), 1.0)
        split[t] = np.where(quiet & (price < JOIN_BELOW) & (shares.reason < 0), 0.1, split[t])
        opened = (price - dividend[t]) / split[t]
        open_[t] = np.maximum(0.05, np.round(opened * np.exp(overnight[t]), 2))
        close[t] = np.maximum(0.05, np.round(opened * np.exp(total[t]), 2))
        move = np.abs(total[t]) / paths.sigma[t]
        slow = 0.92 * slow + 0.11 * rng.standard_normal(count)
        said = usual + 0.32 * (np.sqrt(np.minimum(move, 9.0)) - 0.8) + slow + noise[t] + paths.busy[t]
        volume[t] = np.maximum(100, np.round(np.exp(said) / close[t], -2))
        price = close[t]
    reach = paths.sigma * 0.42
    high = np.maximum(open_, close) * np.exp(reach * up)
    low = np.minimum(open_, close) * np.exp(-reach * down)
    high = np.maximum(np.round(high, 2), np.maximum(open_, close))
    low = np.maximum(0.01, np.minimum(np.round(low, 2), np.minimum(open_, close)))
    return Printed(open_, high, low, close, volume, split, dividend)
