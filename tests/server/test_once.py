"""Told and filled exactly once, though the worker be killed at any point."""

import random
from typing import Any

import pytest
from django.db import connection

from tests.server.conftest import Api
from tests.server.standing import RULE, Stand, bars_of, in_days, messages
from upperwick.alerts import look
from upperwick.alerts.models import Alert, Schedule
from upperwick.bench.models import BenchEvent, BenchItem, Fill, PositionNotice
from upperwick.market import services
from upperwick.outbox.models import Message
from upperwick.positions import notices, paper_clock
from wickcore.bars.moment import iso

pytestmark = pytest.mark.django_db


class Killed(BaseException):
    """What ends a process at once: nothing catches it."""


placed: dict[int, dict[str, Any]] = {}


def start_again() -> None:
    """Everything that was left to the clock stands as it did when it was left."""
    Fill.objects.all().delete()
    PositionNotice.objects.all().delete()
    BenchEvent.objects.filter(kind__in=("filled", "moved")).delete()
    BenchEvent.objects.filter(kind="paper", text__startswith="the plan").delete()
    for item in BenchItem.objects.all():
        item.stage, item.paper, item.first_stop, item.watch = "planned", placed[item.id], None, None
        item.save()


def left_to_the_clock(api: Api) -> None:
    """Plans near the price, so that some fill, some are stopped, some reach a target and some end."""
    market = services.open_market().market
    bars, now = market.bars, market.latest
    ends = bars.offsets[1:] - 1
    traded = [symbol for symbol, end in zip(bars.symbols, ends.tolist(), strict=True) if bars.days[end] == now.day]
    for n, symbol in enumerate(traded[:8]):
        close = float(market.bars.close[market.bars.offsets[market.bars.number[symbol] + 1] - 1])
        item = api.post("/bench", {"symbol": symbol}).json()["id"]
        plan = {
            "side": "long", "entry": round(close * (1.004 if n % 2 else 0.99), 2), "stop": round(close * 0.96, 2), "shares": 40,
            "targets": [{"price": round(close * 1.03, 2), "part": 0.5}], "follow": "best - 2 * atr(14)" if n % 3 else "",
            "until": iso(now.day + 4),
        }  # fmt: skip
        assert api.put(f"/bench/{item}/plan", {"plan": plan}).status_code == 204
        answer = api.put(f"/bench/{item}/clock", {})
        assert answer.status_code == 204, answer.content
    placed.update(BenchItem.objects.values_list("id", "paper"))


def run_of(stand: Stand, killed_at: "random.Random | None") -> list[tuple[str, str, str]]:
    """Twelve sessions, each looked at until nothing is left to do; killed at a random statement of the database, then begun again."""
    Message.objects.all().delete()
    Alert.objects.update(armed=True, seen=stand(13).key, fired="", armings=1)
    for alert in Alert.objects.filter(kind="report"):
        alert.about.pop("told", None)
        alert.save()
    Schedule.objects.update(seen=stand(13).key, hits=[], ran="")
    start_again()
    kills = 0
    for back in range(12, -1, -1):
        stand(back)
        while True:
            left = killed_at.randrange(1, 60) if killed_at is not None else 0

            def counted(execute: Any, sql: str, params: Any, many: bool, context: Any) -> Any:
                nonlocal left
                if killed_at is not None:
                    left -= 1
                    if left == 0:
                        raise Killed
                return execute(sql, params, many, context)

            try:
                with connection.execute_wrapper(counted):
                    look.look()
                break
            except Killed:
                kills += 1
                if killed_at is not None and kills % 7 == 0:
                    killed_at.seed(kills)
    run_of.kills = kills  # type: ignore[attr-defined]
    left = [
        (f"fill {i} {f.moment}", f.action, f"{f.shares:g} at {f.price:.4f}")
        for i, f in enumerate(Fill.objects.order_by("item", "id"))
    ]
    stages = [(f"item {i.id}", i.stage, str(i.paper)) for i in BenchItem.objects.order_by("id")]
    return sorted((m.key, m.subject, m.text) for m in messages()) + left + stages


def test_killed_anywhere_every_message_is_there_once(api: Api, stand: Stand, monkeypatch: pytest.MonkeyPatch) -> None:
    for module in (look, paper_clock, notices):
        monkeypatch.setattr(module, "small_chart", lambda *_: b"")
    stand(13)
    rule = api.post("/rules", {"text": RULE}).json()["id"]
    symbol = in_days()
    close = float(bars_of(symbol)["close"][-14])
    for level in (0.99, 1.0, 1.01):
        api.post("/alerts", {"kind": "price", "symbol": symbol, "level": round(close * level, 2), "way": "either"})
    api.post("/alerts", {"kind": "rule", "rule": rule})
    api.post("/alerts", {"kind": "report", "days": 3, "scope": "Harbour 500"})
    api.post("/schedules", {"rule": rule, "puts": "Found"})
    left_to_the_clock(api)
    whole = run_of(stand, None)
    assert len([key for key, _, _ in whole if key.startswith("alert")]) >= 3
    assert {words for _, words, _ in whole} >= {"buy", "sell", "closed", "holding"}
    kills = 0
    for seed in range(40):
        assert run_of(stand, random.Random(seed)) == whole
        kills += run_of.kills  # type: ignore[attr-defined]
        if kills >= 200:
            break
    assert kills >= 200
