"""Routes of rules, scans, charts and explanations."""

from datetime import datetime

from django.http import HttpRequest
from ninja import Router, Schema, Status
from pydantic import Field

from upperwick.market.services import as_of_day, chart, members_of, open_market
from upperwick.rules import scanning, services
from wickcore.bars.bars import Bools
from wickcore.language.check import check_rule
from wickcore.language.parser import MAX_CHARACTERS
from wickcore.language.problems import RuleError
from wickcore.language.rule import CheckedRule

router = Router(tags=["rules"])
scans = Router(tags=["scan"])
TEXT = Field(max_length=MAX_CHARACTERS + 1)


class RuleSummary(Schema):
    id: int
    name: str
    about: str
    side: str
    bars: str
    valid: bool
    version: int
    saved: datetime


class RuleDetail(RuleSummary):
    text: str


class NewRule(Schema):
    text: str = TEXT
    name: str = Field("", max_length=120)


class RuleText(Schema):
    text: str = TEXT


class RuleName(Schema):
    name: str = Field(max_length=120)


class VersionOut(Schema):
    number: int
    name: str
    text: str
    saved: datetime


def _detail(rule: services.Rule) -> dict:
    return {**services.summary(rule), "text": rule.text}


@router.get("", response=list[RuleSummary], operation_id="rules")
def rules(request: HttpRequest, offset: int = 0, limit: int = 500):
    """The account's rules by name."""
    page = services.rules_of(request.user)[max(0, offset) : max(0, offset) + min(max(limit, 1), 500)]
    return [services.summary(rule) for rule in page]


@router.post("", response=RuleDetail, operation_id="create_rule")
def create(request: HttpRequest, body: NewRule):
    return _detail(services.create(request.user, body.text, body.name))


@router.get("/{rule_id}", response=RuleDetail, operation_id="rule")
def one(request: HttpRequest, rule_id: int):
    return _detail(services.find(request.user, rule_id))


@router.put("/{rule_id}", response=RuleDetail, operation_id="save_rule")
def save(request: HttpRequest, rule_id: int, body: RuleText):
    """Saves the text as the next version."""
    return _detail(services.save(services.find(request.user, rule_id), body.text))


@router.patch("/{rule_id}", response=RuleDetail, operation_id="rename_rule")
def rename(request: HttpRequest, rule_id: int, body: RuleName):
    return _detail(services.rename(services.find(request.user, rule_id), body.name))


@router.delete("/{rule_id}", response={204: None}, operation_id="delete_rule")
def delete(request: HttpRequest, rule_id: int):
    services.delete(services.find(request.user, rule_id))
    return Status(204, None)


@router.post("/{rule_id}/restore", response=RuleDetail, operation_id="restore_rule")
def restore(request: HttpRequest, rule_id: int):
    """Undoes a deletion."""
    return _detail(services.restore(services.find(request.user, rule_id, deleted=True)))


@router.post("/{rule_id}/duplicate", response=RuleDetail, operation_id="duplicate_rule")
def duplicate(request: HttpRequest, rule_id: int):
    return _detail(services.duplicate(services.find(request.user, rule_id)))


@router.get("/{rule_id}/versions", response=list[VersionOut], operation_id="rule_versions")
def versions(request: HttpRequest, rule_id: int):
    return list(services.find(request.user, rule_id).versions.order_by("-number")[:500])


# -- scan ------------------------------------------------------------------------------------------------------------


class ScanIn(Schema):
    text: str = TEXT
    as_of: str | None = None
    universe: str | None = None
    dials: dict[str, float] = {}


class ProblemOut(Schema):
    line: int
    column: int
    length: int
    message: str
    mend: str | None


class LineOut(Schema):
    number: int
    text: str
    depth: int
    skip: bool
    part: str | None
    true: int
    false: int
    unknown: int
    left: int
    alone: int
    ever: float


class HitOut(Schema):
    symbol: str
    name: str
    sector: str
    days: int
    values: dict[str, float | None]


class NearOut(Schema):
    symbol: str
    line: int


class DialOut(Schema):
    name: str
    value: float
    low: float | None
    high: float | None
    step: float | None
    percent: bool
    line: int


class ScanOut(Schema):
    as_of: str
    universe: str | None
    side: str
    bars: str
    decide: str
    scanned: int
    no_bar: int
    lines: list[LineOut]
    hits: list[HitOut]
    hits_total: int
    near_misses: list[NearOut]
    advice: list[ProblemOut]
    dials: list[DialOut]


@scans.post("/scan", response=ScanOut, operation_id="scan")
def scan(request: HttpRequest, body: ScanIn):
    """Counts down the lines and lists the hits. A rule with errors answers 422 with their places."""
    return scanning.count(body.text, services.parts_of(request.user), body.as_of, body.universe, body.dials)


class ChartIn(Schema):
    symbol: str
    text: str | None = Field(None, max_length=MAX_CHARACTERS + 1)
    as_of: str | None = None
    universe: str | None = None
    dials: dict[str, float] = {}
    bars: int = Field(260, ge=1, le=4000)


class OverlayOut(Schema):
    label: str
    values: list[float | None]


class ChartOut(Schema):
    symbol: str
    name: str
    days: list[str]
    open: list[float | None]
    high: list[float | None]
    low: list[float | None]
    close: list[float | None]
    volume: list[float]
    change: list[float | None]
    overlays: list[OverlayOut]
    hits: list[int]
    facts: dict[str, float | None]


@scans.post("/chart", response=ChartOut, operation_id="chart")
def chart_route(request: HttpRequest, body: ChartIn):
    """One instrument's bars with what the rule talks about; a rule with errors draws nothing of its own."""
    rule, members = _drawn(request, body.text, body.universe, body.dials)
    return chart(body.symbol, body.as_of, body.bars, rule, members)


class ChartsIn(Schema):
    symbols: list[str] = Field(max_length=24)
    text: str | None = Field(None, max_length=MAX_CHARACTERS + 1)
    as_of: str | None = None
    bars: int = Field(130, ge=1, le=520)


@scans.post("/charts", response=list[ChartOut], operation_id="charts")
def charts_route(request: HttpRequest, body: ChartsIn):
    """A page of small charts, each as `chart` gives it but without the figures of its latest bar."""
    rule, members = _drawn(request, body.text, None, {})
    return [chart(symbol, body.as_of, body.bars, rule, members, facts=False) for symbol in body.symbols]


def _drawn(
    request: HttpRequest, text: str | None, universe: str | None, dials: dict[str, float]
) -> tuple[CheckedRule | None, Bools | None]:
    """The rule whose levels and hits a chart draws; a rule with errors draws nothing of its own."""
    if not text:
        return None, None
    try:
        rule = check_rule(text, services.parts_of(request.user), dials, universe or None)
    except RuleError:
        return None, None
    return rule, members_of(open_market().market, rule.universe)


class ExplainIn(Schema):
    text: str = TEXT
    symbol: str
    day: str
    dials: dict[str, float] = {}


class TruthOut(Schema):
    number: int
    text: str
    truth: bool | None
    left_value: float | None
    operator: str | None
    right_value: float | None
    margin: float | None


@scans.post("/explain", response=list[TruthOut], operation_id="explain")
def explain(request: HttpRequest, body: ExplainIn):
    """Why an instrument is a hit on a day, or is not."""
    rule = check_rule(body.text, services.parts_of(request.user), body.dials)
    engine = open_market()
    return scanning.explain_rows(engine, rule, body.symbol, as_of_day(engine.market, body.day))
