"""API schemas made from the results of the core, so that each field is declared once."""

import dataclasses
import typing
from collections.abc import Callable
from types import UnionType
from typing import Any, TypeVar

from ninja import Schema
from pydantic import create_model

S = TypeVar("S", bound=Schema)


def fields_of(result: type, leave: tuple[str, ...] = ()) -> Callable[[type[S]], type[S]]:
    """A class decorator: the schema has the fields of a core dataclass, with their types, beside and behind those of its own body.

    result: the dataclass. leave: its fields that the API does not give. What the body declares again has the body's type.
    """

    def decorate(schema: type[S]) -> type[S]:
        hints = typing.get_type_hints(result)
        fields: dict[str, Any] = {
            field.name: (_as_json(hints[field.name]), ...)
            for field in dataclasses.fields(result)
            if field.name not in schema.model_fields and field.name not in leave
        }
        doc = schema.__doc__ or result.__doc__
        return create_model(schema.__name__, __base__=schema, __module__=schema.__module__, __doc__=doc, **fields)

    return decorate


def _as_json(hint: Any) -> Any:
    """The type as JSON has it: a tuple of any length is a list."""
    inner = typing.get_args(hint)
    if typing.get_origin(hint) is tuple and len(inner) == 2 and inner[1] is ...:
        return list[_as_json(inner[0])]  # type: ignore[misc]
    if isinstance(hint, UnionType):
        return typing.Union[tuple(_as_json(part) for part in inner)]  # noqa: UP007 made from parts
    return hint
