"""A setting of a study is described once: what the command line, the interface and the kept question have of it follows from there."""

import pytest
from pydantic import ValidationError

from upperwick.cli.main import build_parser
from upperwick.studies.schemas import StudyIn
from wickcore.bars.moment import Moment, read_day
from wickcore.study.settings import StudyChoice, StudySettings, chosen_from, in_words, sentence_of, setting_of, tried_by

NAMES = set(StudyChoice.model_fields)


@pytest.mark.parametrize("command", ["study x", "compare x y", "sweep x --dial n"])
def test_every_setting_is_an_option_with_the_same_default(command):
    given = vars(build_parser(command.split()[0]).parse_args(command.split()))
    assert set(given) >= NAMES
    assert StudyChoice.model_validate(chosen_from(given)) == StudyChoice()


def test_every_setting_is_asked_by_the_interface_and_kept_as_it_reads_in_json():
    asked = StudyIn.model_validate({"text": "close > 5", "first": "2024-01-02", "as_of": "2024-06-28T10:35", "horizons": [5, 1, 5]})
    kept = chosen_from(asked.model_dump(mode="json"))
    assert set(kept) == NAMES
    assert (kept["first"], kept["as_of"], kept["horizons"]) == ("2024-01-02", "2024-06-28T10:35", [1, 5])
    again = StudySettings.model_validate(kept)
    assert (again.first, again.as_of) == (read_day("2024-01-02"), Moment(read_day("2024-06-28"), 10 * 60 + 35))
    assert StudyIn.model_validate({**kept, "text": "close > 5"}) == asked


def test_only_what_is_not_usual_is_told_of_a_kept_run():
    assert in_words(StudyChoice()) == "cost 0.1%"
    other = StudyChoice(entry="signal-close", repeats="apart", cost=0.0025, slippage=0.001, last="2024-01-02", survivors=True)
    assert in_words(other) == (
        "entered at the signal’s close, hits that do not overlap, today’s members, hits to 2024-01-02, cost 0.25%, slippage 0.1%"
    )


def test_costs_make_no_other_try_but_days_and_entry_do():
    assert {name for name in NAMES if setting_of(name).another_try} == {"entry", "repeats", "first", "last"}
    assert tried_by(StudyChoice(first="2024-01-02", cost=0.5).model_dump(mode="json")) == ["next-open", "fresh", "2024-01-02", None]


@pytest.mark.parametrize(
    ("wrong", "said"),
    [
        ({"horizons": "1,x"}, "Horizons are whole numbers separated by commas; `1,x` is not that."),
        ({"horizons": [0]}, "Horizons are whole numbers of bars from 1 to 500."),
        ({"horizons": list(range(1, 30))}, "At most 20 horizons can be measured at once."),
        ({"first": "yesterday"}, "`yesterday` is not a date of the form 2024-06-28, or a moment such as 2024-06-28T10:35."),
        ({"as_of": "2024-02-30"}, "`2024-02-30` is no day of the calendar."),
        ({"entry": "market"}, "The entry is next-open or signal-close."),
        ({"cost": "dear"}, "Costs and slippage are fractions from 0 to below 1."),
        ({"slippage": 1}, "Costs and slippage are fractions from 0 to below 1."),
    ],
)
def test_a_setting_that_means_nothing_is_a_sentence(wrong, said):
    with pytest.raises(ValidationError) as found:
        StudyChoice.model_validate(wrong)
    assert sentence_of(found.value) == said
