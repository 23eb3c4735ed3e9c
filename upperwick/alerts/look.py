"""Looking: at every alert, schedule and watched rule whenever the moment moves. Carried out by the one worker of a data folder.

What fires, what is told and how far was looked stand in one transaction each: killed at any point, the next look goes on where that one ended,
and finds the same.
"""

import logging
import time
from threading import Event
from typing import Any

from django.contrib.auth import get_user_model
from django.db import DatabaseError, connection, transaction
from django.db.models import Count, Max
from django.utils import timezone

from upperwick.alerts.conditions import Fired, expected
from upperwick.alerts.kinds import KINDS, looked_at
from upperwick.alerts.missed_evenings import behind_since, by_turns, due, evenings, tell_passed_over
from upperwick.alerts.models import Alert, Schedule, Watched
from upperwick.alerts.scheduled_scans import PastCloses, Scans, ScansByMoment
from upperwick.base.errors import Refused
from upperwick.base.kernels import state_of_core
from upperwick.bench.lists import keep as keep_list
from upperwick.bench.lists import lists_of, universe_key
from upperwick.bench.models import BenchEvent, BenchItem, BenchList
from upperwick.data.models import DataIssue
from upperwick.data.services import may
from upperwick.jobs.services import digest_of
from upperwick.market.load import evaluator
from upperwick.market.version import data_version
from upperwick.outbox.mail import CHARTS, send_waiting, small_chart, tell
from upperwick.positions.paper_clock import play_on
from upperwick.positions.position_watch import watch_all
from upperwick.rules.models import Breadth, Rule
from upperwick.rules.naming import header_in
from upperwick.rules.services import used_parts
from wickcore.bars.market import Market
from wickcore.bars.moment import Moment, clock, to_day
from wickcore.language.problems import RuleError
from wickcore.scan.limits import Stopped

LOOK_SECONDS = 0.5
MOST_NAMED = 40
AT_ONCE = 500  # alerts that are noted together
MOST_TOLD = 5_000  # reports that an alert remembers having told
OWN_ERROR = "This met an error of its own; it is written in the server's log."
_log = logging.getLogger("upperwick")


def keep_telling(ending: Event) -> None:
    """Looks whenever something moved, until told to end. To be called by the one worker of a data folder."""
    seen: tuple[Any, ...] | None = None
    try:
        while not ending.wait(LOOK_SECONDS):
            try:
                now = mark()
                if now != seen:
                    look()
                    seen = now
                tell_issues()
            except DatabaseError:
                connection.close()
            except Exception:
                _log.exception("What is watched could not be looked at.")
                seen = mark()
    finally:
        connection.close()


def keep_sending(ending: Event) -> None:
    """Sends what the outbox has ready, at once and whatever is being looked at, until told to end."""
    try:
        while not ending.wait(LOOK_SECONDS):
            try:
                send_waiting()
            except DatabaseError:
                connection.close()
            except Exception:
                _log.exception("Mail could not be sent.")
    finally:
        connection.close()


def tell_issues() -> int:
    """Messages of what about the data has to be known, to everybody who may mend it. Returns how many."""
    told = 0
    for issue in DataIssue.objects.filter(told__isnull=True, settled__isnull=True).order_by("id")[:AT_ONCE]:
        market = evaluator().market
        moment = str(market.standing(market.latest)) if len(market.bars) else ""
        with transaction.atomic():
            if not DataIssue.objects.filter(id=issue.id, told__isnull=True).update(told=timezone.now()):
                continue
            for user in get_user_model().objects.filter(is_active=True):
                if may(user):
                    tell(user, f"data {issue.key}"[:80], "data", moment, issue.text[:300], [issue.text], place="/data")
                    told += 1
    return told


