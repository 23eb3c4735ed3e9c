"""What is known about an instrument on a day besides its prices: facts and texts, each as published by that day."""

from typing import Unpack

from wickcore.language.entry import POSITIVE, SHARE, YES_OR_NO, Entry, Traits

_F = "facts"


def _fact(name: str, help: str, formula: str, example: str, **traits: Unpack[Traits]) -> Entry:
    return Entry(name, _F, "fact", "number", help, formula, "until first published", "the instrument's reports", example, **traits)


def _calendar(name: str, help: str, formula: str, example: str, **traits: Unpack[Traits]) -> Entry:
    return Entry(name, "calendar", "fact", "number", help, formula, "0", "the calendar", example, **traits)


def _text(name: str, help: str, example: str) -> Entry:
    return Entry(name, _F, "text", "text", help, name, source="the instrument's listing", example=example)


ENTRIES = (
    _fact("shares_outstanding", "Shares outstanding by the latest report, split since then or not.", "shares", "shares_outstanding > 10m",
          bounds=POSITIVE, amount=True, said="the number of shares outstanding"),
    _fact("market_cap", "Size in money: the day's close times shares outstanding.", "close * shares_outstanding", "market_cap > 500m",
          bounds=POSITIVE, said="the size of the company", amount=True, uses_close=True),
    _fact("eps", "Earnings a share over the last four reported quarters, in money of that day.", "earnings of four quarters / shares",
          "eps > 0", said="earnings a share"),
    _fact("pe", "The close over the earnings a share; unknown when nothing was earned.", "close / eps", "pe < 15",
          bounds=POSITIVE, said="the price over earnings", uses_close=True),
    _fact("revenue_growth", "The latest quarter's revenue against the same quarter a year before.", "revenue / revenue 4 quarters ago - 1",
          "revenue_growth > 10%", fraction=True, side="move", said="the growth of revenue"),
    _fact("eps_growth", "The latest quarter's earnings a share against the same quarter a year before; unknown when that was a loss.",
          "eps of the quarter / eps 4 quarters ago - 1", "eps_growth > 20%", fraction=True, side="move",
          said="the growth of earnings a share"),
    _fact("eps_surprise", "The latest quarter's earnings against what was expected, as a share of the expectation's size.",
          "(earnings - expected) / abs(expected)", "eps_surprise > 5%", fraction=True, side="move", said="the surprise in earnings"),
    _fact("dividend_yield", "Dividends of the last 365 days over the day's close.", "dividends / close", "dividend_yield > 3%",
          bounds=POSITIVE, fraction=True, uses_close=True, said="the dividend yield"),
    _fact("days_to_report", "Calendar days until the next report, once its date is announced.", "report day - today",
          "days_to_report > 5", bounds=POSITIVE, said="the number of days to the next report"),
    _fact("days_since_report", "Calendar days since the latest report; 0 on its day.", "today - report day", "days_since_report <= 1",
          bounds=POSITIVE, said="the number of days since the latest report"),
    _fact("days_to_dividend", "Calendar days until the next dividend's day, once it is announced: with the report before it.",
          "dividend day - today", "days_to_dividend between 1 and 5", bounds=POSITIVE, said="the number of days to the next dividend", later=True),
    _fact("listed_days", "Calendar days since the instrument was listed.", "today - listing day", "listed_days > 365",
          bounds=POSITIVE, said="the number of days since listing"),
    _fact("optionable", "1 where options are listed on the instrument, else 0.", YES_OR_NO, "optionable == 1", bounds=SHARE,
          said="whether options are listed"),
    _fact("weekly_options", "1 where options that run a week are listed on the instrument, else 0.", YES_OR_NO, "weekly_options == 1",
          bounds=SHARE, said="whether weekly options are listed"),
    _calendar("month", "The month of the year, 1 to 12.", "1 to 12", "month >= 10 or month <= 4", bounds=POSITIVE, said="the month of the year", later=True),
    _calendar("day_of_month", "The day of the month, 1 to 31.", "1 to 31", "day_of_month <= 3", bounds=POSITIVE, said="the day of the month", later=True),
    Entry("weekday", "calendar", "text", "text", "The day of the week: Monday to Friday.", "Monday … Friday", source="the calendar",
          example='weekday == "Friday"', later=True),
    _text("sector", "The instrument's sector.", 'sector == "Energy"'),
    _text("kind", "What the instrument is: share, fund or index.", 'kind == "share"'),
    _text("symbol", "The instrument's symbol.", 'symbol != "ABC"'),
)  # fmt: skip
