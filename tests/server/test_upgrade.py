"""Databases that older versions made: brought up to date in place, with everything a person had in them.

The two in `old/` were written by earlier states of this application: a small invented market, an imported symbol with adjusted closes around a
split of two for one, an account with a rule, and in the later one a study of it.
"""

import gzip
import sqlite3
from pathlib import Path

import pytest
from django.core.management import call_command

from tests.commands import run, script

OLD = Path(__file__).parent / "old"
LOOK = """
import django, json; django.setup()
from django.contrib.auth import get_user_model
from upperwick.jobs.models import Job
from upperwick.jobs.services import answer_of
from upperwick.market.load import load_market
from upperwick.rules.models import Rule
from upperwick.studies import runs
market = load_market()
k = market.bars.number["ADJ"]
own = slice(int(market.bars.offsets[k]), int(market.bars.offsets[k + 1]))
user = get_user_model().objects.get(username="ada")
print(json.dumps({
    "bars": len(market.bars), "factor": market.bars.factor[own].tolist(), "rules": [r.name for r in Rule.objects.filter(owner=user)],
    "password": user.check_password("a long password"), "jobs": [runs.told(j) for j in Job.objects.all()],
    "hits": [len(json.loads(answer_of(j))["horizons"]) for j in Job.objects.all()],
}))
"""


@pytest.mark.parametrize("name", ["before-studies-were-kept", "before-jobs"])
def test_an_old_database_opens_with_all_that_was_in_it(tmp_path: Path, name: str) -> None:
    import json

    file = tmp_path / "upperwick.sqlite3"
    file.write_bytes(gzip.decompress((OLD / f"{name}.db.gz").read_bytes()))
    with sqlite3.connect(file) as before:
        rows = before.execute("select sum(rows) from market_barblock").fetchone()[0]
    # Any command that opens the database brings it up to date.
    done = run("scan", "-", "--json", text="close > 1", data=tmp_path)
    assert done.returncode == 0, done.stderr
    look = script(LOOK, data=tmp_path).ended()
    assert look.returncode == 0, look.stderr
    found = json.loads(look.stdout)
    assert found["bars"] == rows
    assert found["factor"] == [1.0] * 25 + [2.0] * 15
    assert found["rules"] == ["Old rule"]
    assert found["password"]
    if name == "before-jobs":
        (job,) = found["jobs"]
        assert (job["kind"], job["state"], job["version"], job["name"]) == ("study", "done", 1, "Old rule")
        assert job["headline"].startswith("No edge shown at 5 bars")
        assert found["hits"] == [1]
    # One more day, as the source of the adjusted closes would write it: nothing is lost, and the scale goes on.
    more = tmp_path / "more.csv"
    more.write_text("symbol,date,open,high,low,close,volume,adj_close\nADJ,2024-03-01,10,10,10,10,100,10\n")
    taken = run("import", str(more), "--json", data=tmp_path)
    assert json.loads(taken.stdout) | {"changes": []} == {
        "import": 1, "symbols": 1, "added": 1, "replaced": 0, "same": 0, "left": 40, "notes": [], "bad_rows": 0, "changes": [],
        "tables": {"bars": {"added": 1, "replaced": 0, "same": 0, "left": 40}},
    }  # fmt: skip
    look = script(LOOK, data=tmp_path).ended()
    assert json.loads(look.stdout)["factor"] == [1.0] * 25 + [2.0] * 16


def test_two_who_ask_the_same_at_one_time_get_one_job(tmp_path: Path) -> None:
    (tmp_path / "upperwick.sqlite3").write_bytes(gzip.decompress((OLD / "before-jobs.db.gz").read_bytes()))
    migrate = "import django; django.setup(); from django.core.management import call_command; call_command('migrate', verbosity=0)"
    assert script(migrate, data=tmp_path).ended().returncode == 0
    ask = """
import django, sys, time; django.setup()
from threading import Barrier, Thread
from django.contrib.auth import get_user_model
from django.db import connection
from upperwick.studies import runs, services
runs.SMALL_BARS = 0
user = get_user_model().objects.get(username="ada")
body = dict(as_of=None, dials={}, universe=None, first=None, last=None, horizons=[7], entry="next-open", repeats="every", cost=0.001,
            slippage=0.0, seed=3, survivors=False, rule_id=None, text="close > sma(9)")
together, found = Barrier(4), []
def one():
    together.wait()
    found.append(services.measure(user, body).id)
    connection.close()
threads = [Thread(target=one) for _ in range(4)]
[t.start() for t in threads]; [t.join() for t in threads]
assert len(found) == 4, found
print(*sorted(set(found)))
"""
    askers = [script(ask, data=tmp_path) for _ in range(2)]
    told = [asker.ended().stdout.strip() for asker in askers]
    assert told[0] == told[1] != ""
    assert " " not in told[0]  # one number, from eight who asked


@pytest.mark.django_db
def test_every_change_of_the_models_has_its_migration() -> None:
    call_command("makemigrations", check=True, dry_run=True, verbosity=0)
