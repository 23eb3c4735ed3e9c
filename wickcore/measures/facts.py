"""Facts as known on each bar: a step function of what had been published by then.

A report has a day and no hour, and many come after the close. So it counts as known from the close of its day: a bar within the session, and
a rule that decides at the open, know what came before the day.
"""

import numpy as np
from numba import njit

from wickcore.bars.bars import STEP, Bars, Bools, Days, Floats, Ints
from wickcore.bars.market import Market
from wickcore.bars.moment import CLOSE

NONE = -1


@njit(nogil=True, cache=True)
def _latest(offsets: Ints, days: Days, fact_offsets: Ints, fact_days: Days, wanted: Bools, out: Ints) -> None:
    """For each bar the position of the latest wanted fact row on or before its day, or -1."""
    for k in range(len(offsets) - 1):
        at, best = fact_offsets[k], NONE
        for i in range(offsets[k], offsets[k + 1]):
            while at < fact_offsets[k + 1] and fact_days[at] <= days[i]:
                if wanted[at]:
                    best = at
                at += 1
            out[i] = best


@njit(nogil=True, cache=True)
def _following(offsets: Ints, days: Days, fact_offsets: Ints, fact_days: Days, wanted: Bools, out: Ints) -> None:
    """For each bar the position of the first wanted fact row on or after its day, or -1."""
    for k in range(len(offsets) - 1):
        at = fact_offsets[k]
        for i in range(offsets[k], offsets[k + 1]):
            while at < fact_offsets[k + 1] and (fact_days[at] < days[i] or not wanted[at]):
                at += 1
            out[i] = at if at < fact_offsets[k + 1] else NONE


@njit(nogil=True, cache=True)
def _trailing(offsets: Ints, days: Days, pay_offsets: Ints, pay_days: Days, paid: Floats, span: int, out: Floats) -> None:
    """The sum of payments in the last `span` days."""
    for k in range(len(offsets) - 1):
        begin, end, total = pay_offsets[k], pay_offsets[k], 0.0
        for i in range(offsets[k], offsets[k + 1]):
            while end < pay_offsets[k + 1] and pay_days[end] <= days[i]:
                total += paid[end]
                end += 1
            while begin < end and pay_days[begin] <= days[i] - span:
                total -= paid[begin]
                begin += 1
            out[i] = total if end > begin else 0.0


