"""What people and files called things, in pages, tables and mails that leave: never as markup, a formula or another header."""

import csv
import email
import email.policy
import errno
import io
import json
import re
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

import pytest

from tests.server.conftest import Api
from tests.server.strangers import hostile
from tests.server.test_data import ended, sent_files
from tests.server.test_position_watch import QUIET, bring, hold, plan
from tests.server.test_studies import measured
from upperwick.alerts.look import look
from upperwick.base.outgoing import in_csv, in_header
from upperwick.data.importing import uploads
from upperwick.data.reading.symbols import wrong_symbol
from upperwick.market.models import Instrument
from upperwick.outbox.mail import tell
from upperwick.outbox.models import Message

MARKUP = "<img src=x onerror=alert(1)>"
FORMULA = '=HYPERLINK("http://x","y")'
# As they may lie in a database from before symbols were looked at.
SYMBOLS = ('=Z"<XMP>', "+ZZ'A", "@ZZ&B")


class Tags(HTMLParser):
    """The tags of a page, with their attributes."""

    def __init__(self, page: str) -> None:
        super().__init__()
        self.seen: list[tuple[str, dict[str, str | None]]] = []
        self.feed(page)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        self.seen.append((tag, dict(attrs)))


def ensure_harmless(page: str) -> None:
    for tag, attributes in Tags(page).seen:
        assert tag not in ("script", "iframe", "object", "xmp"), (tag, attributes)
        assert not any(name.startswith("on") for name in attributes), attributes
        assert attributes.get("src") != "x"


def ensure_no_formula(text: str) -> None:
    for row in csv.reader(io.StringIO(text)):
        for cell in row:
            assert not re.match(r"[=+@\t\r]", cell), cell
            assert not cell.startswith("-") or re.fullmatch(r"-[\d.eE+-]+|-inf", cell), cell


@pytest.fixture
def market(empty_market: None) -> None:
    for at, symbol in enumerate(SYMBOLS):
        bring(symbol, [QUIET if i % 7 else (46.0, 50.0 + at, 45.0, 49.0) for i in range(59)])
    Instrument.objects.update(name=MARKUP, sector=FORMULA)


def test_hostile_names_leave_as_text(api: Api, market: None) -> None:
    text = f"name: Odd {MARKUP}\n\nclose > open"
    rule = api.post("/rules", {"text": text}).json()
    run = measured(api, text)
    assert api.post(f"/studies/{run['id']}/parts?horizon=5").json()["state"] == "done"
    ensure_harmless(api.get(f"/studies/{run['id']}/report?horizon=5").content.decode())

    book = (
        f'name: {FORMULA}\nabout: {MARKUP}\nstart: 50k\nslots: 3\n\nenter "{rule["name"]}" at next open\nexit when bars_held >= 3\n'
    )
    made = api.post("/books", {"text": book})
    assert made.status_code == 200, made.content
    ran = api.post("/books/runs", {"text": made.json()["text"], "book_id": made.json()["id"]}).json()
    assert ran.get("state") == "done", ran
    ensure_harmless(api.get(f"/books/runs/{ran['id']}/report").content.decode())
    for what in ("trades", "equity"):
        answer = api.get(f"/books/runs/{ran['id']}/file?what={what}")
        assert "\n" not in answer["Content-Disposition"]
        ensure_no_formula(answer.content.decode())
        assert json.loads(api.get(f"/books/runs/{ran['id']}/file?what={what}&kind=json").content)
    ensure_no_formula(api.post("/breadths/csv", {"text": "close > open"}).content.decode())

    item = hold(api, SYMBOLS[0], at=58)
    plan(api, item, 44.0)
    bring(SYMBOLS[0], [(43.0, 43.5, 42.0, 42.5)], first=59)
    look()
    api.post("/lists", {"name": MARKUP, "symbols": list(SYMBOLS)})
    message = Message.objects.get()
    parsed = email.message_from_bytes(bytes(message.raw), policy=email.policy.default)
    pages = [part.get_content() for part in parsed.walk() if part.get_content_type() == "text/html"]
    assert pages
    for page in pages:
        ensure_harmless(page)
    contents = {str(part["Content-ID"]) for part in parsed.walk() if part["Content-ID"]}
    assert {f"<{src}>" for src in re.findall(r'src="cid:([^"]+)"', pages[0])} == contents


