"""Studies as they are asked for: kept, repeated, sealed, counted as tries, compared, swept, carried out by a worker."""

import os
from pathlib import Path
from typing import Any

import pytest
from django.contrib.auth import get_user_model
from django.utils import timezone

from tests.commands import Begun, script
from tests.server.conftest import Api
from upperwick.jobs import registry
from upperwick.jobs import services as jobs
from upperwick.jobs.models import Job
from upperwick.studies import runs
from upperwick.studies.models import Try
from upperwick.studies.schemas import CompareRunOut, PartsRunOut, RunOut, SweepRunOut

pytestmark = pytest.mark.django_db
RULE = "universe: Harbour 500\nclose crosses above sma(20)\nvolume > 1"
DIAL = "universe: Harbour 500\ndial reach = 20 from 5 to 60 step 5\nclose crosses above sma(close, reach)"


def measured(api: Api, text: str = RULE, **more: Any) -> dict:
    answer = api.post("/studies", {"text": text, "horizons": [5, 20], **more})
    assert answer.status_code == 200, answer.content
    run = answer.json()
    assert run["state"] == "done", run
    return run


def kept_rule(api: Api, text: str = RULE) -> int:
    return api.post("/rules", {"text": text}).json()["id"]


def test_a_study_is_kept_with_all_that_its_answer_depends_on(api: Api, other: Api) -> None:
    rule = kept_rule(api)
    run = measured(api, api.get(f"/rules/{rule}").json()["text"], rule_id=rule, seed=7)
    RunOut.model_validate(run)
    assert (run["rule_id"], run["version"], run["seed"]) == (rule, 1, 7)
    assert run["seconds"] > 0
    assert run["settings"]["as_of"] == "2024-06-28"
    assert run["result"]["horizons"][0]["bars"] == 5
    assert run["headline"] == run["result"]["verdicts"]["5"]
    assert other.get(f"/studies/{run['id']}").status_code == 404
    assert other.get("/studies").json() == []
    assert [r["id"] for r in api.get(f"/studies?rule_id={rule}").json()] == [run["id"]]
    # A text that is no saved version says so.
    assert measured(api, RULE + "\nclose > 3", rule_id=rule)["version"] is None


def test_the_same_question_is_answered_from_what_is_kept_and_again_with_the_same_bytes(api: Api) -> None:
    first = measured(api)
    assert measured(api)["id"] == first["id"]
    again = api.post("/studies?again=true", {"text": RULE, "horizons": [20, 5]}).json()
    assert again["id"] != first["id"]
    a, b = (bytes(Job.objects.get(id=i).answer) for i in (first["id"], again["id"]))
    assert a == b
    assert measured(api, seed=2)["result"]["horizons"][0]["excess_low"] != first["result"]["horizons"][0]["excess_low"]


def test_a_study_ends_at_the_seal_until_it_is_broken(api: Api, other: Api) -> None:
    rule = kept_rule(api)
    seal = api.get(f"/studies/seal/{rule}").json()
    assert seal["broken"] is None
    sealed = measured(api, rule_id=rule)["result"]
    assert sealed["sealed_from"] == seal["sealed_from"]
    assert max(e["day"] for e in sealed["events"]) < seal["sealed_from"]
    assert all(e["entry_day"] is None or e["entry_day"] < seal["sealed_from"] for e in sealed["events"])
    assert sealed["horizons"][0]["pending"] > 0  # what lies beyond is not looked at
    assert other.post(f"/studies/seal/{rule}").status_code == 404
    broken = api.post(f"/studies/seal/{rule}").json()
    assert (broken["broken"], broken["version"]) == (timezone.now().date().isoformat(), 1)
    api.put(f"/rules/{rule}", {"text": RULE + "\nclose > 4"})
    assert api.post(f"/studies/seal/{rule}").json() == broken  # once, for the version of that day
    whole = measured(api, rule_id=rule)["result"]
    assert max(e["day"] for e in whole["events"]) >= seal["sealed_from"]
    assert whole["before"] == sealed["horizons"]
    assert whole["after"][0]["count"] > 0
    # What was pending at the seal is counted in the whole, and in neither part twice.
    parts = whole["before"][0]["count"] + whole["after"][0]["count"]
    assert parts < whole["horizons"][0]["count"] <= parts + sealed["horizons"][0]["pending"]
    # Another rule's days stay sealed.
    assert measured(api)["result"]["before"] is None