class FactReader:
    """Facts of the instruments first:last of a market, one float64 a bar of one of its tables.

    at_open: as known at the open of each bar's session, without what is dated that day.
    """

    def __init__(self, market: Market, bars: Bars, first: int, last: int, at_open: bool = False) -> None:
        self.market, self.bars, self.first, self.last = market, bars, first, last
        self.begin, self.end = int(bars.offsets[first]), int(bars.offsets[last])
        self.offsets = bars.offsets[first : last + 1] - self.begin
        self.days = bars.days[self.begin : self.end]
        self.owner = bars.owner[self.begin : self.end]
        # The last day whose facts are known on each bar.
        self.known_days = self.days - 1 if at_open else self.days
        if bars.minute is not None and not at_open:
            hours = bars.calendar
            self.known_days = np.where(self._minute() < hours.closes - hours.opens, self.days - 1, self.days).astype(
                self.days.dtype
            )

    def read(self, name: str) -> Floats:
        """The fact by its name in the catalogue; NaN where not yet known."""
        of, dot, own = name.partition(".")
        if dot:
            return self._own(own, of == "own_age")
        close = self.bars.close[self.begin : self.end]
        if name == "market_cap":
            return self._published("shares") * close
        if name == "shares_outstanding":
            return self._published("shares")
        if name == "pe":
            eps = self._published("eps")
            return np.where(eps > 0, close / np.where(eps > 0, eps, 1.0), np.nan)
        if name == "dividend_yield":
            return self._dividends() / close
        if name == "listed_days":
            return self._listed()
        if name == "minute":
            return self._minute()
        if name in ("month", "day_of_month"):
            day = self.days.astype("datetime64[D]")
            if name == "month":
                return np.asarray(day.astype("datetime64[M]").astype(np.int64) % 12 + 1, np.float64)
            return np.asarray((day - day.astype("datetime64[M]")).astype(np.int64) + 1, np.float64)
        if name in ("optionable", "weekly_options"):
            marks: Bools = getattr(self.market, name)
            return marks[self.owner].astype(np.float64) if len(marks) else self._unknown()
        if name == "days_since_report":
            row = self._row(_latest)
            return self._distance(row, -1)
        if name == "days_to_report":
            return self._to_report()
        if name == "days_to_dividend":
            return self._to_dividend()
        return self._published(name)

    def _minute(self) -> Floats:
        """Minutes of the session that are over at each bar's end."""
        hours = self.market.table(self.market.finest).calendar
        if self.bars.minute is None:
            return np.full(len(self.days), float(hours.closes - hours.opens))
        begins = self.bars.minute[self.begin : self.end]
        return np.where(begins == CLOSE, hours.closes - hours.opens, begins + STEP - hours.opens).astype(np.float64)

    def overnight(self, part: str) -> Floats:
        """A price of the night before each bar's session as printed that day, or which extreme came first (1 or 0); NaN where there was none."""
        high_first = part == "high_first"
        dated = self.market.overnight.get("low_first" if high_first else part)
        if dated is None or not len(dated.days):
            return self._unknown()
        row = np.empty(len(self.days), np.int64)
        _latest(
            self.offsets, self.days, dated.offsets[self.first : self.last + 1], dated.days, np.ones(len(dated.days), np.bool_), row
        )
        at = np.maximum(row, 0)
        found = np.where((row >= 0) & (dated.days[at] == self.days), dated.values[at], np.nan)
        return np.asarray(1.0 - found) if high_first else found

    def _own(self, name: str, age: bool) -> Floats:
        """A fact of one's own: the latest value given by the bar's day, or how many days before it was given; unknown before the first."""
        dated = self.market.own.get(name)
        if dated is None or not len(dated.days):
            return self._unknown()
        row = np.empty(len(self.days), np.int64)
        every = np.ones(len(dated.days), np.bool_)
        _latest(self.offsets, self.known_days, dated.offsets[self.first : self.last + 1], dated.days, every, row)
        at = np.maximum(row, 0)
        found = (self.days - dated.days[at]).astype(np.float64) if age else dated.values[at]
        return np.where(row >= 0, found, np.nan)

    def earlier(self, name: str, n: int) -> Floats:
        """What the report n before the latest said, shares and earnings a share on today's count of shares; NaN while there are fewer."""
        facts = self.market.facts
        if facts is None or not len(facts.days):
            return self._unknown()
        reports = np.flatnonzero(facts.is_report)
        row = self._row(_latest)
        place = np.searchsorted(reports, np.maximum(row, 0)) - n
        target = reports[np.maximum(place, 0)] if len(reports) else np.zeros(len(row), np.int64)
        known = (row >= 0) & (place >= 0) & (target >= facts.offsets[self.owner])
        name = "shares" if name == "shares_outstanding" else name
        value = facts.columns[name][target]
        if name in ("shares", "eps"):
            since = self._restated[np.maximum(self._row(_latest, reports_only=False), 0)] / self._restated[target]
            value = value * since if name == "shares" else value / since
        return np.where(known, value, np.nan)

    @property
    def _restated(self) -> Floats:
        """By how much the splits between reports have multiplied the shares, up to each row of facts."""
        facts = self.market.facts
        assert facts is not None
        shares = facts.columns["shares"]
        steps = np.ones(len(shares))
        again = np.flatnonzero(~facts.is_report)  # such a row follows another of its instrument, and restates it
        steps[again] = shares[again] / shares[again - 1]
        return np.asarray(np.cumprod(steps), np.float64)

    def _to_dividend(self) -> Floats:
        """A dividend's day counts as announced with the report before it, as a report's own does."""
        facts = self.market.facts
        if self.market.dividends is None or facts is None or not len(facts.days):
            return self._unknown()
        offsets, days, _ = self.market.dividends
        row, ahead = self._row(_latest), np.empty(len(self.days), np.int64)
        _following(self.offsets, self.days, offsets[self.first : self.last + 1], days, np.ones(len(days), np.bool_), ahead)
        # Announced only by a report that lies after the dividend before.
        before = np.where(ahead > offsets[self.owner], days[np.maximum(ahead - 1, 0)], np.int32(-1)) if len(days) else ahead
        known = (row >= 0) & (ahead >= 0) & (facts.days[np.maximum(row, 0)] >= before)
        return np.where(known, days[np.maximum(ahead, 0)].astype(np.float64) - self.days, np.nan) if len(days) else self._unknown()

    def _unknown(self) -> Floats:
        return np.full(len(self.days), np.nan)

    def _row(self, kernel: "object", reports_only: bool = True) -> Ints:
        facts = self.market.facts
        if facts is None:
            return np.full(len(self.days), NONE, np.int64)
        out = np.empty(len(self.days), np.int64)
        wanted = facts.is_report if reports_only else np.ones(len(facts.days), np.bool_)
        days = self.known_days if kernel is _latest else self.days
        kernel(self.offsets, days, facts.offsets[self.first : self.last + 1], facts.days, wanted, out)  # type: ignore[operator]
        return out

    def _published(self, column: str) -> Floats:
        facts = self.market.facts
        if facts is None or not len(facts.days):
            return self._unknown()
        row = self._row(_latest, reports_only=False)
        return np.where(row >= 0, facts.columns[column][np.maximum(row, 0)], np.nan)

    def _distance(self, row: Ints, sign: int) -> Floats:
        facts = self.market.facts
        if facts is None or not len(facts.days):
            return self._unknown()
        away = (facts.days[np.maximum(row, 0)].astype(np.float64) - self.days) * sign
        return np.where(row >= 0, away, np.nan)

    def _to_report(self) -> Floats:
        """A report's date counts as announced with the report before it, so the first one is never known ahead."""
        facts = self.market.facts
        if facts is None or not len(facts.days):
            return self._unknown()
        ahead = self._distance(self._row(_following), 1)
        return np.where(self._row(_latest) >= 0, ahead, np.nan)

    def _dividends(self) -> Floats:
        if self.market.dividends is None:
            return self._unknown()
        offsets, days, paid = self.market.dividends
        out = np.empty(len(self.days))
        _trailing(self.offsets, self.days, offsets[self.first : self.last + 1], days, paid, 365, out)
        return out

    def _listed(self) -> Floats:
        listed = self.market.listed
        if not len(listed):
            return self._unknown()
        day = listed[self.owner]
        return np.where(day >= 0, (self.days - day).astype(np.float64), np.nan)
