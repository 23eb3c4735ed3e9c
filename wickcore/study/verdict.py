"""The study in a sentence, made by rule from its figures."""

from wickcore.study.follow import Study
from wickcore.study.sample import HorizonFigures


def percent(value: float) -> str:
    """A fraction as a trader reads it: 0.86%, with a true minus sign."""
    return f"{value * 100:.2f}%".replace("-", "−")


def verdict(study: Study, horizon: int) -> str:
    """What the study shows at one horizon; never more than its interval allows."""
    if not study.hits:
        return "No hits in this history: nothing to measure."
    figures = next(f for f in study.horizons if f.bars == horizon)
    bars = "1 bar" if horizon == 1 else f"{horizon} bars"
    if figures.excess is None:
        return f"No hit has {bars} behind it yet: nothing to measure at this horizon."
    sample = _sample(figures)
    if figures.excess_low is None or figures.excess_high is None:
        return f"All hits fell on one day: {sample} cannot show an edge."
    interval = f"{percent(figures.excess_low)} to {percent(figures.excess_high)}"
    if figures.excess_low > 0:
        said = f"Beats the baseline by {percent(figures.excess)} at {bars} ({interval}), {sample}."
    elif figures.excess_high < 0:
        said = f"Falls behind the baseline by {percent(-figures.excess)} at {bars} ({interval}), {sample}."
    else:
        said = f"No edge shown at {bars}: {percent(figures.excess)} against the baseline, and the interval holds zero ({interval}), {sample}."
    if figures.small_sample:
        said += " Under 30 days: too few to lean on."
    return said


def _sample(figures: HorizonFigures) -> str:
    hits = "1 hit" if figures.count == 1 else f"{figures.count:,} hits"
    days = "1 day" if figures.days == 1 else f"{figures.days:,} days"
    return f"{hits} on {days}"