def test_an_evening_before_the_seal_needs_none(api: Api) -> None:
    assert measured(api, as_of="2015-06-30")["result"]["sealed_from"] is None


def test_every_setting_counts_as_a_try_once(api: Api, other: Api) -> None:
    rule = kept_rule(api)
    measured(api, rule_id=rule)
    measured(api, RULE.replace("volume > 1", "# only a note\nvolume > 1"), rule_id=rule)
    measured(api, rule_id=rule, cost=0.002)
    measured(api, rule_id=rule, survivors=True)
    assert api.get(f"/studies/tries?rule_id={rule}&horizon=5").json()["tried"] == 1
    measured(api, RULE.replace("20", "30"), rule_id=rule)
    measured(api, rule_id=rule, entry="signal-close")
    found = api.get(f"/studies/tries?rule_id={rule}&horizon=5").json()
    assert (found["tried"], found["judged"], len(found["rows"])) == (3, 3, 3)
    assert 0 <= found["p"] <= 1
    assert found["best"]["daily"] == max(r["daily"] for r in found["rows"])
    assert other.get(f"/studies/tries?rule_id={rule}&horizon=5").status_code == 404


def test_a_study_is_taken_apart_at_a_horizon(api: Api, other: Api) -> None:
    run = measured(api)
    assert other.post(f"/studies/{run['id']}/parts?horizon=5").status_code == 404
    assert api.post(f"/studies/{run['id']}/parts?horizon=7").status_code == 422
    asked = api.post(f"/studies/{run['id']}/parts?horizon=5").json()
    PartsRunOut.model_validate(asked)
    parts = asked["result"]
    count = run["result"]["horizons"][0]["count"]
    for kind in ("year", "month", "weekday", "sector", "size", "market", "crowd"):
        assert sum(g["count"] for g in parts["breakdowns"][kind]) == count
    assert sum(n["times"] for n in parts["names"]) == count
    assert sum(d["count"] for d in parts["days"]) == run["result"]["hits"]
    assert [p["offset"] for p in parts["path"]] == list(range(-20, 61))
    assert [w["number"] for w in parts["worth"]] == [2, 3]
    assert parts["worth"][1]["more"] >= 0
    assert 0 < len(parts["scatter"]) <= 2_000
    assert {s["count"] for s in parts["stops"]} == {count}
    shares = [s["stopped"] for s in parts["stops"]]
    assert shares == sorted(shares, reverse=True)
    assert shares[0] > 0.5


def test_a_study_among_todays_members_counts_no_delisted_name(api: Api) -> None:
    then, today = (measured(api, as_of="2016-01-04", survivors=only)["result"] for only in (False, True))
    assert today["horizons"][0]["delisted"] == 0
    assert {e["symbol"] for e in today["events"]} < {e["symbol"] for e in then["events"]}


def test_a_study_over_a_list_says_whose_hindsight_it_is(api: Api) -> None:
    hits = api.post("/scan", {"text": "close > 0"}).json()["hits"]
    api.post("/lists", {"name": "Few", "symbols": [h["symbol"] for h in hits[:4]]})
    assert measured(api, "universe: Few\nclose crosses above sma(20)")["result"]["lists"] == ["Few"]


def test_one_hit_as_it_was_traded(api: Api, other: Api) -> None:
    run = measured(api)
    event = next(e for e in run["result"]["events"] if e["returns"]["5"] is not None)
    address = f"/studies/{run['id']}/trade?symbol={event['symbol']}&day={event['day']}&horizon="
    trade = api.get(address + "5").json()
    assert (trade["entry_day"], trade["entry"]) == (event["entry_day"], event["entry"])
    assert trade["value"] == pytest.approx(event["returns"]["5"])
    assert trade["exit_day"] > trade["entry_day"]
    assert trade["adverse"] <= 0 <= trade["favourable"]
    assert api.get(address + "6").status_code == 422
    assert api.get(address.replace(event["day"], "1999-01-01") + "5").status_code == 404
    assert other.get(address + "5").status_code == 404


