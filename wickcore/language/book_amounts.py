"""The plain settings of a book: numbers, sizes, costs, each with what it may be and what is said of one that is wrong."""

import re
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from wickcore.language.problems import nearest
from wickcore.language.statement import read_number

NUMBER = r"[0-9]+(?:_[0-9]{3})*(?:\.[0-9]+)?(?:%|(?:bn|[kmb])\b)?"
AMOUNT = rf"(?:{NUMBER}|[a-z_][a-z0-9_]*)"
_SIZE = re.compile(
    rf"(equal|risk|money|volatility)(?:\s+({AMOUNT}))?((?:\s*,?\s*at most\s+{AMOUNT}(?:\s+of a day['’]?s money)?)*)\s*$"
)
_CAP = re.compile(rf"at most\s+({AMOUNT})(\s+of a day['’]?s money)?")
_COST = re.compile(rf"({AMOUNT})(?:\s+at least\s+({AMOUNT}))?\s*$")
_SLIP = re.compile(rf"(?:({AMOUNT})\s*\+?\s*)??(?:impact\s+({AMOUNT}))?\s*$")
MOST_SLOTS = 500


class Wrong(ValueError):
    """A setting that cannot be; the message says what it may be. mend: what to put in place of the value."""

    def __init__(self, message: str, mend: str | None = None) -> None:
        super().__init__(message)
        self.mend = mend


@dataclass(frozen=True, slots=True)
class Kind:
    """A number that a setting takes: its range, and what it is a share of where it is one."""

    low: float
    high: float
    share: bool
    said: str
    example: str
    whole: bool = False
    above: bool = False  # the lowest itself is not allowed


KINDS = {
    "start": Kind(0.0, 1e15, False, "an amount of money above zero", "80k", above=True),
    "slots": Kind(1, MOST_SLOTS, False, f"a whole number from 1 to {MOST_SLOTS}", "12", whole=True),
    "gross": Kind(0.0, 10.0, True, "a percentage of equity above 0% and up to 1000%", "100%", above=True),
    "cash earns": Kind(0.0, 0.5, True, "a percentage a year from 0% to 50%", "2%"),
    "borrow costs": Kind(0.0, 2.0, True, "a percentage a year from 0% to 200%", "3%"),
    "cost": Kind(0.0, 0.2, True, "a percentage a side from 0% to 20%", "0.1%"),
    "slip": Kind(0.0, 0.2, True, "a percentage a side from 0% to 20%", "0.05%"),
    "impact": Kind(0.0, 10.0, False, "a number from 0 to 10", "0.1"),
    "delisting": Kind(0.0, 1.0, True, "a percentage from 0% to 100%", "100%"),
    "risk": Kind(0.0, 0.5, True, "a percentage of equity above 0% and up to 50%", "0.75%", above=True),
    "volatility": Kind(0.0, 0.5, True, "a percentage of equity a day above 0% and up to 50%", "0.5%", above=True),
    "money": Kind(0.0, 1e15, False, "an amount of money above zero", "5k", above=True),
    "at most": Kind(0.0, 10.0, True, "a percentage above 0%", "20%", above=True),
    "part": Kind(0.0, 1.0, True, "a part of the position: half, or a percentage above 0% and up to 100%", "30%", above=True),
    "least": Kind(0.0, 1e9, False, "an amount of money", "2"),
}


class Amounts:
    """Reads settings; dials: plain values by name, which may stand for any number."""

    def __init__(self, dials: Mapping[str, float]) -> None:
        self.dials = dials

    def number(self, what: str, text: str) -> float:
        """One number of a kind. Raises Wrong."""
        kind = KINDS[what]
        if text in self.dials:
            value, plain = self.dials[text], False
        elif re.fullmatch(NUMBER, text):
            value, plain = read_number(text), text[-1] != "%"
        else:
            near = nearest(text, list(self.dials)) if self.dials and re.fullmatch(r"[a-z_]\w*", text) else None
            raise Wrong(
                f"`{what}` is {kind.said}, such as `{kind.example}`" + (f": did you mean the dial `{near}`?" if near else "."), near
            )
        if kind.share and plain and value > kind.high and value <= 100:
            raise Wrong(f"`{what}` is {kind.said}; {text} means {value:.0%}. Is `{text}%` meant?", f"{text}%")
        low = value > kind.low if kind.above else value >= kind.low
        if not (low and value <= kind.high) or (kind.whole and value != int(value)):
            raise Wrong(f"`{what}` is {kind.said}, such as `{kind.example}`; this is {text}.")
        return value

    def choice(self, what: str, text: str, allowed: tuple[str, ...]) -> str:
        """One of a few words. Raises Wrong."""
        if text not in allowed:
            near = nearest(text, allowed) if text else None
            raise Wrong(f"`{what}` is one of {', '.join(allowed)}; this says `{text}`.", near or allowed[0])
        return text

    def size(self, text: str) -> dict[str, object]:
        """How large positions are. Raises Wrong."""
        match = _SIZE.match(text)
        hint = "`size` is `equal`, `risk 1%`, `money 5k` or `volatility 0.5%`, and may add `at most 20%` and `at most 1% of a day's money`."
        if match is None:
            bare = re.fullmatch(rf"({NUMBER})", text)
            mend = None if bare is None else f"risk {text}" if text.endswith("%") else f"money {text}"
            raise Wrong(hint, mend)
        sizing, amount, caps = match.groups()
        if (amount is None) != (sizing == "equal"):
            raise Wrong(hint, "equal" if sizing == "equal" else f"{sizing} {KINDS[sizing].example}")
        made: dict[str, object] = {"sizing": sizing, "size": self.number(sizing, amount) if amount else 0.0}
        for cap, of_day in _CAP.findall(caps):
            made["most_day" if of_day else "most_share"] = self.number("at most", cap)
        return made

    def cost(self, text: str) -> dict[str, object]:
        match = _COST.match(text)
        if match is None:
            raise Wrong("`cost` is a percentage a side, and may add the least an order costs: `0.1%`, `0.1% at least 2`.", "0.1%")
        rate, least = match.groups()
        return {"cost": self.number("cost", rate), "cost_least": self.number("least", least) if least else 0.0}

    def slip(self, text: str) -> dict[str, object]:
        match = _SLIP.match(text)
        if match is None or not (match.group(1) or match.group(2)):
            raise Wrong("`slip` is a percentage a side, `impact` and a number, or both: `0.05%`, `impact 0.1`.", "0.05%")
        rate, impact = match.groups()
        return {"slip": self.number("slip", rate) if rate else 0.0, "impact": self.number("impact", impact) if impact else 0.0}

    def plain(self, key: str, text: str) -> dict[str, object]:
        """The fields of a checked book that a setting says. Raises Wrong."""
        return READERS[key](self, text)


READERS: dict[str, Callable[[Amounts, str], dict[str, object]]] = {
    "start": lambda a, t: {"start": a.number("start", t)},
    "slots": lambda a, t: {"slots": int(a.number("slots", t))},
    "size": Amounts.size,
    "gross": lambda a, t: {"gross": a.number("gross", t)},
    "cash earns": lambda a, t: {"cash_earns": a.number("cash earns", t)},
    "borrow costs": lambda a, t: {"borrow_costs": a.number("borrow costs", t)},
    "cost": Amounts.cost,
    "slip": Amounts.slip,
    "leaves": lambda a, t: {"leaves": a.choice("leaves", t, ("hold", "exit"))},
    "delisting": lambda a, t: {"delisting": a.number("delisting", t)},
    "fractions": lambda a, t: {"fractions": a.choice("fractions", t, ("yes", "no")) == "yes"},
}
