"""One instrument's chart: bars of a frame up to the as-of day, what the rule talks about, its hits, and panes of measures."""

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache
from typing import Any

import numpy as np

from upperwick.charts.bars_at import Standing, frame_ends, standing
from upperwick.market.services import members_of, open_market, request_limits, shown_as
from wickcore.bars.bars import Bars, Bools, Ints
from wickcore.bars.frame_names import MINUTES, within_day
from wickcore.bars.frames import goes_on
from wickcore.bars.moment import Moment, clock, iso
from wickcore.language.check import check_expression
from wickcore.language.problems import RuleError
from wickcore.language.rule import CheckedRule, Value
from wickcore.language.shapes import in_words
from wickcore.measures.frame import TRUE, UNKNOWN
from wickcore.scan.patterns import Drawn, drawn, of_all, of_rule
from wickcore.scan.scales import latest, on_scale

CHART_BARS, MOST_PANES, MOST_LINES, MOST_CHARTS = 4_000, 6, 4, 24
FIELDS = ("open", "high", "low", "close", "volume")
FACTS = {
    "change": "change", "rel_volume": "rel_volume(20)", "off_high": "off_high(52w)", "adr": "adr(20)", "atr": "atr(14)",
    "days_to_report": "days_to_report", "market_cap": "market_cap", "pe": "pe",
}  # fmt: skip


@dataclass(frozen=True)
class ChartAsked:
    """bars: at most so many of the frame, the latest last. panes: expressions of each pane below the prices. facts: whether the figures
    of the latest bar are wanted. past: whether the days of all hits of the instrument's history are. all_patterns: every one that is live,
    not only those the rule speaks of."""

    symbol: str
    as_of: str | None = None
    frame: str = "day"
    bars: int = 260
    panes: Sequence[Sequence[str]] = field(default_factory=tuple)
    facts: bool = True
    past: bool = True
    all_patterns: bool = False


def chart(
    asked: ChartAsked, rule: CheckedRule | None, universe: str = "", parts: Mapping[str, str] | None = None
) -> dict[str, Any]:
    """The chart on the as-of day's scale. A bar of a week or a month is the one so far on its last day here; a level of the rule is its
    value on that day. On bars within the day all of it is as of each bar's end. universe: by whose membership the rule's hits count.
    parts: breadths that a pane can name. Raises Refused for an unknown symbol, and for a frame that the market has no bars of."""
    engine = open_market()
    finest = engine.market.finest
    stand = standing(engine, asked.symbol, asked.as_of, asked.frame)
    engine, table, begin, end, scale = stand.engine, stand.bars, stand.begin, stand.end, stand.scale
    names, k = engine.market.names, stand.number
    bars = {f: _checked(f, asked.frame, finest) for f in (*FIELDS, "change")}
    ranked = (rule.universe if rule else None) or ""
    panes = [
        [_pane(text, asked.frame, ranked, finest, parts) for text in lines[:MOST_LINES]] for lines in list(asked.panes)[:MOST_PANES]
    ]
    facts = {name: _checked(text, "day", "day") for name, text in FACTS.items()} if asked.facts else {}
    levels, deciding = (rule.overlays, rule.deciding) if rule else ((), ())
    values = [*bars.values(), *(v for lines in panes for _, v, _ in lines if v), *facts.values()]
    ops = [*(v.op for v in values), *(o.op for o in levels), *(one.factor for v in values for one in v.lent)]
    rows = dict(zip([op.key for op in ops], engine.rows(ops, asked.symbol, request_limits(only_shown=True)), strict=True))
    lent = {one.factor: latest(rows[one.factor.key][: end - begin]) for v in values for one in v.lent}
    ends = stand.ends(asked.frame)[-min(max(asked.bars, 1), CHART_BARS) :]

    def read(value: Value, at: Any) -> Any:
        row = rows[value.op.key][at]
        if value.type == "condition":
            return np.where(row == UNKNOWN, np.nan, row == TRUE)
        return on_scale(row, value, scale, lent)

    hits, fresh = np.empty(0, np.int64), np.empty(0, np.bool_)
    if rule is not None:
        hits, fresh = _hits(stand, asked.symbol, rule, universe)
    shown = np.unique(np.searchsorted(ends, hits[hits > ends[0] - 1])) if len(ends) else hits

    def called(at: Ints) -> list[str]:
        return labels(table, asked.frame, begin + at)

    patterns = of_all(asked.frame) if asked.all_patterns else of_rule(line.op for line in deciding)
    return {
        "symbol": asked.symbol,
        "name": names[k] if names else asked.symbol,
        "frame": asked.frame,
        "days": called(ends),
        **{name: rounded(read(value, ends)) for name, value in bars.items() if name != "volume"},
        "volume": [float(v) for v in np.round(np.nan_to_num(read(bars["volume"], ends)))],
        "overlays": [{"label": o.label, "values": rounded(rows[o.op.key][ends] / scale)} for o in levels],
        "hits": shown.tolist(),
        "panes": [
            [
                {
                    "text": text,
                    "shown": shown_as(value) if value else "number",
                    "error": error,
                    "values": rounded(read(value, ends)) if value else [],
                }
                for text, value, error in lines
            ]
            for lines in panes
        ],
        "past": called(hits) if asked.past else [],
        "fresh": called(hits[fresh]) if asked.past else [],
        "patterns": [
            _pattern(found, table, begin, end, scale)
            for found in (
                drawn(engine, patterns, asked.symbol, end - begin - 1, asked.all_patterns, request_limits(only_shown=True))
                if end > begin
                else ()
            )
            if not (asked.all_patterns and found.left)
        ],
        "first_day": iso(table.days[begin]) if end > begin else None,
        "so_far": end > begin and bool(goes_on(table, asked.frame, np.array([end - 1]), stand.at)[0]),
        "facts": {name: _number(read(value, end - begin - 1)) for name, value in facts.items()} if end > begin else {},
    }