def mark() -> tuple[Any, ...]:
    """Changes whenever there may be something to look at: other data, or other rules, alerts, schedules."""
    counted = {"n": Count("id"), "latest": Max("id")}
    return (
        data_version(),
        Rule.objects.aggregate(latest=Max("saved"))["latest"],
        Breadth.objects.aggregate(latest=Max("saved"))["latest"],
        BenchList.objects.aggregate(latest=Max("saved"))["latest"],
        BenchEvent.objects.aggregate(latest=Max("id"))["latest"],
        # Each by itself: one switched off and another on at once are as many as before.
        *Watched.on_desk.order_by("id").values_list("id"),
        *Schedule.objects.filter(on=True, deleted__isnull=True)
        .order_by("id")
        .values_list("id", "rule", "universe", "weekdays", "times"),
        *Alert.objects.filter(armed=True, deleted__isnull=True).aggregate(**counted, arm=Max("armings")).values(),
    )


def look() -> int:
    """Looks at everything up to the latest moment. Returns how many messages came of it."""
    market = evaluator().market
    if not len(market.bars):
        return 0
    now = market.standing(market.latest)
    told = 0
    alerts = list(Alert.objects.filter(armed=True, deleted__isnull=True).select_related("owner").order_by("id"))
    schedules = by_turns(
        Schedule.objects.filter(on=True, deleted__isnull=True, rule__deleted__isnull=True).select_related("owner", "rule")
    )
    by_evening = [alert for alert in alerts if alert.kind in KINDS and KINDS[alert.kind].by_evening]
    skipped, late = evenings(market, behind_since([*schedules, *by_evening], market, now), now)
    if skipped:
        told += tell_passed_over(skipped, [one for one in (*schedules, *by_evening) if one.seen < skipped[-1].key])
    after = skipped[-1].key if skipped else 0
    past = PastCloses(late)
    for moment in late:  # evenings that came at once, in their order: what one puts on a list is looked at by the next
        told += _evening(schedules, by_evening, market, moment, after, ScansByMoment(past))
    scans = ScansByMoment()
    watched = Watched.on_desk.select_related("rule__owner")
    stale = {one: digest for one in watched if (digest := digest_at(one.rule, now)) != one.digest}
    scans.at(now).expect((one.rule.owner, one.rule.text, None) for one in stale)
    told += _evening(schedules, alerts, market, now, after, scans)
    for item_id in left_to_clock():
        told += _played(item_id, now)
    told += _positions_watched(now)
    for one in sorted(stale, key=lambda one: one.rule.text):  # as they are worked out, portion by portion
        _watched(one, stale[one], now, scans.at(now))
    return told


def _evening(
    schedules: list[Schedule], alerts: list[Alert], market: Market, moment: Moment, after: int, scans: ScansByMoment
) -> int:
    """Runs schedules and looks at alerts up to a moment. after: what was before that is passed over."""
    told = 0
    for schedule in schedules:  # first: what they put on lists is looked at by the others
        told += _schedule(schedule, market, moment, after, scans)
    behind = [alert for alert in alerts if alert.armed and alert.seen < moment.key]
    scans.at(moment).expect(expected(behind, scans))
    quiet: list[int] = []
    for alert in behind:
        fired = _alert(alert, market, moment, scans, quiet)
        alert.seen = moment.key
        if fired:
            alert.refresh_from_db()  # disarmed, or with what it has told
        told += fired
    _seen(quiet, moment)
    return told


# -- alerts ------------------------------------------------------------------------------------------------------------------


def _alert(alert: Alert, market: Market, now: Moment, scans: ScansByMoment, quiet: list[int]) -> int:
    """quiet: gets the ids of those that have nothing to tell."""
    ended = alert.until is not None and str(alert.until) < str(now)[:10]
    if ended:  # the evenings up to its last day may have come with this one
        now = Moment(to_day(alert.until))
    try:
        if ended and alert.seen >= now.key:
            return _end(alert)
        fired = looked_at(alert, market, [now], scans)
    except (Refused, RuleError, Stopped, ValueError, LookupError) as error:
        Alert.objects.filter(id=alert.id).update(trouble=_sentence(error)[:300], seen=now.key)
        return 0
    except DatabaseError:
        raise
    except Exception:  # of this one only: the others are looked at all the same
        _log.exception("An alert could not be looked at: %s", alert.id)
        Alert.objects.filter(id=alert.id).update(trouble=OWN_ERROR, seen=now.key)
        return 0
    if not fired and ended:
        return _end(alert)
    if not fired:
        quiet.append(alert.id)
        return 0
    return _keep(alert, market, now, fired)


