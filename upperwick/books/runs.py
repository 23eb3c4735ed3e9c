"""Runs of books as jobs: what is asked of them, how a run is told, and what is looked up in one."""

import io
import json
from datetime import date
from typing import Any

import numpy as np
from django.db import transaction

from upperwick.base.errors import Refused
from upperwick.base.outgoing import rows_in_csv
from upperwick.books import services
from upperwick.books.cache_key import Question, question_of, set_up
from upperwick.books.models import BookSeal
from upperwick.books.report import page
from upperwick.books.work import ran
from upperwick.jobs import services as jobs
from upperwick.jobs.admission import in_turn
from upperwick.jobs.models import Job
from upperwick.market.services import open_market, request_limits
from upperwick.studies.cache_key import seal_day
from upperwick.studies.runs import SMALL_BARS
from wickcore.bars.frame_names import MINUTES
from wickcore.bars.moment import iso
from wickcore.book.figures import returns_of
from wickcore.book.orders import orders
from wickcore.book.output import equity_rows, order_row, position_row, signal_rows, trade_row
from wickcore.book.paths import annual
from wickcore.book.prepare import Prepared
from wickcore.book.run import BookRun, Trade, called
from wickcore.book.settings import BookChoice, chosen_from, words_of
from wickcore.book.tape import OUTCOMES
from wickcore.book.trade_levels import levels, why
from wickcore.book.whatif import difference_interval
from wickcore.study.sweep import MOST_CELLS, steps_of

KINDS = ("book", "book-luck", "book-what-if", "book-sweep", "book-walk")
FILES = {"csv": "text/csv; charset=utf-8", "json": "application/json", "parquet": "application/vnd.apache.parquet"}


def start(owner: Any, body: dict[str, Any], again: bool = False) -> Job:
    """Checks everything that can be checked at once, then asks for the run. Raises RuleError and Refused."""
    book = services.find(owner, body["book_id"]) if body.get("book_id") else None
    question = question_of(owner, book, body)
    set_up(owner, question)
    return _ask(owner, "book", question, book, again)


def _ask(owner: Any, kind: str, question: dict[str, Any], book: Any, again: bool = False) -> Job:
    run: Question = question.get("run", question)
    return jobs.ask(
        owner, kind, question, name=book.name if book else "A book that is not kept", subject=("book", book.id if book else None),
        note={"version": book.version_of(run["text"]) if book else None}, again=again,
        small=kind == "book" and len(open_market().market.bars) <= SMALL_BARS,
    )  # fmt: skip


def further(owner: Any, run_id: int, kind: str, **asked: Any) -> Job:
    """Asks something more of a run: luck, what if, a sweep, a walk forward. Raises Refused."""
    run = jobs.find(owner, run_id, "book")
    if "dials" in asked:
        _check_dials(owner, run, asked["dials"])
    return _ask(owner, kind, {"run": run.question, **asked}, book_of(run))


def _check_dials(owner: Any, run: Job, dials: list[dict[str, Any]]) -> None:
    book, total = set_up(owner, run.question).book, 1
    known = {*(d.name for d in book.dials), "slots"}
    if len({d["name"] for d in dials}) < len(dials):
        raise Refused("The two dials of a sweep are different ones.", 422)
    trial = set_up(owner, run.question)
    for dial in dials:
        if dial["name"] not in known:
            raise Refused(f"The book has no dial named {dial['name']}; its dials are: {', '.join(sorted(known))}.", 422)
        try:
            values = steps_of(dial["low"], dial["high"], dial["step"])
        except ValueError as error:
            raise Refused(str(error), 422) from None
        if dial["name"] == "slots" and (values[0] < 1 or any(v != int(v) for v in values)):
            raise Refused("Slots are whole numbers from 1 on.", 422)
        total *= len(values)
        for value in (values[0], values[-1]):
            trial.make({dial["name"]: value})
    if total > MOST_CELLS:
        raise Refused(f"That is {total:,} settings; at most {MOST_CELLS} can be tried at once. Take wider steps.", 422)


def book_of(run: Job) -> Any:
    return services.find(run.owner, run.subject_id) if run.subject_id is not None else None


def kept(owner: Any, book_id: int | None) -> list[Job]:
    """The account's latest runs, without their answers; of one book where it is named."""
    found = Job.objects.filter(owner=owner, kind="book").defer("answer")
    return list((found.filter(subject_kind="book", subject_id=book_id) if book_id else found)[: jobs.KEPT])


