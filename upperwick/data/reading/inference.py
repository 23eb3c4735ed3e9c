"""What files of one layout were understood to be, with what still has to be asked."""

from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
import pyarrow as pa

from upperwick.data.reading.answers import FileUnclear, Question
from upperwick.data.reading.source import Source
from upperwick.data.reading.tables import Table


@dataclass(slots=True)
class Inference:
    """Files of one layout, inferred.

    rows: the columns that are taken under our names, dates as 2024-06-28 and numbers with a decimal point. headings: (heading, our name or ""
    where it is not taken). first: the first rows as they stand in the file. notes: what a person should read. span: from which day to which bars
    run, in a sentence.
    """

    sources: list[Source]
    table: Table
    rows: pa.Table
    headings: list[tuple[str, str]]
    dates: str
    decimal: str
    questions: list[Question]
    first: list[list[str]]
    notes: list[str] = field(default_factory=list)
    adjusted: str = ""
    names: str = ""
    span: str = ""

    @property
    def file(self) -> Path:
        return self.sources[0].file

    @property
    def starts(self) -> Any:
        """The number of the first row of each file, and of all rows."""
        return np.concatenate([[0], np.cumsum([s.table.num_rows for s in self.sources])])

    def place_of(self, row: int) -> tuple[Source, int]:
        """The file of a row, and its line there."""
        at = int(np.searchsorted(self.starts, row, "right")) - 1
        return self.sources[at], self.sources[at].line_of(row - int(self.starts[at]))


def without_questions(inference: Inference) -> Inference:
    """The files, where nothing has to be asked. Raises FileUnclear."""
    for question in inference.questions:
        raise FileUnclear(inference.file, question, inference.headings)
    return inference
