"""What a run of a book is over. The one place a setting is described, as for studies: what is traded and how stands in the book's
text."""

from typing import Annotated, Any

from pydantic import BaseModel, ConfigDict, Field

from wickcore.bars.moment import iso
from wickcore.study.settings import Day, Setting, When


class BookChoice(BaseModel):
    """What a person chooses of a run. Days are dates of the form 2024-06-28 in JSON and days since 1970 in Python."""

    model_config = ConfigDict(frozen=True)

    first: Annotated[Day | None, Setting("from", lambda day: f"from {iso(day)}" if day else "", another_try=True)] = Field(
        None, description="first day that is traded"
    )
    last: Annotated[Day | None, Setting("to", lambda day: f"to {iso(day)}" if day else "", another_try=True)] = Field(
        None, description="last day that is traded"
    )
    seed: Annotated[int, Setting()] = Field(1, ge=0, le=2**31 - 1, description="of the draw among signals, and of the bootstrap")
    as_of: Annotated[When | None, Setting(words=lambda at: f"to {at}" if at else "")] = Field(
        None, description="nothing after it is seen, a day standing for its close"
    )


def words_of(choice: BookChoice) -> str:
    """The settings as a kept run tells them."""
    fields = BookChoice.model_fields
    said = [
        next(s for s in fields[name].metadata if isinstance(s, Setting)).words(value)
        for name, value in dict(choice).items()
        if name in fields
    ]
    return ", ".join(filter(None, said))


def chosen_from(values: Any) -> dict[str, Any]:
    """Of values by name those that are settings."""
    return {name: values[name] for name in BookChoice.model_fields if name in values}