def again(owner: Any, run_id: int) -> Job:
    """The same question once more, over the data of today."""
    run = jobs.find(owner, run_id)
    if run.kind not in KINDS:
        raise Refused("This is no longer kept; ask for it again.", 404)
    return _ask(owner, run.kind, run.question, book_of(run), again=True)


def told(run: Job) -> dict[str, Any]:
    """A run without its answer, as its schema says."""
    question = run.question.get("run", run.question)
    names = ("id", "kind", "stage", "share", "name", "data_version", "seconds", "headline")
    dials = [f"{name} {value:g}" for name, value in question["dials"].items()]
    chosen = words_of(BookChoice.model_validate(chosen_from(question)))
    return {
        **{name: getattr(run, name) for name in names}, "state": run.state_now, "detail": run.detail_now, "book_id": run.subject_id,
        "version": run.note.get("version"), "asked": run.asked.isoformat(),
        "settings": {**chosen_from(question), "universe": question["universe"], "dials": question["dials"]},
        "words": ", ".join(filter(None, [question["universe"], *dials, chosen, "seal broken" if question["unsealed"] else ""])),
    }  # fmt: skip


def run_of(owner: Any, run_id: int) -> BookRun:
    """The run again, from the latest of this process, or computed anew. Raises Refused for one that is not done or of other
    data."""
    run = jobs.find(owner, run_id, "book")
    if run.state != "done":
        raise Refused("This run is not done; wait for its figures first.", 409)
    if not jobs.stands(run):
        raise Refused("The data or the application changed since this was run; run the book again.", 409)
    return ran(owner, run.question, open_market().market.version, request_limits())[1]


def trade_of(owner: Any, run_id: int, number: int, part: int) -> dict[str, Any]:
    """A trade with every level as it stood on each of its bars, and why it ended. part: which of a position's parts, from 0.
    Raises Refused."""
    run = run_of(owner, run_id)
    parts = [x for x in run.trades if x.number == number]
    if not 0 <= part < len(parts):
        raise Refused("There is no such trade in this run.", 404)
    trade = parts[part]
    prepared, found = run.prepared, levels(run.prepared, trade)
    names = [called(prepared, b.row) for b in found]
    # Within the day a bar of the book's frame is told as it stood at its end.
    ends = [b for b, name, after in zip(found, names, [*names[1:], ""], strict=True) if name != after]
    bars = [
        {
            "day": called(prepared, b.row),
            "close": _close_of(prepared, b.row),
            "stop": b.stop,
            "follow": b.follow,
            "targets": list(b.targets),
        }
        for b in ends
    ]

    def row(x: Trade) -> dict[str, Any]:
        at = {"signal_at": x.signal_row, "entry_at": x.entry_row, "exit_at": x.exit_row}
        return {**trade_row(x, prepared), **{name: called(prepared, place) for name, place in at.items()}}

    frame = prepared.book.frame if prepared.book.frame in MINUTES else "day"
    return {"trade": row(trade), "parts": [row(x) for x in parts], "bars": bars, "why": why(prepared, trade), "frame": frame}


def _close_of(prepared: Prepared, row: int) -> float:
    """The close of the whole bar of the book's frame that a row lies in, as the chart has it."""
    bars, name = prepared.bars, called(prepared, row)
    end = int(bars.offsets[bars.owner[row] + 1])
    while row + 1 < end and called(prepared, row + 1) == name:
        row += 1
    return float(bars.close[row])


def today(owner: Any, body: dict[str, Any]) -> dict[str, Any]:
    """What a book holds on the as-of day and what it orders for the next session, having been traded up to then: sealed days are
    traded
    too, and none of their results is told but that of what is open. Raises RuleError, Refused, ValueError and Stopped."""
    book = services.find(owner, body["book_id"]) if body.get("book_id") else None
    asked = question_of(owner, book, body)
    question = {**asked, "unsealed": True}
    with in_turn():
        run = ran(owner, question, open_market().market.version, request_limits())[1]
    sealed = asked["sealed_from"] and not asked["unsealed"]
    return {
        "as_of": iso(int(run.days[-1])), "equity": None if sealed else float(run.equity[-1]), "slots": run.prepared.book.slots,
        "open": [position_row(p) for p in run.open], "orders": [order_row(o) for o in orders(run, body.get("account"))],
    }  # fmt: skip


