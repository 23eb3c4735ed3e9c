"""How much of the best of many settings is the choosing: the deflated Sharpe ratio and the probability of backtest overfitting."""

import itertools
import math

import numpy as np

from wickcore.bars.bars import Floats

EULER = 0.5772156649015329
BLOCKS = 10  # of days, of which every half is chosen on once: 252 ways
LEAST_DAYS = 120


def expected_best(spread: float, tried: int) -> float:
    """The Sharpe ratio that the best of so many settings without any skill is expected to show. spread: the standard deviation of
    the ratios
    that were tried. (D. H. Bailey, M. López de Prado, "The Deflated Sharpe Ratio", Journal of Portfolio Management 40(5), 2014.)"""
    if tried < 2:
        return 0.0
    from scipy.special import ndtri  # a second of every start, and few ask for it

    first, second = ndtri(1.0 - 1.0 / tried), ndtri(1.0 - 1.0 / (tried * math.e))
    return float(spread * ((1.0 - EULER) * first + EULER * second))


def deflated(sharpe: float, days: int, skewness: float, kurt: float, spread: float, tried: int) -> float:
    """The chance that a Sharpe ratio is above what the best of so many tries without skill would show.

    sharpe, spread: a session, not a year. days: how many returns it is of. kurt: 3 for a normal distribution. Same paper.
    """
    from scipy.special import ndtr

    against = expected_best(spread, tried)
    width = 1.0 - skewness * sharpe + (kurt - 1.0) / 4.0 * sharpe**2
    return float(ndtr((sharpe - against) * math.sqrt(days - 1) / math.sqrt(width))) if width > 0.0 else math.nan


def deflated_best(returns: Floats, best: int) -> float | None:
    """The deflated Sharpe ratio of one column of returns (days × settings), given that all were tried. None where it cannot be
    said."""
    from scipy import stats

    spread = np.std(returns, axis=0, ddof=1)
    known = spread > 0.0
    if len(returns) < LEAST_DAYS or not known[best]:
        return None
    ratios = np.mean(returns[:, known], axis=0) / spread[known]
    own = returns[:, best]
    of_tries = float(np.std(ratios, ddof=1)) if len(ratios) > 1 else 0.0
    found = deflated(
        float(own.mean() / own.std(ddof=1)),
        len(own),
        float(stats.skew(own)),
        float(stats.kurtosis(own, fisher=False)),
        of_tries,
        len(ratios),
    )
    return found if math.isfinite(found) else None


def overfitting(returns: Floats, blocks: int = BLOCKS) -> float | None:
    """The probability of backtest overfitting by combinatorially symmetric cross-validation: of all ways to choose on half of the
    blocks of
    days, the share in which the setting chosen by its Sharpe ratio does no better than the middle one on the other half.

    returns: days × settings. (D. H. Bailey, J. M. Borwein, M. López de Prado, Q. J. Zhu, Journal of Computational Finance 20(4),
    2017.)
    None for fewer than two settings or too few days.
    """
    from scipy import stats

    days, settings = returns.shape
    if settings < 2 or days < LEAST_DAYS:
        return None
    edges = np.linspace(0, days, blocks + 1).astype(np.int64)
    parts = [returns[a:b] for a, b in itertools.pairwise(edges)]
    # Sums of a block are enough for the mean and the spread of any union of them.
    count = np.array([len(p) for p in parts], np.float64)
    total = np.stack([p.sum(axis=0) for p in parts])
    square = np.stack([(p**2).sum(axis=0) for p in parts])
    bad = ways = 0
    for chosen in itertools.combinations(range(blocks), blocks // 2):
        rest = [i for i in range(blocks) if i not in chosen]
        inside, outside = (_ratios(count[list(s)], total[list(s)], square[list(s)]) for s in (chosen, rest))
        best = int(np.argmax(inside))
        place = stats.rankdata(outside)[best] / (settings + 1)
        ways += 1
        bad += place <= 0.5
    return bad / ways


def _ratios(count: Floats, total: Floats, square: Floats) -> Floats:
    n = count.sum()
    mean = total.sum(axis=0) / n
    spread = np.sqrt(np.maximum(square.sum(axis=0) / n - mean**2, 0.0))
    return np.divide(mean, spread, out=np.zeros_like(mean), where=spread > 0.0)
