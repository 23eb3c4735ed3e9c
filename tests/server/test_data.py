"""The place Data through the API: what is there, files looked at and taken, undone, written out; and who may."""

import io
import json
import zipfile
from typing import Any

import pytest
from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile

from tests.server.conftest import Api
from upperwick.data.reading.tables import TABLES
from upperwick.jobs import services as jobs
from upperwick.market.models import DataVersion, OwnFact

pytestmark = pytest.mark.django_db
OWN = "symbol;day;name;value\nZZA;03/04/2024;tone;1,5\n"


def sent(api: Api, **files: str) -> str:
    return sent_files(api, {name.replace("__", "."): text.encode() for name, text in files.items()})


def sent_files(api: Api, files: dict[str, bytes]) -> str:
    given = [SimpleUploadedFile(name, content) for name, content in files.items()]
    answer = api.client.post("/api/data/uploads", {"files": given})
    assert answer.status_code == 200, answer.content
    return str(answer.json()["upload"])


def ended(api: Api, answer: Any) -> dict[str, Any]:
    """The job as the worker leaves it: it is carried out here."""
    assert answer.status_code == 200, answer.content
    jobs.carry_out(answer.json()["id"])
    found = api.get(f"/data/jobs/{answer.json()['id']}").json()
    assert found["state"] in ("done", "failed"), found
    return dict(found)


def test_what_is_there(api: Api) -> None:
    found = api.get("/data").json()
    assert found["may"]
    assert found["benchmark"] == "HARBOUR"
    day, five = found["frames"]
    assert (five["frame"], five["first"], five["last"]) == ("5min", "2023-07-06T09:30", "2024-06-28T15:55")
    assert (day["frame"], day["first"], day["last"]) == ("day", "2012-07-02", "2024-06-28")
    assert sum(y["bars"] for y in day["years"]) == day["bars"]
    assert {k["kind"] for k in found["kinds"]} == {"share", "fund", "index"}
    assert [t["name"] for t in found["tables"]] == list(TABLES)
    assert {f["table"] for f in found["facts"]} == {"splits", "dividends", "reports", "overnight", "calendar"}


def test_a_file_is_looked_at_asked_about_taken_and_taken_back(api: Api) -> None:
    upload = sent(api, tone__csv=OWN)
    looked = ended(api, api.post("/data/look", {"upload": upload}))
    (file,) = looked["result"]["look"]["files"]
    assert (file["table"], file["decimal"], file["rows"]) == ("own", "comma", 1)
    (question,) = file["questions"]
    assert question["ask"] == "Which day is 03/04/2024?"
    refused = ended(api, api.post("/data/import", {"upload": upload}))
    assert refused["state"] == "failed"
    assert "Answer that first; nothing was taken." in refused["detail"]
    said = {"upload": upload, "answers": {"tone.csv": {"dates": "day first"}}}
    assert ended(api, api.post("/data/look", said))["result"]["look"]["tables"]["own"]["added"] == 1
    made = ended(api, api.post("/data/import", said))
    assert OwnFact.objects.get().value == 1.5
    assert api.get("/market").json()["own"] == ["tone"]  # may be written in rules before prices come: unknown until then
    assert api.post("/data/look", said).status_code == 404  # it is taken, and no longer kept
    (latest, *_) = api.get("/data/imports").json()
    assert (latest["id"], latest["undoable"], latest["by"]) == (made["result"]["made"], True, "ada")
    ended(api, api.post(f"/data/imports/{latest['id']}/undo"))
    assert not OwnFact.objects.exists()


def test_a_fact_of_ones_own_is_a_line_of_a_rule(api: Api) -> None:
    symbol = api.post("/scan", {"text": "close > 0", "dials": {}, "columns": []}).json()["hits"][0]["symbol"]
    upload = sent(api, own__csv=f"symbol,day,name,value\n{symbol},2024-06-20,My score,7\n")
    ended(api, api.post("/data/import", {"upload": upload}))
    assert api.get("/market").json()["own"] == ["my_score"]
    scan = api.post("/scan", {"text": "own.my_score > 5\nown_age.my_score <= 10", "dials": {}, "columns": ["own.my_score"]}).json()
    assert [hit["symbol"] for hit in scan["hits"]] == [symbol]
    facts = api.get(f"/facts/{symbol}").json()
    assert [(f["text"], f["value"]) for f in facts["figures"] if f["text"].startswith("own")] == [("own.my_score", 7.0)]


