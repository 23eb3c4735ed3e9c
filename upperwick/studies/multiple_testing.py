"""Which settings of a rule were measured, and how good the best of them would look by luck."""

import io
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

import numpy as np

from upperwick.jobs.models import Job
from upperwick.market.services import open_market
from upperwick.studies.models import Try
from wickcore.bars.bars import Floats, Ints
from wickcore.study.multiple_testing import laid_out, superior_ability

MOST_JUDGED, SHOWN = 500, 50
SEED = 1


@dataclass(frozen=True)
class Tried:
    """A setting that was measured: its digest, what tells it from the others, its daily excess by horizon."""

    digest: str
    label: str
    series: dict[int, tuple[Ints, Floats]]


def record(run: Job, tried: list[Tried]) -> None:
    """Keeps each setting once a rule and data version; one measured again at other horizons keeps them all."""
    rule_id, version = run.subject_id, run.note.get("version")
    if rule_id is None:
        return
    known = {t.digest: t for t in Try.objects.filter(rule_id=rule_id, data_version=run.data_version)}
    made, changed = [], []
    for one in {t.digest: t for t in tried}.values():
        old = known.get(one.digest)
        series = {**(_unpacked(old.series) if old else {}), **one.series}
        packed = _packed(series)
        if old is None:
            label = ", ".join(filter(None, [f"version {version}" if version else "not saved", one.label]))[:200]
            made.append(
                Try(
                    rule_id=rule_id, digest=one.digest, data_version=run.data_version, version=version, label=label,
                    series=packed,
                )
            )  # fmt: skip
        elif bytes(old.series) != packed:
            old.series = packed
            changed.append(old)
    Try.objects.bulk_create(made)
    Try.objects.bulk_update(changed, ["series"])


def judged(rule_id: int, horizon: int) -> dict[str, Any]:
    """How many settings of a rule were tried, the best of them at one horizon, and what the best of so many reaches by luck."""
    market = open_market().market
    tries = Try.objects.filter(rule_id=rule_id, data_version=market.version)
    # A try may get further horizons by a later run: what is known holds until the next one.
    latest = Job.objects.filter(subject_kind="rule", subject_id=rule_id).order_by("-id").values_list("id", "state").first()
    return dict(_judged(rule_id, horizon, market.version, tries.count(), latest))


@lru_cache(200)
def _judged(rule_id: int, horizon: int, version: str, count: int, latest: tuple[int, str] | None) -> dict[str, Any]:
    rows, series = [], []
    for one in Try.objects.filter(rule_id=rule_id, data_version=version).order_by("-id")[:MOST_JUDGED]:
        found = _unpacked(one.series).get(horizon)
        if found is None or not len(found[0]):
            continue
        series.append(found)
        rows.append({"label": one.label, "made": one.made.date().isoformat(), "days": len(found[0]), "daily": 0.0})
    answer: dict[str, Any] = {"tried": count, "judged": len(rows), "horizon": horizon, "p": None, "best": None, "rows": []}
    if series:
        first, last = min(s[0][0] for s in series), max(s[0][-1] for s in series)
        span = (int(first), int(last - first) + 1)
        found = superior_ability([laid_out(s, span) for s in series], horizon, SEED)
        for row, (_, values) in zip(rows, series, strict=True):
            row["daily"] = float(np.sum(values) / span[1])
        answer |= {"p": found.p, "best": rows[found.best]}
        answer["rows"] = sorted(rows, key=lambda r: -float(str(r["daily"])))[:SHOWN]
    return answer


def _packed(series: dict[int, Any]) -> bytes:
    sink = io.BytesIO()
    arrays = {f"{kind}{h}": part for h, (days, values) in sorted(series.items()) for kind, part in (("d", days), ("s", values))}
    np.savez_compressed(sink, **{k: v.astype(np.int32 if k[0] == "d" else np.float32) for k, v in arrays.items()})
    return sink.getvalue()


def _unpacked(blob: Any) -> dict[int, Any]:
    with np.load(io.BytesIO(bytes(blob)), allow_pickle=False) as found:
        # Older tries hold each day's mean: they count as tries, and cannot be judged beside sums.
        horizons = [int(name[1:]) for name in found.files if name[0] == "s"]
        return {h: (found[f"d{h}"].astype(np.int64), found[f"s{h}"].astype(np.float64)) for h in horizons}