def test_two_settings_side_by_side(api: Api) -> None:
    base = {"text": RULE, "horizons": [5, 20]}
    changed = {**base, "text": RULE + "\nrel_volume(20) > 1"}
    run = api.post("/studies/compare", {"first": base, "second": changed, "horizon": 5}).json()
    CompareRunOut.model_validate(run)
    assert run["state"] == "done", run
    found = run["result"]
    assert found["only_second"] == 0  # a line can only remove
    assert found["both"] == found["second"]["hits"]
    assert found["both"] + found["only_first"] == found["first"]["hits"]
    assert len(found["events_first"]) == min(500, found["only_first"])
    five = found["differences"][0]
    assert five["excess"] == pytest.approx(found["second"]["horizons"][0]["excess"] - found["first"]["horizons"][0]["excess"])
    assert five["low"] < five["excess"] < five["high"]
    assert api.post("/studies/compare", {"first": base, "second": base, "horizon": 7}).status_code == 422
    assert run["beside"] == "another text or universe"


def test_a_comparison_says_what_the_rule_was_set_beside(api: Api) -> None:
    rule = kept_rule(api, DIAL)
    text = api.get(f"/rules/{rule}").json()["text"]
    base = {"text": text, "rule_id": rule, "horizons": [5]}
    for change, said in (
        ({}, "the same rule"),
        ({"dials": {"reach": 30}}, "reach 30"),
        ({"entry": "signal-close", "survivors": True}, "entry at the signal’s close, today’s members only"),
        ({"text": text + "\nclose > 1"}, "another text or universe"),
    ):
        run = api.post("/studies/compare", {"first": {**base, **change}, "second": base, "horizon": 5}).json()
        assert run["beside"] == said


def test_dials_are_turned_and_every_setting_is_counted(api: Api) -> None:
    rule = kept_rule(api, DIAL)
    body = {
        "study": {"text": DIAL, "horizons": [5], "rule_id": rule},
        "horizon": 5,
        "dials": [{"name": "reach", "low": 10, "high": 20, "step": 5}],
    }
    run = api.post("/studies/sweep", body).json()
    assert run["state"] == "done", run
    SweepRunOut.model_validate(run)
    cells = run["result"]["cells"]
    assert [c["values"] for c in cells] == [[10], [15], [20]]
    one = measured(api, DIAL, dials={"reach": 15})["result"]["horizons"][0]
    assert (cells[1]["count"], cells[1]["excess"]) == (one["count"], pytest.approx(one["excess"]))
    assert run["result"]["verdict"].startswith("3 settings tried at 5 bars.")
    assert api.get(f"/studies/tries?rule_id={rule}&horizon=5").json()["tried"] == 3
    for changed, words in (
        ({"name": "depth"}, "no dial named depth"),
        ({"step": 0}, "steps above zero"),
        ({"high": 90}, "60"),
    ):
        answer = api.post("/studies/sweep", {**body, "dials": [{**body["dials"][0], **changed}]})
        assert answer.status_code == 422
        assert words in answer.json()["detail"]