def test_bad_rows_are_named_and_left_out_only_when_that_is_said(api: Api) -> None:
    text = "symbol,day,ratio\nZZA,2024-01-02,2\nZZB,2024-01-02,-1\n"
    upload = sent(api, splits__csv=text)
    looked = ended(api, api.post("/data/look", {"upload": upload}))["result"]["look"]
    assert looked["bad"] == ["splits.csv, line 3: ratio `-1` is not above zero."]
    assert ended(api, api.post("/data/import", {"upload": upload}))["state"] == "failed"
    made = ended(api, api.post("/data/import", {"upload": upload, "skip_bad": True}))
    assert made["headline"].startswith("splits.csv: 1 splits")


def test_everything_is_written_out_and_fetched(api: Api) -> None:
    made = ended(api, api.post("/data/export", {"text": False}))
    answer = api.get(f"/data/exports/{made['id']}")
    with zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content))) as packed:
        said = json.loads(packed.read("datapackage.json"))
        assert set(packed.namelist()) == {"datapackage.json", *(r["path"] for r in said["resources"])}
    assert said["market"]["benchmark"] == "HARBOUR"


def test_what_cannot_be_sent_is_a_sentence(api: Api) -> None:
    assert (
        "none of the files" in api.client.post("/api/data/uploads", {"files": [SimpleUploadedFile("a.exe", b"?")]}).json()["detail"]
    )
    broken = sent(api, a__csv="what,ever\n1,2\n")
    look = ended(api, api.post("/data/look", {"upload": broken}))["result"]["look"]
    (question,) = look["files"][0]["questions"]
    assert question["ask"] == (
        "a.csv has no column date, open, high, low, close; bars need date, open, high, low, close. Its columns are what, ever. "
        "Say what each of them means."
    )
    found = ended(api, api.post("/data/import", {"upload": broken}))
    assert found["state"] == "failed"
    assert "a.csv has no column date" in found["detail"]
    assert api.post("/data/look", {"upload": "../../etc"}).status_code == 404


def test_the_benchmark_and_the_zone_are_chosen(api: Api) -> None:
    assert api.put("/data/choices", {"benchmark": "BEACON", "zone": "Europe/Helsinki"}).status_code == 204
    latest = DataVersion.objects.last()
    assert (latest.benchmark, latest.zone) == ("BEACON", "Europe/Helsinki")
    assert "did you mean BEACON?" in api.put("/data/choices", {"benchmark": "BEACN"}).json()["detail"]
    assert "There is no time zone" in api.put("/data/choices", {"zone": "Harbour"}).json()["detail"]
    assert DataVersion.objects.last().id == latest.id


def test_where_there_are_staff_only_they_change_the_market_and_uploads_are_ones_own(api: Api, other: Api) -> None:
    upload = sent(api, tone__csv=OWN)
    assert other.post("/data/look", {"upload": upload}).status_code == 404
    get_user_model().objects.filter(username="ada").update(is_staff=True)
    assert not other.get("/data").json()["may"]
    for answer in (
        other.client.post("/api/data/uploads", {"files": [SimpleUploadedFile("a.csv", b"x")]}),
        other.post("/data/export", {}),
        other.put("/data/choices", {"benchmark": "BEACON"}),
    ):
        assert answer.status_code == 403
        assert "staff bring data in" in answer.json()["detail"]
    mine = api.post("/data/look", {"upload": upload})
    assert other.get(f"/data/jobs/{mine.json()['id']}").status_code == 404


@pytest.mark.parametrize("name", [n for n in TABLES if n not in ("bars", "calendar")])
def test_a_file_of_every_table_is_looked_at_taken_and_taken_back(api: Api, name: str) -> None:
    """As the table's own description has it: one row of each, of an instrument that is there."""
    said = {"text": "Harbour 500", "day": "2024-06-27", "number": "2.5", "above zero": "2.5", "truth": "true"}
    cells = {c.name: c.choices[0] if c.choices else "ISTYAR" if c.name == "symbol" else said[c.kind] for c in TABLES[name].columns}
    if name == "own":
        cells["name"] = "tone"
    cells["symbol"] = DataVersion.objects.last().benchmark
    if "currency" in cells:
        cells["currency"] = "EUR"
    upload = sent(api, **{f"{name}__csv": ",".join(cells) + "\n" + ",".join(cells.values()) + "\n"})
    looked = ended(api, api.post("/data/look", {"upload": upload}))
    assert looked["state"] == "done", looked
    (file,) = looked["result"]["look"]["files"]
    assert (file["table"], file["questions"]) == (name, [])
    made = ended(api, api.post("/data/import", {"upload": upload}))
    assert made["state"] == "done", made
    undone = ended(api, api.post(f"/data/imports/{api.get('/data').json()['imports'][0]['id']}/undo", {}))
    assert undone["state"] == "done", undone