def _end(alert: Alert) -> int:
    Alert.objects.filter(id=alert.id, armed=True).update(armed=False, said=f"It ended on {alert.until}.")
    return 0


def _seen(quiet: list[int], now: Moment) -> None:
    """How far the others were looked at, of all at once: whoever is looked at again for want of that has nothing to tell again."""
    for begin in range(0, len(quiet), AT_ONCE):
        some = Alert.objects.filter(id__in=quiet[begin : begin + AT_ONCE], armed=True, seen__lt=now.key)
        some.update(seen=now.key, trouble="")


@transaction.atomic
def _keep(alert: Alert, market: Market, now: Moment, fired: list[Fired]) -> int:
    """What fired, its message, and how far was looked: together, or not at all."""
    mine = Alert.objects.select_for_update().filter(id=alert.id, armed=True, armings=alert.armings, deleted__isnull=True)
    if not mine.exists():
        return 0  # disarmed, armed anew or deleted meanwhile
    for one in fired:
        symbols = list(one.symbols)
        charts = [(s, small_chart(market, s, one.moment, one.level)) for s in symbols[:CHARTS] if s in market.bars.number]
        tell(
            alert.owner, f"alert {alert.id} {alert.armings} {one.moment}", "alert", str(one.moment), one.subject, one.lines,
            place=one.place, symbols=symbols, charts=charts,
        )  # fmt: skip
    stays = KINDS[alert.kind].stays  # what it told is not told again
    last = fired[-1]
    changed: dict[str, Any] = {
        "fired": str(last.moment),
        "said": last.subject[:300],
        "armed": stays,
        "seen": now.key,
        "trouble": "",
    }
    if last.told:
        changed["about"] = {**alert.about, "told": [*alert.about.get("told", ()), *last.told][-MOST_TOLD:]}
    mine.update(**changed)
    return len(fired)


# -- the clock ---------------------------------------------------------------------------------------------------------------


def left_to_clock() -> list[int]:
    return list(BenchItem.objects.filter(paper__isnull=False, deleted__isnull=True).order_by("id").values_list("id", flat=True))


def _played(item_id: int, now: Moment) -> int:
    try:
        return play_on(item_id, evaluator(), now)
    except DatabaseError:
        raise
    except Exception:  # of this one only; it is played on from where it stands with the next moment
        _log.exception("A plan could not be played on: %s", item_id)
        return 0


def _positions_watched(now: Moment) -> int:
    try:
        return watch_all(evaluator(), now)
    except DatabaseError:
        raise
    except Exception:  # watched again from where they stand with the next moment
        _log.exception("Positions could not be watched.")
        return 0


# -- schedules ---------------------------------------------------------------------------------------------------------------


def _schedule(schedule: Schedule, market: Market, now: Moment, after: int, scans: ScansByMoment) -> int:
    told = 0
    for moment in list(due(schedule, market, now, after)):
        try:
            found = scans.at(moment).hits(schedule.owner, schedule.rule.text, schedule.universe or None)
        except (Refused, RuleError, Stopped, ValueError) as error:
            Schedule.objects.filter(id=schedule.id).update(trouble=_sentence(error)[:300], seen=moment.key, ran=str(moment))
            continue
        except DatabaseError:
            raise
        except Exception:
            _log.exception("A schedule could not run: %s", schedule.id)
            Schedule.objects.filter(id=schedule.id).update(trouble=OWN_ERROR, seen=moment.key, ran=str(moment))
            continue
        told += _run(schedule, market, moment, list(found.hits), set(found.fresh))
        schedule.refresh_from_db()
    return told