def test_a_subject_is_one_header(api: Api, django_user_model: Any) -> None:
    owner = django_user_model.objects.get(username="ada")
    tell(
        owner,
        "k",
        "alert",
        "2024-06-28",
        "Odd\r\nBcc: all@example.com\u2028x" + "y" * 2_000,
        ["line"],
        charts=[(SYMBOLS[0], b"png")],
    )
    parsed = email.message_from_bytes(bytes(Message.objects.get().raw), policy=email.policy.default)
    assert parsed["Bcc"] is None
    assert len(parsed["Subject"]) <= 300


def test_numbers_are_left_alone_and_texts_that_would_be_formulas_are_not() -> None:
    assert [in_csv(v) for v in (-1.5, None, "plain", "-a", "=1", "+1", "@x", "\tx")] == [
        -1.5, None, "plain", "'-a", "'=1", "'+1", "'@x", "'\tx",
    ]  # fmt: skip
    assert in_header(" a\n\tb ") == "a b"


@pytest.mark.parametrize("symbol", [*SYMBOLS, MARKUP, "A,B", 'A"', "A\\B", "A;B", "{A}", "", "A" * 33, "A\u200b"])
def test_a_symbol_that_could_be_markup_or_a_formula_is_refused_at_import(symbol: str) -> None:
    assert wrong_symbol(symbol)


@pytest.mark.parametrize("symbol", ["A", "BRK.B", "RDS-A", "^GSPC", "BF/B", "ES=F", "005930.KS", "ÅF B", "$SPX", "T&N", "7203"])
def test_symbols_as_exchanges_have_them_are_taken(symbol: str) -> None:
    assert wrong_symbol(symbol) == ""


def test_no_file_at_a_look_is_an_error_of_the_server_s_own_nor_tells_where_it_lies(api: Api, settings: Any, tmp_path: Path) -> None:
    settings.DATA_DIR = tmp_path
    looked = 0
    for n in range(30):
        name, content = hostile(n)
        if Path(name).suffix not in uploads.TAKEN:
            continue
        job = ended(api, api.post("/data/look", {"upload": sent_files(api, {name: content or b" "})}))
        text = json.dumps(job)
        assert job["state"] == "done" or (job["detail"] and "error of its own" not in job["detail"]), (name, job["detail"])
        assert str(tmp_path) not in text, (name, text)
        assert "/tmp" not in text, (name, text)
        assert api.get(f"/data/exports/{job['id']}").status_code == 404  # a look is no export
        looked += 1
    assert looked > 20


def test_an_upload_onto_a_full_disk_is_said_and_leaves_nothing(
    api: Api, monkeypatch: pytest.MonkeyPatch, settings: Any, tmp_path: Path
) -> None:
    settings.DATA_DIR = tmp_path
    opened = Path.open

    def full(self: Path, *how: Any, **more: Any) -> Any:
        if "uploads" in self.parts:
            raise OSError(errno.ENOSPC, "No space left on device", str(self))
        return opened(self, *how, **more)

    monkeypatch.setattr(Path, "open", full)
    from django.core.files.uploadedfile import SimpleUploadedFile

    answer = api.client.post("/api/data/uploads", {"files": [SimpleUploadedFile("a.csv", b"symbol,date,close\n")]})
    assert answer.status_code == 503
    assert "disk is full" in answer.json()["detail"]
    assert str(tmp_path) not in answer.content.decode()
    assert list(uploads.room().iterdir()) == []


def test_a_rule_that_is_too_heavy_says_what_makes_it_so(api: Api, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr("upperwick.market.services.REQUEST_SECONDS", 1e-6)
    answer = api.post("/scan", {"text": "corr(close, volume, 4999) > percentile(corr(close, high, 4990), 4999)"})
    heavy = answer.json()
    assert answer.status_code == 422, heavy
    assert re.search(r"`\w+` over [\d and]+ bars", heavy["detail"]), heavy