def compared(owner: Any, first: int, second: int) -> dict[str, Any]:
    """Two finished runs side by side, from their kept answers: of two texts, two days, or two states of the data. Raises
    Refused."""
    pair = []
    for run_id in (first, second):
        run = jobs.find(owner, run_id, "book")
        answer = jobs.answer_of(run)
        if run.state != "done" or answer is None:
            raise Refused("Only runs that are done can be compared.", 409)
        pair.append(json.loads(answer))
    series = [{e["day"]: e["equity"] for e in one["equity"]} for one in pair]
    days = sorted(series[0].keys() & series[1].keys())
    if len(days) < 2:
        raise Refused("These two runs have no days in common.", 422)
    returns = [returns_of(np.array([s[d] for d in days]), s[days[0]]) for s in series]
    span = float((date.fromisoformat(days[-1]) - date.fromisoformat(days[0])).days)
    yearly = [annual(s[days[-1]] / s[days[0]], span) for s in series]
    low, high = difference_interval(returns[1], returns[0], span, 1)
    trades = [{(x["symbol"], x["rule"], x["entry_day"]) for x in one["trades"]} for one in pair]
    return {
        "first": pair[0]["figures"], "second": pair[1]["figures"], "difference": yearly[1] - yearly[0], "low": low, "high": high,
        "days": len(days), "both": len(trades[0] & trades[1]), "only_first": len(trades[0] - trades[1]),
        "only_second": len(trades[1] - trades[0]),
    }  # fmt: skip


def signals_of(owner: Any, run_id: int, outcome: str, offset: int, limit: int) -> dict[str, Any]:
    """Signals of a run that came to the same, the latest first."""
    if outcome not in OUTCOMES:
        raise Refused(f"Signals are told apart as {', '.join(OUTCOMES)}.", 422)
    total, rows = signal_rows(run_of(owner, run_id), outcome, offset, limit)
    return {"total": total, "rows": rows}


def file_of(owner: Any, run_id: int, what: str, kind: str) -> tuple[bytes, str]:
    """The trades or the equity of a run as a file: its bytes and type."""
    import pyarrow as pa
    import pyarrow.csv
    import pyarrow.parquet

    run = run_of(owner, run_id)
    rows = [trade_row(x, run.prepared) for x in run.trades] if what == "trades" else equity_rows(run)
    if kind == "json":
        return json.dumps(rows, ensure_ascii=False, allow_nan=False).encode(), FILES[kind]
    rows = rows_in_csv(rows) if kind == "csv" else rows
    sink, table = io.BytesIO(), pa.Table.from_pylist(rows) if rows else pa.table({})
    (pyarrow.csv.write_csv if kind == "csv" else pyarrow.parquet.write_table)(table, sink)
    return sink.getvalue(), FILES[kind]


def report_of(owner: Any, run_id: int) -> tuple[str, str]:
    """A finished run as one HTML page: its name and the page."""
    run = jobs.find(owner, run_id, "book")
    answer = jobs.answer_of(run)
    if run.state != "done" or answer is None:
        raise Refused("This run is not done; wait for its figures first.", 409)
    return run.name, page(run.name, run.question["text"], told(run), json.loads(answer))


def seal_of(owner: Any, book_id: int) -> dict[str, Any]:
    """From when on a book's days are sealed, and whether and when that was ended."""
    book = services.find(owner, book_id)
    day = seal_day()
    broken = BookSeal.objects.filter(book=book).first()
    return {
        "sealed_from": None if day is None else iso(day),
        "broken": broken.broken.date().isoformat() if broken else None,
        "version": broken.version if broken else None,
    }


@transaction.atomic
def break_seal(owner: Any, book_id: int) -> dict[str, Any]:
    """Opens the sealed days of a book, once and for good. Raises Refused."""
    book = services.find(owner, book_id)
    day = seal_day()
    if day is None:
        raise Refused("This market is too short to keep any days sealed.", 409)
    latest = book.versions.last()
    BookSeal.objects.get_or_create(book=book, defaults={"version": latest.number if latest else 1, "sealed_from": iso(day)})
    return seal_of(owner, book_id)
