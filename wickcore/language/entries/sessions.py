"""What only sessions have: the night before one, its first part, how far it has gone and how busy it is for its time."""

from wickcore.language.entry import POSITIVE, SHARE, YES_OR_NO, Entry, Parameter, Side, bars, defined

_N, _S = "overnight", "sessions"
_NIGHT = "between the close before and this session's open; known from the open on"
_UNTIL = "until its minutes are over, each session anew"
_MINUTES = Parameter("n", "bars", "30", "how many minutes from the session's open, in fives", 5)
_OTHER = {"high": "low", "low": "high"}


def _overnight(part: str, help: str, example: str) -> Entry:
    other = f"overnight.{_OTHER[part]}" if part in _OTHER else None
    return Entry(
        f"overnight.{part}", _N, "form", "number", f"{help} {_NIGHT}.", f"{part} of the overnight bar",
        "until there are overnight bars", "the overnight bars", example, degree=1, level=True, other=other, side="level",
        said=f"the overnight {part}",
    )  # fmt: skip


def _opening(part: str, help: str, example: str) -> Entry:
    other = f"opening_range.{_OTHER[part]}" if part in _OTHER else None
    return Entry(
        f"opening_range.{part}", _S, "form", "number", f"{help} of the session's first n minutes; unknown until they are over.",
        f"{part} of the bars that begin within n minutes of the open", _UNTIL, "common practice", example, (_MINUTES,), degree=1, level=True,
        other=other, side="level", said=f"the {part} of the first {{n}} minutes", inner=True,
    )  # fmt: skip


def _hour(part: str, help: str, example: str, side: Side = "level", bounds: tuple[float, float] | None = None) -> Entry:
    other = f"first_hour.{_OTHER[part]}" if part in _OTHER else None
    return defined(
        f"first_hour.{part}", _S, f"{help} of the session's first hour; unknown until it is over.", f"opening_range(60).{part}", _UNTIL, example,
        level=side == "level", other=other, side=side, fraction=bounds == SHARE, said=f"the {part} of the first hour", bounds=bounds,
        inner=True,
    )  # fmt: skip


def _made_of(name: str, range_of: str, said: str, parameters: tuple[Parameter, ...], example: str) -> tuple[Entry, Entry]:
    high, low, close = (f"{range_of}.{part}" for part in ("high", "low", "close"))
    inner = name != "overnight"
    family = _N if name == "overnight" else _S
    unknown = "until there are overnight bars" if name == "overnight" else _UNTIL
    return (
        defined(f"{name}.range", family, f"The high less the low of {said}.", f"{high} - {low}", unknown, f"{example}.range > 0.5 * atr(14)",
                *parameters, bounds=POSITIVE, inner=inner, said=f"the range of {said}"),
        defined(f"{name}.place", family, f"Where between its low and its high {said} ended: 0 at the low, 1 at the high.",
                f"({close} - {low}) / ({high} - {low})", unknown, f"{example}.place > 80%", *parameters, side="share", bounds=SHARE, fraction=True, inner=inner,
                said=f"the place in its range where {said} ended"),
    )  # fmt: skip


ENTRIES = (
    _overnight("open", "The first price of the night,", "overnight.open > close 1 ago"),
    _overnight("high", "The highest price of the night,", "overnight.high > on(day, high 1 ago)"),
    _overnight("low", "The lowest price of the night,", "overnight.low < on(day, low 1 ago)"),
    _overnight("close", "The last price of the night,", "overnight.close > on(day, close 1 ago)"),
    *_made_of("overnight", "overnight", "the night", (), "overnight"),
    Entry("overnight.low_first", _N, "form", "condition", f"The night's low came before its high, {_NIGHT}.", YES_OR_NO,
          "until there are overnight bars", "the overnight bars", "overnight.low_first",
          other="overnight.high_first", said="the night's low came before its high"),
    Entry("overnight.high_first", _N, "form", "condition", f"The night's high came before its low, {_NIGHT}.", YES_OR_NO,
          "until there are overnight bars", "the overnight bars", "overnight.high_first",
          other="overnight.low_first", said="the night's high came before its low"),
    _opening("open", "The first price", "close > opening_range(30).open"),
    _opening("high", "The highest price", "close > opening_range(30).high"),
    _opening("low", "The lowest price", "close < opening_range(30).low"),
    _opening("close", "The last price", "close > opening_range(15).close"),
    *_made_of("opening_range", "opening_range(n)", "the session's first minutes", (_MINUTES,), "opening_range(30)"),
    _hour("open", "The first price", "first_hour.close > first_hour.open"),
    _hour("high", "The highest price", "close > first_hour.high"),
    _hour("low", "The lowest price", "close < first_hour.low"),
    _hour("close", "The last price", "close > first_hour.close"),
    _hour("range", "The high less the low", "first_hour.range > 0.5 * on(day, atr(14) 1 ago)", "plain", POSITIVE),
    _hour("place", "Where in its range the close lies, 0 at the low and 1 at the high,", "first_hour.place > 80%", "share", SHARE),
    defined("since_open", _S, "The gain since the session's open, as a fraction.", "on(day, close / open - 1)", "0", "since_open > 1%",
            fraction=True, side="move", said="the gain since the open", later=True),
    Entry("minute", "calendar", "fact", "number", "How many minutes of the session are over when the bar is; of a day's bar all of them.",
          "end of the bar - open of the session", "0", "the session's hours", "minute <= 60", bounds=POSITIVE, uses_close=True,
          said="the minutes since the open", later=True),
    Entry("pace", _S, "form", "number", "How busy the session is for its time: its volume so far against the mean of what the n sessions before "
          "had by the same minute.", "volume so far / mean volume by this minute of n sessions", "n sessions", example="pace(20) > 2",
          parameters=(bars(20, name="n", help="how many sessions before this one"),), bounds=POSITIVE, said="the volume for the time of day", inner=True,
          later=True),
)  # fmt: skip
