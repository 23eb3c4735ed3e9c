"""What a run comes to, in sentences made by rule from its figures."""

from datetime import date

from wickcore.book.figures import Curve, Figures
from wickcore.book.luck import Luck
from wickcore.book.paths import Paths
from wickcore.book.run import BookRun
from wickcore.book.sweep import Turned, Walk

FEW, NEARLY_ALL = 30, 0.95


def percent(value: float, digits: int = 1) -> str:
    return f"{value * 100:.{digits}f}%".replace("-", "−")


def said_day(day: int) -> str:
    """A day as people say it: 12 Jul 2021."""
    found = date.fromordinal(day + date(1970, 1, 1).toordinal())
    return f"{found.day} {found:%b %Y}"


def verdict(run: BookRun, made: Figures, paths: Paths | None, index: Curve | None) -> str:
    """The answer to: would the account have lived, and was it better than holding the index?"""
    book, signals = run.prepared.book, run.signals
    total = sum(signals.values())
    if not made.trades and not run.open:
        return _nothing(run, total)
    if made.ruined:
        return f"Ruined: nothing was left of {book.start:,.0f} by {said_day(int(run.days[-1]))}, after {made.trades:,} trades."
    said = [f"{percent(made.rate)} {_over(made)}"]
    if index is not None:
        said[0] += f" against {percent(index.rate)} for holding the index, with {_falls(made.worst_fall, index.worst_fall)}."
    else:
        said[0] += f", with a max drawdown of {percent(-made.worst_fall)}."
    if made.trades < FEW:
        said.append(f"Only {made.trades} trade{'' if made.trades == 1 else 's'} have ended: too few to tell much.")
    elif paths is not None and paths.annual_low <= 0.0 <= made.rate:
        low, high = percent(paths.annual_low), percent(paths.annual_high)
        a_year = " a year" if made.annual is not None else ""
        said.append(f"Days like these in another order make {low} to {high}{a_year}: it cannot be told from nothing.")
    if made.annual is None:
        said.append("These days are less than a year: nothing is annualised.")
    if run.prepared.covered_from is not None:
        said.append(f"The bars that it needs begin on {said_day(run.prepared.covered_from)}, and so does the run.")
    if book.optimistic:
        said.append("It trades at closes that it decides on, which nobody can: its figures are optimistic.")
    return " ".join(said)


def _over(made: Figures) -> str:
    return "a year" if made.annual is not None else "in all"


def _falls(own: float, index: float) -> str:
    if own >= 0.0:
        return "without any fall"
    ratio = own / index if index < 0 else 1.0
    if ratio < 0.4:
        return f"{ratio:.0%} of its max drawdown"
    if ratio < 0.6:
        return "half its max drawdown"
    if ratio < 0.9:
        return f"{ratio:.0%} of its max drawdown"
    return "as deep a max drawdown" if ratio <= 1.1 else f"{ratio:.1f} times its max drawdown"


def _nothing(run: BookRun, total: int) -> str:
    """Why a book bought nothing."""
    if not total:
        return "Bought nothing: its rules gave no signal on these days."
    signals = run.signals
    most = max((name for name in signals if name not in ("traded", "held", "no_slot")), key=lambda name: signals[name])
    one = total == 1
    share = "the one signal" if one else f"all {total:,} signals" if signals[most] == total else f"nearly all of {total:,} signals"
    words = {
        "filtered": f"the market filter was shut on {share}",
        "no_cash": f"no share could be paid for on {share}: the account is too small for these prices, or the risk a trade too small",
        "unsized": f"no size could be told on {share}: the stop was unknown, or on the wrong side of the price",
        "unfilled": f"the orders of {share} were not filled",
        "no_bar": f"{share} had no bar to be traded on",
        "waiting": f"{share} came on the last day, and {'waits' if one else 'wait'} for the next session",
    }
    if signals[most] >= NEARLY_ALL * total:
        return f"Bought nothing: {words[most]}."
    named = {
        "filtered": "shut out by the market filter", "no_cash": "not affordable", "unsized": "without a size", "unfilled": "not filled",
        "no_bar": "without a bar", "waiting": "waiting for the next session",
    }  # fmt: skip
    parts = ", ".join(f"{signals[name]:,} {text}" for name, text in named.items() if signals[name])
    return f"Bought nothing: of {total:,} signals, {parts}."


def luck_verdict(found: Luck) -> str:
    low, high = percent(found.low), percent(found.high)
    if not found.crowded:
        return "Every signal found a free slot: there was nothing to pick among, and luck of the pick plays no part."
    if found.below is None:
        return f"This book has no rank: its own pick is one draw of many, which make {low} to {high} a year."
    where = f"better than {found.below:.0%} of {found.picks} random picks"
    meaning = (
        "the rank earns its place" if found.below >= 0.975 else "worse than chance" if found.below <= 0.025 else "it may be luck"
    )
    return f"A random pick among the signals makes {low} to {high} a year; the rank made {percent(found.own)}, {where}: {meaning}."


def turned_verdict(found: Turned) -> str:
    total = len(found.cells)
    if found.peak is None:
        return f"{total:,} settings tried; none of them ended twenty trades: nothing to compare."
    peak, said = found.cells[found.peak], [f"{total:,} settings tried."]
    if found.plateau is not None and (found.cells[found.plateau].floor or 0.0) > 0:
        level = found.cells[found.plateau]
        said.append(
            f"The widest ground is {_named(found, level.values)}: {percent(level.annual)} a year, and no setting beside it makes less than "
            f"{percent(level.floor or 0.0)}."
        )
    else:
        said.append("No setting inside the range has neighbours that all gain: there is no plateau.")
    if found.peak != found.plateau:
        alone = "" if peak.holds else ", at the edge of what was tried" if peak.floor is None else ", and it stands alone"
        said.append(f"The highest peak is {_named(found, peak.values)} with {percent(peak.annual)} a year{alone}.")
    if found.luck is not None:
        said.append(
            f"The best of so many settings no better than the index would look as good with a chance of {percent(found.luck)}."
        )
    if found.overfit is not None:
        share = percent(found.overfit, 0)
        said.append(
            f"Chosen on one half of the days, the best does no better than the middle one on the other half in {share} of the ways."
        )
    return " ".join(said)


def _named(found: Turned, values: tuple[float, ...]) -> str:
    return ", ".join(f"{name} {value:g}" for name, value in zip(found.dials, values, strict=True))


def walk_verdict(found: Walk) -> str:
    times = f"{found.changed} time{'' if found.changed == 1 else 's'} in {len(found.stretches)}"
    return (
        f"Walking forward made {percent(found.walked.rate)} a year; today’s dials all along {percent(found.stayed.rate)}. "
        f"The choice changed {times} stretch{'' if len(found.stretches) == 1 else 'es'}."
    )
