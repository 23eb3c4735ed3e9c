"""The settings of a study as options of the command line, made from their model."""

from argparse import ArgumentParser, Namespace
from typing import Any, Literal, get_args, get_origin

from pydantic import ValidationError

from upperwick.cli.shared import Bad, standing
from wickcore.bars.moment import Moment
from wickcore.study.seal import sealed_from
from wickcore.study.settings import StudyChoice, StudySettings, chosen_from, sentence_of, setting_of

GIVEN_ELSEWHERE = ("as_of",)  # which every command that looks at an evening has


def add_settings(parser: ArgumentParser) -> None:
    """One option for each setting."""
    for name, field in StudyChoice.model_fields.items():
        if name in GIVEN_ELSEWHERE:
            continue
        flag, kind = f"--{setting_of(name).flag or name}", field.annotation
        said = str(field.description).replace("%", "%%")
        if kind is bool:
            parser.add_argument(flag, dest=name, action="store_true", help=said)
        elif get_origin(kind) is Literal:
            parser.add_argument(flag, dest=name, choices=get_args(kind), default=field.default, help=said)
        else:
            metavar = "DATE" if field.default is None else None
            parser.add_argument(flag, dest=name, default=field.default, metavar=metavar, help=said)


def settings_from(engine: Any, given: Namespace) -> StudySettings:
    """The settings as they were given, ending before the sealed days where that is wanted. Raises Bad with a sentence."""
    as_of = standing(engine, given.as_of)
    sessions = engine.market.bars.sessions
    if given.sealed and (seal := sealed_from(sessions)) is not None:
        as_of = min(as_of, Moment(int(sessions[engine.market.bars.session_on(seal - 1)])))
    try:
        return StudySettings.model_validate({**chosen_from(vars(given)), "as_of": as_of})
    except ValidationError as error:
        raise Bad(sentence_of(error)) from None