@lru_cache(256)
def _checked(text: str, frame: str, finest: str) -> Value:
    """One of this module's own expressions, which mean the same on every chart."""
    return check_expression(text, frame, finest)


def _hits(stand: Standing, symbol: str, rule: CheckedRule, universe: str) -> tuple[Ints, Bools]:
    """The bars of the chart's table, counted from `begin`, on which the rule hit, and which of them are fresh: a rule on days hits on the last
    bar of its day (so far), and so does any on a chart of days; one that steps within the day on the bars that end its frame's."""
    table, begin, end = stand.bars, stand.begin, stand.end
    elsewhere = table.frame == "5min" and not within_day(rule.frame)  # a rule on days, on a chart of bars within them
    stepping = stand.engine.on("day") if elsewhere else stand.engine
    bars = stepping.bars if elsewhere else table
    first, last = _of_days(bars, symbol, table, end) if elsewhere else (begin, end)
    rows = stepping.rows([line.op for line in rule.deciding], symbol, request_limits(only_shown=True))
    truth = np.all([row[: last - first] == TRUE for row in rows], axis=0)
    members = members_of(stand.market, universe, bars.frame, keep=bars.frame != "mixed")
    truth = truth & members[first:last] if members is not None else truth
    steps = np.arange(last - first) if bars.frame == "day" else stand.ends("day" if bars.frame == "mixed" else rule.frame)
    found = np.flatnonzero(truth[steps])
    fresh = np.diff(found, prepend=-2) > 1
    if not elsewhere:
        return steps[found], fresh
    days = table.days[begin:end]
    at = np.searchsorted(days, bars.days[first:last][found], "right") - 1
    there = (at >= 0) & (days[np.maximum(at, 0)] == bars.days[first:last][found]) if len(days) else np.zeros(len(at), np.bool_)
    return np.asarray(at[there]), fresh[there]


def _of_days(daily: Bars, symbol: str, inner: Bars, end: int) -> tuple[int, int]:
    """Begin and end of the instrument's daily bars of sessions that are over where its bars within the day end."""
    k = daily.number[symbol]
    begin = int(daily.offsets[k])
    if end <= int(inner.offsets[k]):
        return begin, begin
    last = (
        Moment(int(inner.days[end - 1]))
        if end == int(inner.ends(int(inner.days[end - 1]))[k])
        else Moment(int(inner.days[end - 1]) - 1)
    )
    return begin, int(daily.ends(last)[k])


def labels(bars: Bars, frame: str, at: Ints) -> list[str]:
    """What the bars at these places are called: each by its day, and within the day by the minute at which the frame's bar began."""
    days: list[str] = np.datetime_as_string(bars.days[at].astype("datetime64[D]")).tolist()
    if bars.minute is None or not within_day(frame):
        return days
    length, opens = MINUTES[frame], bars.calendar.opens
    begins = (bars.minute[at] - opens) // length * length + opens
    return [f"{day}T{clock(minute)}" for day, minute in zip(days, begins.tolist(), strict=True)]


def _pattern(found: Drawn, bars: Bars, begin: int, end: int, scale: float) -> dict[str, Any]:
    ends = frame_ends(bars, found.frame, begin, end)

    def placed(points: Iterable[tuple[int, float]]) -> list[dict[str, Any]]:
        points = list(points)
        days = labels(bars, found.frame, begin + ends[np.array([len(ends) - 1 - ago for ago, _ in points], np.int64)])
        return [{"day": day, "price": _short(price / scale)} for day, (_, price) in zip(days, points, strict=True)]

    return {
        "name": in_words(found.name, found.down),
        "state": found.state,
        "age": found.age,
        "quality": round(found.quality),
        **{name: _short(getattr(found, name) / scale) for name in ("trigger", "invalid", "target")},
        "points": placed(found.points),
        "joined": found.joined,
        "strokes": [{"name": stroke.name, "points": placed(stroke.points)} for stroke in found.strokes],
        "parts": [
            {"name": name, "value": _short(value / scale if is_price else value), "price": is_price}
            for name, value, is_price in found.parts
        ],
    }


def _short(value: float) -> float:
    """Six figures are more than a chart can show."""
    return float(f"{value:.6g}")


def _pane(text: str, frame: str, universe: str, base: str, parts: Mapping[str, str] | None) -> tuple[str, Value | None, str | None]:
    try:
        value = check_expression(text, frame, base, universe, parts, lent=True)
    except RuleError as error:
        return text, None, error.problems[0].message
    return (text, None, "A text cannot be drawn.") if value.type == "text" else (text, value, None)


def _number(value: Any) -> float | None:
    return None if np.isnan(value) else float(value)


def rounded(values: Any) -> list[float | None]:
    """Six figures are more than a chart can show, and half of what all of them would take to send; what is no number is None."""
    wide = np.asarray(values, np.float64)
    told = np.isfinite(wide)
    plain = np.where(told, wide, 0.0)
    with np.errstate(divide="ignore"):
        places = np.where(plain == 0, 0, 5 - np.floor(np.log10(np.abs(plain))))
    fine, coarse = 10.0 ** np.maximum(places, 0), 10.0 ** np.maximum(-places, 0)
    short = np.where(places >= 0, np.round(plain * fine) / fine, np.round(plain / coarse) * coarse)
    return [v if known else None for v, known in zip(short.tolist(), told.tolist(), strict=True)]
