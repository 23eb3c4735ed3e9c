"""Which settings of a book were run, and how good the best of them would look by luck."""

import io
from typing import Any

import numpy as np

from upperwick.books.models import Book, BookTry
from upperwick.jobs.models import Job
from upperwick.market.services import open_market
from wickcore.bars.bars import Floats
from wickcore.book.overfit import expected_best
from wickcore.book.paths import SESSIONS

MOST_JUDGED, SHOWN = 500, 50


def record(run: Job, tried: list[tuple[str, str, Floats]]) -> None:
    """Keeps each setting once a book and data version. tried: digest, what tells it from the others, daily returns."""
    book_id = run.subject_id
    if book_id is None or not Book.objects.filter(id=book_id).exists():
        return
    known = set(BookTry.objects.filter(book_id=book_id, data_version=run.data_version).values_list("digest", flat=True))
    version = run.note.get("version")
    made = []
    for digest, label, returns in tried:
        if digest not in known:
            known.add(digest)
            said = ", ".join(filter(None, [f"version {version}" if version else "not saved", label]))[:200]
            made.append(
                BookTry(
                    book_id=book_id,
                    digest=digest,
                    data_version=run.data_version,
                    version=version,
                    label=said,
                    returns=_packed(returns),
                )
            )
    BookTry.objects.bulk_create(made)


def judged(book: Book) -> dict[str, Any]:
    """How many settings of a book were run, the best of them by its Sharpe ratio, and what the best of so many without any skill
    would be expected to
    show: its Sharpe ratio, and the annual return that comes to at the best one's volatility."""
    found = BookTry.objects.filter(book=book, data_version=open_market().market.version)
    rows: list[dict[str, Any]] = []
    spreads = []
    for one in found.order_by("-id")[:MOST_JUDGED]:
        returns = _unpacked(one.returns)
        spread = float(np.std(returns, ddof=1)) if len(returns) > 1 else 0.0
        if spread <= 0.0:
            continue
        sharpe = float(np.mean(returns)) / spread
        rows.append({"label": one.label, "made": one.made.date().isoformat(), "sharpe": sharpe * SESSIONS**0.5})
        spreads.append((sharpe, spread))
    answer: dict[str, Any] = {
        "tried": found.count(),
        "judged": len(rows),
        "best": None,
        "luck_sharpe": None,
        "luck_annual": None,
        "rows": [],
    }
    if rows:
        best = int(np.argmax([r["sharpe"] for r in rows]))
        answer["best"], answer["rows"] = rows[best], sorted(rows, key=lambda r: -float(r["sharpe"]))[:SHOWN]
        if len(rows) > 1:
            by_luck = expected_best(float(np.std([s for s, _ in spreads], ddof=1)), len(rows))
            answer["luck_sharpe"] = by_luck * SESSIONS**0.5
            answer["luck_annual"] = by_luck * spreads[best][1] * SESSIONS
    return answer


def _packed(returns: Floats) -> bytes:
    sink = io.BytesIO()
    np.savez_compressed(sink, r=returns.astype(np.float32))
    return sink.getvalue()


def _unpacked(blob: Any) -> Floats:
    with np.load(io.BytesIO(bytes(blob)), allow_pickle=False) as found:
        return np.asarray(found["r"], np.float64)
