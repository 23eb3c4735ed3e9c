"""What the place Data asks for: who may, the settings of the market, and its jobs."""

from typing import Any
from zoneinfo import available_timezones

from django.contrib.auth import get_user_model

from upperwick.base.errors import Refused
from upperwick.jobs import services as jobs
from upperwick.jobs.models import Job
from upperwick.market.models import DataVersion, Instrument
from upperwick.market.store import another_version
from wickcore.language.problems import nearest


def may(user: Any) -> bool:
    """Whether an account may change the market, which all accounts share: staff, or anybody where nobody is staff."""
    return bool(user.is_staff) or everybody_may()


def everybody_may() -> bool:
    """Whether nobody is staff here, so that every account may change the market."""
    return not get_user_model().objects.filter(is_staff=True, is_active=True).exists()


def allowed(user: Any) -> None:
    """Raises Refused for an account that may not."""
    if not may(user):
        raise Refused("The market is everybody's here: staff bring data in. Ask one of them, or to be made staff.", 403)


def settle(user: Any, benchmark: str | None, zone: str | None) -> None:
    """Chooses the benchmark and the exchange's time zone; None leaves one as it is. Raises Refused."""
    allowed(user)
    changed = {}
    if benchmark is not None:
        symbols = dict.fromkeys(Instrument.objects.filter(blocks__isnull=False).values_list("symbol", flat=True))
        if benchmark and benchmark not in symbols:
            near = nearest(benchmark, list(symbols))
            raise Refused(f"There are no prices of {benchmark}" + (f"; did you mean {near}?" if near else "."))
        changed["benchmark"] = benchmark
    if zone is not None:
        if zone and zone not in available_timezones():
            raise Refused(f"There is no time zone `{zone}`; zones are named as Europe/Helsinki is.")
        changed["zone"] = zone
    latest = DataVersion.objects.last()
    stands = {name: getattr(latest, name) if latest else "" for name in changed}
    if changed != stands:
        said = " and ".join(f"{'time zone' if n == 'zone' else n} {v or 'none'}" for n, v in changed.items())
        another_version(f"Chosen: {said}", **changed)


def ask(user: Any, kind: str, question: dict[str, Any], name: str, subject: int | None = None) -> Job:
    """A job about the data. Raises Refused for an account that may not."""
    allowed(user)
    return jobs.ask(user, kind, question, name=name, subject=("data", subject), again=kind != "data-look")