@transaction.atomic
def _run(schedule: Schedule, market: Market, moment: Moment, hits: list[str], fresh: set[str]) -> int:
    """fresh: hits that were none on the bar before; what is new on a first run, which has none before it to compare with."""
    mine = Schedule.objects.select_for_update().filter(id=schedule.id, seen__lt=moment.key, on=True, deleted__isnull=True)
    if not mine.exists():
        return 0
    first = not schedule.ran
    before = set(hits) - fresh if first else set(schedule.hits)
    new, stayed = [s for s in hits if s not in before], [s for s in hits if s in before]
    gone = sorted(before - set(hits))
    put = hits if first else new  # a list that is to be watched begins with all that hits now
    if schedule.puts and put:
        _put(schedule, market, put)
    mails = schedule.mails and (bool(new) or not schedule.only_new)
    if mails:
        name = schedule.rule.name
        counts = f"{len(new)} new, {len(stayed)} stayed, {len(gone)} gone"
        lines = [
            f"{name}, {'the close' if moment.closed else clock(moment.minute)} of {str(moment)[:10]}: {counts}.",
            "",
            *_named("New", new, market), *_named("Stayed", stayed, market), *_named("Gone", gone, market),
            *([f"{'All hits were' if first else 'What is new was'} put on the list “{schedule.puts}”."] if schedule.puts and put else []),
        ]  # fmt: skip
        charts = [(s, small_chart(market, s, moment)) for s in new[:CHARTS]]
        tell(
            schedule.owner, f"schedule {schedule.id} {moment}", "schedule", str(moment), f"{name}: {counts}", lines,
            place=f"/rules/{schedule.rule_id}", symbols=new, charts=charts,
        )  # fmt: skip
    mine.update(hits=hits, seen=moment.key, ran=str(moment), trouble="")
    return int(mails)


def _named(title: str, symbols: list[str], market: Market) -> list[str]:
    if not symbols:
        return []
    names = market.names or market.bars.symbols
    told = [f"  {s}  {names[market.bars.number[s]]}" if s in market.bars.number else f"  {s}" for s in symbols[:MOST_NAMED]]
    more = [f"  and {len(symbols) - MOST_NAMED} more"] if len(symbols) > MOST_NAMED else []
    return [f"{title}:", *told, *more, ""]


def _put(schedule: Schedule, market: Market, new: list[str]) -> None:
    old = lists_of(schedule.owner).filter(name=schedule.puts).first()
    there = [s for s in (old.symbols if old else []) if s in market.bars.number]
    keep_list(schedule.owner, market, schedule.puts, [*there, *new])


# -- watched rules -----------------------------------------------------------------------------------------------------------


def digest_at(rule: Rule, now: Moment) -> str:
    """Of all that a watched rule's hits at a moment come from: its text, what it names, the members of its universe, the data and the core."""
    try:
        universe = universe_key(rule.owner, evaluator().market, header_in(rule.text, "universe"))[0]
    except Refused:  # said when the rule is scanned
        universe = ""
    return digest_of(rule.text, used_parts(rule.owner, rule.text, rule.name), universe, str(now), data_version(), state_of_core())


def _watched(watched: Watched, digest: str, now: Moment, scans: Scans) -> None:
    rule = watched.rule
    begun = time.perf_counter()
    changed: dict[str, Any]
    try:
        found = scans.hits(rule.owner, rule.text, None)
        changed = {"hits": list(found.hits), "fresh": list(found.fresh), "scanned": found.scanned, "trouble": ""}
    except (Refused, RuleError, Stopped, ValueError) as error:
        changed = {"hits": [], "fresh": [], "trouble": _sentence(error)[:300]}
    except DatabaseError:
        raise
    except Exception:
        _log.exception("A watched rule could not be scanned: %s", rule.id)
        changed = {"hits": [], "fresh": [], "trouble": OWN_ERROR}
    Watched.objects.filter(id=watched.id).update(digest=digest, moment=str(now), seconds=time.perf_counter() - begun, **changed)


def _sentence(error: Exception) -> str:
    if isinstance(error, RuleError):
        return f"Line {error.problems[0].line}: {error.problems[0].message}"
    return error.detail if isinstance(error, Refused) else str(error)
