"""What the rest of the application asks of the market: the evaluator, the as-of day, universes, charts."""

from collections.abc import Iterable
from threading import Lock
from typing import Any

from upperwick.base.errors import Refused
from upperwick.base.kernels import missing
from upperwick.base.request_gone import gone
from upperwick.jobs.admission import REQUEST_SECONDS
from upperwick.market.block_spans import year_of
from upperwick.market.load import damage, evaluator
from upperwick.market.models import DataVersion
from wickcore.bars.bars import Bools
from wickcore.bars.frame_names import FRAMES, within_day
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, iso, read_moment
from wickcore.bars.universe import UnknownUniverse
from wickcore.language.problems import nearest
from wickcore.language.rule import Value
from wickcore.scan.evaluate import Evaluator, Limits


def open_market() -> Evaluator:
    """The evaluator over the stored market. Raises Refused when nothing is stored yet."""
    found = evaluator()
    if not len(found.market.bars):
        raise Refused("There are no prices yet: bring some in at the place Data.", 409)
    return found


def request_limits(only_shown: bool = False) -> Limits:
    """The deadline of one request's computing. only_shown: for what changes nothing; it ends too once whoever asked has gone."""
    return Limits(REQUEST_SECONDS, gone() if only_shown else None)


def as_of_moment(market: Market, said: str | None) -> Moment:
    """The moment meant by a date or a date and a time, or the last one before it at which there was a bar; the latest one where nothing is
    said. Raises Refused."""
    try:
        return market.standing(read_moment(said) if said else market.latest)
    except ValueError as error:
        raise Refused(str(error)) from None


def as_of_day(market: Market, said: str | None) -> int:
    """The last session that is over at the moment meant: that day, or the one before where its session still runs, since a day's bar must not
    be seen before its close. Raises Refused."""
    moment = as_of_moment(market, said)
    if moment.closed:
        return moment.day
    before = market.bars.session_on(moment.day - 1)
    if before < 0:
        raise Refused(f"No session is over at {moment} yet.")
    return int(market.bars.sessions[before])


_members: dict[tuple[str, str, str], Bools] = {}
MOST_MEMBERS = 12  # a byte a bar each
_members_lock = Lock()


def no_universe(market: Market, unknown: UnknownUniverse, lists: Iterable[str] = ()) -> Refused:
    """The sentence for a universe that does not exist, with what does."""
    known = sorted({*market.universes, *lists})
    near = nearest(unknown.name, known)
    hint = f"did you mean “{near}”?" if near else f"known are: {', '.join(known) or 'none'}."
    return Refused(f"There is no universe named “{unknown.name}”; {hint}", 422)


def _told(market: Market, universe: str, table: str) -> Bools | None:
    try:
        return market.members(universe, table)
    except UnknownUniverse as unknown:
        raise no_universe(market, unknown) from None


def members_of(market: Market, universe: str | None, table: str = "day", keep: bool = True) -> Bools | None:
    """Membership by bar of a table; None for all instruments. keep: not for a market of a few instruments. Raises Refused for an unknown
    universe."""
    if not universe:
        return None
    if not keep:
        return _told(market, universe, table)
    key = (market.version, universe, table)
    with _members_lock:
        if key not in _members:
            made = _told(market, universe, table)
            for old in [k for k in _members if k[0] != market.version]:
                del _members[old]
            while len(_members) >= MOST_MEMBERS:
                del _members[next(iter(_members))]
            assert made is not None
            _members[key] = made
        return _members[key]


def frames_of(market: Market) -> list[str]:
    """The frames a rule may step on, the shortest first."""
    return [f for f in FRAMES if not within_day(f) or market.finest != "day"]


def overview() -> dict[str, Any]:
    """What the interface needs to know of the market before anything else."""
    market = evaluator().market
    latest = DataVersion.objects.last()
    return {
        "version": market.version,
        "invented": bool(latest and latest.invented),
        "sessions": _sessions(market),
        "latest": str(_latest(market)) if len(market.bars) else None,
        "hours": hours_within(market),
        "universes": sorted(market.universes),
        "sectors": sorted(set(market.texts.get("sector", ())) - {""}),
        "kinds": sorted(set(market.texts.get("kind", ())) - {""}),
        "events": sorted(market.events),
        "own": sorted(market.own),
        "frames": frames_of(market),
        "instruments": len(market.bars.symbols),
        "benchmark": market.benchmark,
        "compiling": missing(),
        "damaged": [{"symbol": p.symbol, "frame": p.frame, "year": year_of(p.frame, p.span)} for p in damage()],
    }


def _latest(market: Market) -> Moment:
    """The newest moment: a session that is over stands at its close, its own bar there or not."""
    return market.standing(market.latest)


def _sessions(market: Market) -> list[str]:
    """Every session, the one that runs too."""
    found = [iso(d) for d in market.bars.sessions]
    running = _latest(market) if len(market.bars) else None
    return found if running is None or running.closed or iso(running.day) in found else [*found, iso(running.day)]


def hours_within(market: Market) -> dict[str, Any] | None:
    """From which minute to which sessions run, and since when there are bars within them; None where there are none."""
    if market.finest == "day":
        return None
    inner = market.table("5min")
    return {"opens": inner.calendar.opens, "closes": inner.calendar.closes, "since": iso(int(inner.sessions[0]))}


def shown_as(value: Value) -> str:
    """How a person reads an expression's values."""
    if value.type != "number":
        return "text" if value.type == "text" else "truth"
    if value.fraction or value.percent:
        return "percent"
    return {1.0: "price", -1.0: "amount"}.get(value.degree or 0, "number")