def test_a_large_run_waits_for_the_worker_is_stopped_and_replaced(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(runs, "SMALL_BARS", 0)
    waiting = api.post("/studies", {"text": RULE, "horizons": [5]}).json()
    assert (waiting["state"], waiting["result"]) == ("waiting", None)
    assert api.post("/studies", {"text": RULE, "horizons": [5]}).json()["id"] == waiting["id"]
    other_question = api.post("/studies", {"text": RULE, "horizons": [20]}).json()
    assert api.get(f"/studies/{waiting['id']}").json()["state"] == "stopped"
    assert api.delete(f"/studies/{other_question['id']}").json()["state"] == "stopped"
    jobs.carry_out(other_question["id"])  # the queue still names it
    assert api.get(f"/studies/{other_question['id']}").json()["state"] == "stopped"
    once_more = api.post(f"/studies/{other_question['id']}/again").json()
    assert once_more["state"] == "waiting"
    jobs.carry_out(once_more["id"])
    assert api.get(f"/studies/{once_more['id']}").json()["state"] == "done"


def test_a_run_without_a_sign_of_life_was_interrupted(api: Api) -> None:
    run = measured(api)
    long_ago = timezone.now() - timezone.timedelta(minutes=5)
    Job.objects.filter(id=run["id"]).update(state="running", beat=long_ago)
    found = api.get(f"/studies/{run['id']}").json()
    assert found["state"] == "interrupted"
    assert Job.objects.get(id=run["id"]).state == "running"  # looking writes nothing
    assert "can be run again" in found["detail"]
    assert api.post(f"/studies/{run['id']}/again").json()["state"] == "done"


def test_an_error_of_the_studys_own_is_a_sentence(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    def broken(*_: object) -> None:
        raise ZeroDivisionError

    monkeypatch.setitem(registry.KINDS, "study", registry.Kind(broken, lambda: "1", "asked"))
    run = api.post("/studies", {"text": RULE, "horizons": [5]}).json()
    assert (run["state"], run["detail"]) == ("failed", "This met an error of its own; it is written in the server's log.")


def test_tries_go_with_their_rule(api: Api) -> None:
    rule = kept_rule(api)
    measured(api, rule_id=rule)
    get_user_model().objects.all().delete()
    assert not Try.objects.exists()
    assert not Job.objects.exists()


def test_an_answer_of_another_state_of_the_core_or_the_data_is_not_taken_for_this_one(api: Api, monkeypatch: Any) -> None:
    """After an update a measure may be computed otherwise: the same question is answered anew, and the older study is not taken apart by the
    newer core beside its own figures."""
    first = measured(api)
    assert measured(api)["id"] == first["id"]
    assert api.post(f"/studies/{first['id']}/parts?horizon=5").status_code == 200
    monkeypatch.setattr(jobs, "state_of_core", lambda: "of a later version")
    refused = api.post(f"/studies/{first['id']}/parts?horizon=5")
    assert refused.status_code == 409
    assert "measure it again" in refused.json()["detail"]
    second = measured(api)
    assert second["id"] != first["id"]
    assert api.post(f"/studies/{second['id']}/parts?horizon=5").status_code == 200
    assert api.get(f"/studies/{first['id']}").json()["result"] is not None  # what was measured before stays to be read


SCRIPT = """
import django; django.setup()
from django.contrib.auth import get_user_model
from upperwick.market.demo import save_demo
from upperwick.market.store import save_tables
from upperwick.jobs.services import find
from upperwick.studies import runs, services
from wickcore.demo.market import make_market
import sys
runs.SMALL_BARS = 0
user, new = get_user_model().objects.get_or_create(username="ada")
body = dict(as_of=None, dials={}, universe=None, first=None, last=None, horizons=[5], entry="next-open", repeats="every",
            cost=0.001, slippage=0.0, seed=1, survivors=False, rule_id=None, text=sys.argv[1])
if sys.argv[2] == "ask":
    print(services.measure(user, body).id)
else:
    from django.conf import settings
    from watchfiles import watch
    # Looked at whenever something was written.
    for _ in watch(settings.DATA_DIR, debounce=50, step=20, rust_timeout=500, yield_on_timeout=True):
        if (state := find(user, int(sys.argv[2])).state) in sys.argv[3:]: break
    print(state)
"""


def test_a_worker_answers_and_one_that_is_killed_leaves_an_interrupted_run(tmp_path: Path) -> None:
    env = {**os.environ, "UPPERWICK_DATA": str(tmp_path), "DJANGO_SETTINGS_MODULE": "upperwick.settings"}
    made = (
        "import django; django.setup(); from upperwick.market.demo import save_demo; from wickcore.demo.market import make_market; "
    )
    made += "from django.core.management import call_command; call_command('migrate', verbosity=0); "
    assert script(made + "save_demo(make_market(listed=12, delisted=2, index_within=20))", data=tmp_path).ended().returncode == 0

    def call(text: str, *what: str) -> str:
        done = script(SCRIPT, text, *what, data=tmp_path).ended()
        assert done.returncode == 0, done.stderr
        return done.stdout.strip()

    def until(text: str, number: str, state: str) -> None:
        assert call(text, number, state) == state

    quick, endless = "close > sma(20)", "\n".join(f"corr(close, volume, {n}) > 0" for n in range(300, 420))
    first = Begun(["worker"], env)
    try:
        number = call(quick, "ask")
        until(quick, number, "done")
        second = Begun(["worker"], env).ended()
        assert second.returncode == 2
        assert "already" in second.stderr
        number = call(endless, "ask")
        until(endless, number, "running")
        first.process.kill()
        first.process.join(10)
        first = Begun(["worker"], env)
        until(endless, number, "interrupted")
    finally:
        first.process.kill()
        first.process.join(10)
