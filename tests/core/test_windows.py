"""The kernels over windows against loops written from their definitions, with windows of every small length and beyond the series, stretches
broken by unknown values, and instruments of unlike lengths."""

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from wickcore.measures import counts, ordered, since_fits, since_order, windows
from wickcore.measures.frame import FALSE, TRUE, UNKNOWN, Frame

OFFSETS = np.array([0, 90, 91, 91, 215, 222, 300, 301, 360])
WINDOWS = [*range(1, 19), 31, 32, 33, 64, 89, 90, 91, 400]


def column(seed: int = 4) -> Any:
    rng = np.random.default_rng(seed)
    x = 50 + np.cumsum(rng.normal(size=OFFSETS[-1]))
    x[[3, 40, 41, 91, 214, 280]] = np.nan
    x[100:140] = x[100]  # a stretch without movement
    return x


def each_window(x: Any, n: int, of: Callable[[Any], float]) -> Any:
    out = np.full(len(x), np.nan)
    for begin, end in zip(OFFSETS[:-1], OFFSETS[1:], strict=True):
        for i in range(begin + n - 1, end):
            if not np.isnan(x[i - n + 1 : i + 1]).any():
                out[i] = of(x[i - n + 1 : i + 1])
    return out


@pytest.mark.parametrize("n", WINDOWS)
def test_windows_of_numbers(n: int) -> None:
    x, frame = column(), Frame.of(OFFSETS, None)
    np.testing.assert_array_equal(windows.highest(x, frame, n), each_window(x, n, np.max))
    np.testing.assert_array_equal(windows.lowest(x, frame, n), each_window(x, n, np.min))
    np.testing.assert_allclose(windows.sma(x, frame, n), each_window(x, n, np.mean), rtol=1e-13)
    np.testing.assert_allclose(windows.stdev(x, frame, n), each_window(x, n, np.std), rtol=1e-9, atol=1e-9)


@pytest.mark.parametrize("n", [2, 3, 8, 31, ordered.LONG - 1, ordered.LONG, 49, 64, 89, 90, 91])
def test_order_in_windows(n: int) -> None:
    """Short ones, and long ones, which are ordered in another way; with many equal values."""
    x, frame = np.round(column()), Frame.of(OFFSETS, None)
    np.testing.assert_array_equal(ordered.median(x, frame, n), each_window(x, n, np.median))
    np.testing.assert_allclose(ordered.percentile(x, frame, n), each_window(x, n, _place), rtol=1e-13)


@pytest.mark.parametrize("n", [2, 5, 12])
def test_order_by_a_tree_is_order_by_moving_along(n: int, monkeypatch: pytest.MonkeyPatch) -> None:
    x, weeks = np.round(column(), 1), Frame.of(OFFSETS, np.arange(OFFSETS[-1]) % 5 == 4)
    one = [of(x, weeks, n) for of in (ordered.median, ordered.percentile)]
    monkeypatch.setattr(ordered, "LONG", 2)
    np.testing.assert_array_equal(one, [of(x, weeks, n) for of in (ordered.median, ordered.percentile)])
    assert np.isfinite(one[1]).any()


@pytest.mark.parametrize("n", [1, 2, 3, 7, 14, 60])
def test_a_series_that_does_not_move_has_its_own_value_as_mean_and_no_deviation(n: int) -> None:
    x, frame = np.full(OFFSETS[-1], 0.1), Frame.of(OFFSETS, None)
    known = ~np.isnan(windows.sma(x, frame, n))
    assert known.any()
    for average in (windows.sma, windows.ema, windows.rma):
        np.testing.assert_allclose(average(x, frame, n)[known], 0.1, rtol=1e-13)
    assert (windows.sma(x, frame, n)[known] == 0.1).all()
    assert (windows.stdev(x, frame, n)[known] == 0.0).all()


@pytest.mark.parametrize("n", [1, 2, 5, 14, 91])
def test_smoothed_averages_of_instruments_of_unlike_lengths(n: int) -> None:
    """Four are worked on at a time; each must come out as if it were alone."""
    x = column()
    out = np.full(len(x), np.nan)
    for begin, end in zip(OFFSETS[:-1], OFFSETS[1:], strict=True):
        known: list[float] = []
        state = np.nan
        for i in range(begin, end):
            if np.isnan(x[i]):
                continue
            known.append(x[i])
            if len(known) == n:
                state = sum(known) / n
            elif len(known) > n:
                state += 1.0 / n * (x[i] - state)
            out[i] = state
    np.testing.assert_allclose(windows.rma(x, Frame.of(OFFSETS, None), n), out, rtol=1e-14)
    for begin, end in zip(OFFSETS[:-1], OFFSETS[1:], strict=True):
        alone = windows.rma(x[begin:end].copy(), Frame.of(np.array([0, end - begin]), None), n)
        assert alone.tobytes() == windows.rma(x, Frame.of(OFFSETS, None), n)[begin:end].tobytes()


