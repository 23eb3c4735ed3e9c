"""What a study is measured by. The one place a setting is described: the request and its schema, the command line's options, the kept
question and its digest, and the words beside a kept run are all made from these fields."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import BaseModel, BeforeValidator, ConfigDict, Field, PlainSerializer, ValidationError, WithJsonSchema

from wickcore.bars.bars import Bars
from wickcore.bars.moment import Moment, iso, moment_of, read_day, read_moment
from wickcore.study.intervals import DRAWS
from wickcore.trade.defaults import COST

HORIZONS = (1, 2, 3, 5, 10, 20, 60)
MAX_HORIZON = 500
MOST_HORIZONS = 20


@dataclass(frozen=True, slots=True)
class Setting:
    """What a field is besides its type. flag: its option of the command line, the field's name where empty. words: of a value, how a kept run
    tells it, empty for one that goes without saying. another_try: whether another value of it makes another try of the rule."""

    flag: str = ""
    words: Callable[[Any], str] = lambda value: ""
    another_try: bool = False


def _said(said: Any) -> Any:
    """A day or moment as it can be given; whoever sends something else is told what it is to be."""
    if said is None or (isinstance(said, (str, int, Moment)) and not isinstance(said, bool)):
        return said
    raise ValueError(f"`{str(said)[:40]}` is not a date of the form 2024-06-28.")


def _day(said: Any) -> Any:
    return read_day(said) if isinstance(_said(said), str) else said if said is None else int(said)


def _moment(said: Any) -> Any:
    return read_moment(said) if isinstance(_said(said), str) else said if said is None else moment_of(said)


def _horizons(said: Any) -> Any:
    try:
        found = tuple(sorted({int(h) for h in (said.split(",") if isinstance(said, str) else said)}))
    except (TypeError, ValueError):
        raise ValueError(f"Horizons are whole numbers separated by commas; `{said}` is not that.") from None
    if not found or any(not 1 <= h <= MAX_HORIZON for h in found):
        raise ValueError(f"Horizons are whole numbers of bars from 1 to {MAX_HORIZON}.")
    if len(found) > MOST_HORIZONS:
        raise ValueError(f"At most {MOST_HORIZONS} horizons can be measured at once.")
    return found


def _one_of(sentence: str, *names: str) -> BeforeValidator:
    def validate(said: Any) -> Any:
        if said not in names:
            raise ValueError(sentence)
        return said

    return BeforeValidator(validate)


def _fraction(said: Any) -> float:
    try:
        value = float(said)
    except (TypeError, ValueError):
        value = -1.0
    if not 0 <= value < 1:
        raise ValueError("Costs and slippage are fractions from 0 to below 1.")
    return value


def _percent(value: float) -> str:
    return f"{round(value * 100, 4):g}%"


_TEXT = WithJsonSchema({"type": "string"})
Day = Annotated[int, BeforeValidator(_day), PlainSerializer(iso, when_used="json"), _TEXT]
When = Annotated[Moment, BeforeValidator(_moment), PlainSerializer(str, when_used="json"), _TEXT]
Fraction = Annotated[float, BeforeValidator(_fraction), WithJsonSchema({"type": "number", "minimum": 0, "exclusiveMaximum": 1})]
Entry = Annotated[
    Literal["next-open", "signal-close"], _one_of("The entry is next-open or signal-close.", "next-open", "signal-close")
]
Repeats = Annotated[Literal["fresh", "every", "apart"], _one_of("Repeats are fresh, every or apart.", "fresh", "every", "apart")]
Horizons = Annotated[
    tuple[int, ...],
    BeforeValidator(_horizons),
    WithJsonSchema({"type": "array", "items": {"type": "integer"}, "minItems": 1, "maxItems": MOST_HORIZONS}),
]
ENTRY_WORDS = {"signal-close": "entered at the signal’s close"}
REPEATS_WORDS = {"every": "every hit", "apart": "hits that do not overlap"}


class StudyChoice(BaseModel):
    """What a person chooses of a study. Days are dates of the form 2024-06-28 in JSON and days since 1970 in Python, costs a fraction a side.

    Raises pydantic's ValidationError, a ValueError; `sentence_of` has its words.
    """

    model_config = ConfigDict(frozen=True)

    entry: Annotated[Entry, Setting(words=lambda said: ENTRY_WORDS.get(said, ""), another_try=True)] = Field(
        "next-open", description="the price a hit is entered at; a rule that decides at the open enters at that open"
    )
    repeats: Annotated[Repeats, Setting(words=lambda said: REPEATS_WORDS.get(said, ""), another_try=True)] = Field(
        "fresh", description="which of the hits count: not the day before too, all, or those that do not overlap"
    )
    survivors: Annotated[bool, Setting(words=lambda said: "today’s members" if said else "")] = Field(
        False, description="only those who belong on the last day, as if nobody else had ever been there: to see the bias"
    )
    first: Annotated[Day | None, Setting("from", lambda day: f"hits from {iso(day)}" if day else "", another_try=True)] = Field(
        None, description="first day of hits"
    )
    last: Annotated[Day | None, Setting("to", lambda day: f"hits to {iso(day)}" if day else "", another_try=True)] = Field(
        None, description="last day of hits"
    )
    cost: Annotated[Fraction, Setting(words=lambda cost: f"cost {_percent(cost)}")] = Field(
        COST, description="a fraction a side (0.001 is 0.1%)"
    )
    slippage: Annotated[Fraction, Setting(words=lambda slip: f"slippage {_percent(slip)}" if slip else "")] = Field(
        0.0, description="what a fill is worse than its price, a fraction a side"
    )
    horizons: Annotated[Horizons, Setting()] = Field(HORIZONS, description="bars ahead, separated by commas")
    seed: Annotated[int, Setting()] = Field(1, ge=0, le=2**31 - 1, description="of the bootstrap")
    as_of: Annotated[When | None, Setting(words=lambda at: f"to {at}" if at else "")] = Field(
        None, description="nothing after it is seen, a day standing for its close"
    )


class StudySettings(StudyChoice):
    """A choice as it is measured. draws: of the bootstrap's."""

    draws: int = DRAWS

    def until(self, bars: Bars) -> Moment:
        """The moment after which nothing is seen; the close of the last session where none is set."""
        return moment_of(bars.last_day) if self.as_of is None else self.as_of

    def changed(self, **values: Any) -> "StudySettings":
        """The same settings with some of them other, checked."""
        return StudySettings.model_validate({**dict(self), **values})


def setting_of(name: str) -> Setting:
    """What is said of a field besides its type."""
    return next(said for said in StudyChoice.model_fields[name].metadata if isinstance(said, Setting))


def chosen_from(values: Any, but: Sequence[str] = ()) -> dict[str, Any]:
    """Of values by name those that are settings."""
    return {name: values[name] for name in StudyChoice.model_fields if name not in but}


def in_words(choice: StudyChoice) -> str:
    """The settings as a kept run tells them: those that are not the usual ones, the cost and the last day."""
    said = [setting_of(name).words(value) for name, value in dict(choice).items() if name in StudyChoice.model_fields]
    return ", ".join(filter(None, said))


def tried_by(question: Any) -> list[Any]:
    """Of a kept question the settings that make another try, in the order of the fields."""
    return [question[name] for name in StudyChoice.model_fields if setting_of(name).another_try]


def sentence_of(error: ValidationError) -> str:
    """What is wrong with the first setting that is wrong, as a sentence."""
    first = error.errors()[0]
    if first["type"] == "value_error":
        return str(first["ctx"]["error"])
    return f"{'.'.join(str(part) for part in first['loc'])}: {first['msg']}."
