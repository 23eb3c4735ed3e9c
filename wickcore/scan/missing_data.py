"""What a market lacks that a line needs, so that nobody wonders why it is unknown."""

from collections.abc import Callable

import numpy as np

from wickcore.bars.market import Market
from wickcore.bars.universe import UnknownUniverse
from wickcore.language.operations import Op

OPTIONS = ("optionable", "weekly_options")


def lacking(market: Market, op: Op) -> list[str]:
    """What the operation needs and the market does not hold: `benchmark`, `sector`, `kind`, `reports`, `dividends`, `listing`, `options`, or
    what announcement or instrument; each once."""
    found: dict[str, None] = {}
    seen: set[str] = set()
    waiting = [op]
    while waiting:
        one = waiting.pop()
        if one.key in seen:
            continue
        seen.add(one.key)
        waiting += one.args
        asks = _NEEDS.get(one.kind)
        need = asks(market, one) if asks is not None else None
        if need is not None:
            found[need] = None
    return list(found)


def _benchmark(market: Market, op: Op) -> str | None:
    return None if (market.benchmark or "") in market.bars.number else "benchmark"


def _other(market: Market, op: Op) -> str | None:
    symbol = str(op.params[0])
    return None if symbol in market.bars.number else f"instrument {symbol}"


def _text(market: Market, op: Op) -> str | None:
    name = str(op.args[0].params[0])
    return None if name in ("symbol", "weekday") or any(market.texts.get(name, ())) else name


def _rank(market: Market, op: Op) -> str | None:
    return "sector" if "sector" in op.params and not any(market.texts.get("sector", ())) else None


def _fact(market: Market, op: Op) -> str | None:
    name = str(op.params[0])
    if "." in name:
        own = name.partition(".")[2]
        return None if own in market.own else f"fact of your own called “{own}”"
    if name in ("month", "day_of_month"):
        return None
    if name == "listed_days":
        return None if len(market.listed) and (np.asarray(market.listed) >= 0).any() else "listing"
    if name in ("dividend_yield", "days_to_dividend"):
        return None if market.dividends is not None else "dividends"
    if name in OPTIONS:
        return None if len(getattr(market, name)) else "options"
    return None if market.facts is not None and len(market.facts.days) else "reports"


def _event(market: Market, op: Op) -> str | None:
    return None if str(op.params[0]) in market.events else f"announcement “{op.params[0]}”"


def _overnight(market: Market, op: Op) -> str | None:
    return None if market.overnight else "overnight bars"


def _breadth(market: Market, op: Op) -> str | None:
    try:
        market.members(str(op.params[0]), "day")
    except UnknownUniverse as unknown:
        return f"universe “{unknown.name}”"
    return None


_NEEDS: dict[str, Callable[[Market, Op], str | None]] = {
    "benchmark": _benchmark, "of": _other, "group": _rank, "text_in": _text, "rank": _rank, "fact": _fact, "at_report": _fact, "event": _event,
    "overnight": _overnight, "breadth": _breadth,
}  # fmt: skip

SAID = {
    "benchmark": "no benchmark is known", "sector": "no sectors are known", "kind": "no kinds of instruments are known",
    "reports": "no reports are known", "dividends": "no dividends are known", "listing": "no listing days are known",
    "options": "nothing is known of options", "overnight bars": "no overnight bars are known",
}  # fmt: skip


def said_lacking(needs: list[str]) -> str:
    """What is lacking in words."""
    return " and ".join(SAID.get(need, f"there is no {need}") for need in needs)