@pytest.mark.parametrize("n", WINDOWS)
def test_windows_of_truths(n: int) -> None:
    """What lies before the first bar is unknown: a line that was true on all bars so far may not have been before."""
    rng = np.random.default_rng(n)
    for chances in ([0.1, 0.1, 0.8], [0.9, 0.05, 0.05], [0.3, 0.4, 0.3]):
        x = rng.choice(np.array([FALSE, UNKNOWN, TRUE], np.int8), OFFSETS[-1], p=chances)
        held, once = np.empty_like(x), np.empty_like(x)
        for begin, end in zip(OFFSETS[:-1], OFFSETS[1:], strict=True):
            for i in range(begin, end):
                window = [UNKNOWN] * max(0, n - (i - begin + 1)) + x[max(begin, i - n + 1) : i + 1].tolist()
                held[i], once[i] = min(window), max(window)
        np.testing.assert_array_equal(counts.held(x, Frame.of(OFFSETS, None), n), held)
        np.testing.assert_array_equal(counts.once(x, Frame.of(OFFSETS, None), n), once)


@pytest.mark.parametrize("n", [1, 2, 60, 90, 91, 400])
def test_earlier_values(n: int) -> None:
    x, out = column(), np.full(OFFSETS[-1], np.nan)
    for begin, end in zip(OFFSETS[:-1], OFFSETS[1:], strict=True):
        for i in range(begin + n, end):
            out[i] = x[i - n]
    np.testing.assert_array_equal(counts.ago(x, Frame.of(OFFSETS, None), n), out)


def _line(y: Any) -> Any:
    return np.polynomial.Polynomial.fit(np.arange(len(y)), y, 1).convert().coef[1] if len(y) > 1 else np.nan


def _fit(y: Any) -> float:
    return np.corrcoef(np.arange(len(y)), y)[0, 1] ** 2 if len(y) > 2 and np.ptp(y) else np.nan


def _place(y: Any) -> float:
    return 100 * ((y < y[-1]).sum() + ((y == y[-1]).sum() - 1) / 2) / (len(y) - 1) if len(y) > 1 else np.nan


SINCE: dict[Callable[..., Any], Callable[[Any], float]] = {
    since_order.median: np.median, since_order.percentile: _place, since_order.mean_dev: lambda y: np.mean(np.abs(y - np.mean(y))),
    since_fits.slope: _line, since_fits.fit: _fit, since_fits.wma: lambda y: np.average(y, weights=np.arange(1, len(y) + 1)),
}  # fmt: skip


@pytest.mark.parametrize("commits", [1, 5])
@pytest.mark.parametrize("kernel", SINCE, ids=lambda kernel: kernel.__name__)
def test_windows_since_an_event(kernel: Callable[..., Any], commits: int) -> None:
    """Of the frame's bars that have ended since its latest bar on which it was so, and the one so far."""
    rng, x = np.random.default_rng(7), np.round(column(), 1)
    begins = rng.choice(np.array([FALSE, UNKNOWN, TRUE], np.int8), len(x), p=[0.9, 0.03, 0.07])
    ends = np.arange(len(x)) % commits == commits - 1
    out = np.full(len(x), np.nan)
    for begin, end in zip(OFFSETS[:-1], OFFSETS[1:], strict=True):
        for i in range(begin, end):
            rows = [j for j in range(begin, i) if ends[j]] + [i]
            true = [n for n, j in enumerate(rows) if begins[j] == TRUE]
            window = x[rows[true[-1] :]] if true else np.array([np.nan])
            out[i] = np.nan if np.isnan(window).any() else SINCE[kernel](window)
    found = kernel(x, begins, Frame.of(OFFSETS, None if commits == 1 else ends))
    np.testing.assert_allclose(found, out, rtol=1e-9, atol=1e-9)
    assert np.isfinite(found).sum() > 100


def test_correlation_since_an_event() -> None:
    rng, x = np.random.default_rng(8), column()
    y, begins = x + rng.normal(size=len(x)), rng.choice(np.array([FALSE, TRUE], np.int8), len(x), p=[0.93, 0.07])
    found, out = since_fits.corr(x, y, begins, Frame.of(OFFSETS, None)), np.full(len(x), np.nan)
    for begin, end in zip(OFFSETS[:-1], OFFSETS[1:], strict=True):
        for i in range(begin, end):
            true = np.flatnonzero(begins[begin : i + 1] == TRUE)
            a, b = (z[begin + true[-1] : i + 1] if len(true) else z[:0] for z in (x, y))
            if len(a) > 2 and not np.isnan(a).any() and np.ptp(a):
                out[i] = np.corrcoef(a, b)[0, 1]
    np.testing.assert_allclose(found, out, rtol=1e-9, atol=1e-9)
    assert np.isfinite(found).sum() > 100
