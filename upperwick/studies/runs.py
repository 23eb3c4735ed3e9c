"""Studies as jobs: what is asked of them, and how a run is told."""

from typing import Any

from upperwick.jobs import services as jobs
from upperwick.jobs.models import Job
from upperwick.market.services import open_market
from upperwick.rules import services as rules
from wickcore.study.settings import StudyChoice, chosen_from, in_words

SMALL_BARS = 1_000_000  # bars times studies: under half a second
KINDS = ("study", "compare", "sweep", "parts")


def ask(owner: Any, kind: str, question: dict[str, Any], rule: Any = None, studies: int = 1, again: bool = False) -> Job:
    """A run that answers the question, one that is kept where there is one. studies: how many are in it; few on a small market are carried
    out before this returns."""
    text = _study_in(question)["text"]
    return jobs.ask(
        owner,
        kind,
        question,
        name=rule.name if rule else "A rule that is not kept",
        subject=subject_of(rule.id if rule else None),
        note={"version": rule.version_of(text) if rule else None},
        small=studies * len(open_market().market.bars) <= SMALL_BARS,
        again=again,
    )


def subject_of(rule_id: int | None) -> tuple[str, int | None]:
    """What a study is about: its rule."""
    return "rule", rule_id


def kept(owner: Any, rule_id: int | None) -> list[Job]:
    """The account's latest runs, without their answers; of one rule where it is named. Parts belong to their study and are left out."""
    found = Job.objects.filter(owner=owner, kind__in=KINDS).exclude(kind="parts").defer("answer")
    return list((found.filter(subject_kind="rule", subject_id=rule_id) if rule_id else found)[: jobs.KEPT])


def again(owner: Any, run_id: int) -> Job:
    """The same question once more, over the data of today."""
    run = jobs.find(owner, run_id)
    return ask(owner, run.kind, run.question, rule_of(run), _studies(run), again=True)


def rule_of(run: Job) -> Any:
    """The rule that a run is about, None where that is not kept."""
    return rules.find(run.owner, run.subject_id) if run.subject_id is not None else None


def told(run: Job) -> dict[str, Any]:
    """A run without its answer, as its schema says."""
    question = _study_in(run.question)
    names = ("id", "kind", "stage", "share", "name", "data_version", "seconds", "headline")
    return {
        **{name: getattr(run, name) for name in names},
        "state": run.state_now,
        "detail": run.detail_now,
        "rule_id": run.subject_id,
        "version": run.note.get("version"),
        "seed": question["seed"],
        "asked": run.asked.isoformat(),
        "settings": {**chosen_from(question), "universe": question["universe"], "dials": question["dials"]},
        "words": _words(question),
        "beside": _beside(run),
    }


def _words(question: dict[str, Any]) -> str:
    """What a study was measured by, in words."""
    dials = [f"{name} {value:g}" for name, value in question["dials"].items()]
    chosen = in_words(StudyChoice.model_validate(chosen_from(question)))
    return ", ".join(filter(None, [question["universe"], *dials, chosen, "seal broken" if question["unsealed"] else ""]))


def _beside(run: Job) -> str:
    """What the rule of a comparison was set beside, by what differs; empty for runs of other kinds."""
    if run.kind != "compare":
        return ""
    first, second, said = run.question["first"], run.question["second"], []
    if first["text"] != second["text"]:
        rule = rule_of(run)
        number = rule.version_of(first["text"]) if rule else None
        said.append(f"version {number}" if number else "another text or universe")
    for name in sorted({*first["dials"], *second["dials"]}):
        if first["dials"].get(name) != second["dials"].get(name):
            said.append(f"{name} {first['dials'][name]:g}" if name in first["dials"] else f"{name} as written")
    if first["universe"] != second["universe"]:
        said.append(first["universe"] or "the rule's own universe")
    if first["entry"] != second["entry"]:
        said.append("entry at the signal’s close" if first["entry"] == "signal-close" else "entry at the next open")
    if first["survivors"] != second["survivors"]:
        said.append("today’s members only" if first["survivors"] else "the members of that day")
    return ", ".join(said) or "the same rule"


def _study_in(question: dict[str, Any]) -> dict[str, Any]:
    """The study that a question of any kind is about: of two compared the second."""
    found: dict[str, Any] = question.get("study", question.get("second", question))
    return found


def _studies(run: Job) -> int:
    return {"study": 1, "parts": 2, "compare": 2}.get(run.kind, 1_000)
