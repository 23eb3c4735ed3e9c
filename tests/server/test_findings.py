"""Findings through the application: looked for when the data change, shown, settled in every way, and told to studies."""

from datetime import date
from pathlib import Path
from typing import Any

import pytest

from tests.server.conftest import Api
from upperwick.data.importing.import_service import take
from upperwick.data.importing.undo import undo
from upperwick.data.models import Import, Settled
from upperwick.data.quality import findings
from upperwick.data.reading.answers import Answers
from upperwick.data.reading.batch import read_all
from upperwick.market import load
from upperwick.market.load import evaluator
from upperwick.market.models import Finding, Split
from wickcore.bars.moment import iso

pytestmark = pytest.mark.django_db


@pytest.fixture(autouse=True)
def own_market(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(load, "_held", None)  # what is rolled back leaves the number of its version to another


@pytest.fixture
def faulty(tmp_path: Path) -> tuple[str, date]:
    """A share of the demo whose price is halved from a day on, without a split, and a wild close before. Returns its symbol and that day."""
    bars = evaluator().market.bars
    k = next(
        k
        for k, s in enumerate(bars.symbols)
        if evaluator().market.texts["kind"][k] == "share" and bars.offsets[k + 1] - bars.offsets[k] > 2900
    )
    first, end = int(bars.offsets[k]), int(bars.offsets[k + 1])
    rows = ["symbol,date,open,high,low,close,volume"]
    for i in range(end - 30, end):
        prices = [float(bars.open[i]) / 2, float(bars.high[i]) / 2, float(bars.low[i]) / 2, float(bars.close[i]) / 2]
        rows.append(f"{bars.symbols[k]},{iso(bars.days[i])},{','.join(map(repr, prices))},{bars.volume[i]}")
    i = first + 1000
    wild = float(bars.close[i]) * 6
    rows.append(f"{bars.symbols[k]},{iso(bars.days[i])},{bars.open[i]},{wild},{bars.low[i]},{wild},{bars.volume[i]}")
    file = tmp_path / "faulty.csv"
    file.write_text("\n".join(rows) + "\n")
    take(read_all([file], Answers()), source="test")
    findings.look_through()
    return bars.symbols[k], date.fromisoformat(iso(bars.days[end - 30]))


def test_the_demo_has_none(api: Api) -> None:
    assert not findings.is_fresh()
    assert findings.look_through() == 0
    found = api.get("/data").json()["findings"]
    assert found == {"fresh": True, "kinds": [], "open": [], "settled": 0}


def test_what_is_found_is_shown_with_its_ways(api: Api, faulty: tuple[str, date]) -> None:
    symbol, day = faulty
    found = api.get("/data").json()["findings"]
    assert {k["kind"] for k in found["kinds"]} == {"split", "spike", "within"}  # its five-minute bars are still those of before
    split = next(f for f in found["open"] if f["kind"] == "split")
    assert (split["symbol"], split["day"]) == (symbol, day.isoformat())
    assert "near a split of 2 for 1" in split["said"]
    assert [w["way"] for w in split["ways"]] == ["split", "true", "out", "never"]
    chart = api.post("/charts", {"symbols": [symbol], "as_of": day.isoformat(), "bars": 60}).json()
    assert len(chart[0]["days"]) == 60


def settled(api: Api, symbol: str, day: str, kind: str, how: str) -> Any:
    return api.post("/data/findings", {"kind": kind, "symbol": symbol, "day": day, "how": how})


def test_taken_as_a_split_it_is_one(api: Api, faulty: tuple[str, date]) -> None:
    symbol, day = faulty
    assert settled(api, symbol, day.isoformat(), "split", "split").status_code == 204
    assert Split.objects.get(instrument__symbol=symbol, day=day).ratio == 2
    assert not Finding.objects.filter(kind="split", open=True).exists()
    findings.look_through()
    assert not Finding.objects.filter(kind="split").exists()
    one = Import.objects.first()
    assert one is not None
    undo(one.id)
    findings.look_through()
    assert Finding.objects.filter(kind="split", open=True).exists()  # nobody has settled what was taken back


def test_left_out_the_bar_is_gone_and_comes_back(api: Api, faulty: tuple[str, date]) -> None:
    symbol, _ = faulty
    spike = Finding.objects.get(kind="spike")
    bars = evaluator().market.bars
    before = bars.offsets[bars.number[symbol] + 1] - bars.offsets[bars.number[symbol]]
    assert settled(api, symbol, spike.day.isoformat(), "spike", "out").status_code == 204
    bars = evaluator().market.bars
    k = bars.number[symbol]
    assert bars.offsets[k + 1] - bars.offsets[k] == before - 1
    findings.look_through()
    assert not Finding.objects.filter(symbol=symbol, kind="missing", open=True).exists()  # it is meant to be missing
    one = Import.objects.first()
    assert one is not None
    assert "left out" in one.what
    undo(one.id)
    again = evaluator().market.bars
    part = slice(int(again.offsets[k]), int(again.offsets[k + 1]))
    assert part.stop - part.start == before
    wild = [float(c) for d, c in zip(again.days[part], again.close[part], strict=True) if iso(d) == spike.day.isoformat()]
    assert len(wild) == 1


def test_taken_as_true_or_never_asked_again(api: Api, faulty: tuple[str, date]) -> None:
    symbol, day = faulty
    spike = Finding.objects.get(kind="spike")
    assert settled(api, symbol, spike.day.isoformat(), "spike", "true").status_code == 204
    assert settled(api, symbol, day.isoformat(), "split", "never").status_code == 204
    findings.look_through()
    assert set(Finding.objects.filter(open=True).values_list("kind", flat=True)) == {"within"}
    assert Settled.objects.get(kind="split").day == findings.EVER
    assert api.post("/data/findings/again", {"kind": "split", "symbol": symbol, "day": day.isoformat()}).status_code == 204
    assert Finding.objects.filter(kind="split", open=True).exists()


def test_what_cannot_be_settled_is_a_sentence(api: Api, faulty: tuple[str, date]) -> None:
    symbol, day = faulty
    assert settled(api, symbol, "2020-01-01", "split", "true").status_code == 404
    refused = settled(api, symbol, Finding.objects.filter(kind="within").first().day.isoformat(), "within", "split")  # type: ignore[union-attr]
    assert refused.status_code == 422
    assert settled(api, symbol, day.isoformat(), "split", "burn").status_code == 422


def test_studies_are_told_how_many_touch_their_universe(faulty: tuple[str, date]) -> None:
    symbol, _ = faulty
    assert findings.open_in(None) == Finding.objects.filter(open=True).count() > 1
    assert findings.open_in([symbol]) == findings.open_in(None)
    assert findings.open_in(["HARBOUR"]) == 0


def test_nothing_is_settled_of_data_that_have_changed_since(api: Api, faulty: tuple[str, date], tmp_path: Path) -> None:
    """A bar that was corrected meanwhile must not be left out for what it was."""
    symbol, _ = faulty
    spike = Finding.objects.get(kind="spike")
    file = tmp_path / "mended.csv"
    file.write_text(f"symbol,date,open,high,low,close,volume\n{symbol},{spike.day},10,10,10,10,5\n")
    take(read_all([file], Answers()), source="test")
    refused = settled(api, symbol, spike.day.isoformat(), "spike", "out")
    assert (refused.status_code, "looked through again" in refused.json()["detail"]) == (409, True)
