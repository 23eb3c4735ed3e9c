"""Symbols as the market has them, from a column or from the names of files."""

import re

import numpy as np
import pyarrow as pa

from upperwick.data.reading.answers import Answers, Known, Question
from upperwick.data.reading.formats import is_text, plain
from upperwick.data.reading.inference import Inference
from upperwick.data.reading.source import PriceFileError

LONGEST_SYMBOL = 32
_NO_SYMBOL = re.compile(r"^[=+\-@]|[^\w .\-/=^:&$#*+!]")
_UPPER = re.compile(r"[A-Z0-9][A-Z0-9.\-_=^/]*")


def symbols_from_names(inference: Inference, answers: Answers, known: Known) -> None:
    """A file without a column for it has its name for its symbol, where a person agrees or nothing speaks against it."""
    stems = [s.file.stem for s in inference.sources]
    upper = [stem.upper() for stem in stems]
    plainly = all(_UPPER.fullmatch(stem) for stem in stems) or all(stem in known.symbols for stem in upper)
    if not plainly and not answers.names:
        shown = ", ".join(upper[:3]) + (" …" if len(upper) > 3 else "")
        ask = f"It has no column for the symbol. Are the names of the files symbols: {shown}?"
        options = [("yes", f"yes: {upper[0]}"), ("no", "no; choose the column that is the symbol")]
        inference.questions.append(Question("names", ask, options))
    elif answers.names == "no" and not plainly:
        raise PriceFileError(f"{inference.file} has no column for the symbol; say which of its columns it is.")
    sizes = [s.table.num_rows for s in inference.sources]
    chosen = stems if all(_UPPER.fullmatch(stem) for stem in stems) else upper
    codes = np.repeat(np.arange(len(sizes), dtype=np.int32), sizes)
    column = pa.DictionaryArray.from_arrays(pa.array(codes), pa.array(chosen, pa.string()))
    inference.names = "yes"
    inference.rows = inference.rows.append_column("symbol", column)


def settle_symbols(inference: Inference, answers: Answers, known: Known) -> None:
    """Symbols as the market has them: without an ending that all share, where that is answered, and in capital letters where
    they are all small."""
    for name in ("symbol", "former"):
        if name in inference.rows.column_names:
            _settle(inference, name, answers, known)


def _settle(inference: Inference, name: str, answers: Answers, known: Known) -> None:
    at = inference.rows.column_names.index(name)
    column = inference.rows.column(at)
    if not is_text(column):
        return
    whole = column.combine_chunks() if isinstance(column, pa.ChunkedArray) else column
    if isinstance(whole, pa.ChunkedArray):
        whole = pa.concat_arrays(whole.chunks)
    coded = whole if pa.types.is_dictionary(whole.type) else plain(whole).dictionary_encode()
    symbols = [(s or "").strip() for s in coded.dictionary.to_pylist()]
    changed = list(symbols)
    ending = _shared_ending(symbols)
    if ending and sum(s in known.symbols for s in symbols) * 2 < len(symbols):
        bare = symbols[0][: -len(ending)]
        if not answers.suffix and all(q.key != "suffix" for q in inference.questions):
            options = [("remove", f"remove it: {bare}"), ("keep", f"keep it: {symbols[0]}")]
            inference.questions.append(Question("suffix", f"All symbols end in {ending}. Is it part of the symbol?", options))
        if answers.suffix == "remove":
            changed = [s[: -len(ending)] if s.endswith(ending) else s for s in symbols]
            inference.notes.append(f"The ending {ending} of the symbols is removed.")
    letters = [s for s in changed if re.search("[A-Za-z]", s)]
    if letters and all(s == s.lower() for s in letters) and not any(s in known.symbols for s in letters):
        changed = [s.upper() for s in changed]
        inference.notes.append(f"Symbols in small letters are taken in capitals: {changed[0]}.")
    elif known.symbols and (small := [s for s in changed if s not in known.symbols and s.upper() in known.symbols]):
        changed = [s.upper() if s in small else s for s in changed]
        inference.notes.append(f"{small[0]} is taken as {small[0].upper()}, which is stored.")
    if changed != coded.dictionary.to_pylist():
        column = pa.array(changed, pa.string()).take(coded.indices)
        inference.rows = inference.rows.set_column(at, name, column)


def _shared_ending(symbols: list[str]) -> str:
    """The ending after a point or a blank that all symbols share (an exchange's, mostly); "" where they do not, or there are too few."""
    filled = [s for s in symbols if s]
    match = re.search(r"[.\s:][A-Za-z]{1,4}$", filled[0]) if len(filled) > 1 else None
    return match[0] if match and all(s.endswith(match[0]) and len(s) > len(match[0]) for s in filled) else ""


def wrong_symbol(symbol: str | None) -> str:
    """Why a text cannot be a symbol; "" where it can."""
    if not symbol:
        return "the symbol is missing"
    if len(symbol) > LONGEST_SYMBOL:
        return f"the symbol `{symbol[:20]}…` has {len(symbol)} characters; at most {LONGEST_SYMBOL} are kept"
    if not symbol.isprintable():
        return f"the symbol {symbol!r} holds characters that cannot be seen"
    wrong = "".join(sorted(set(_NO_SYMBOL.findall(symbol))))
    return (
        f"the symbol `{symbol}` holds {wrong}; it may hold letters, digits, spaces and . - _ / = ^ : & $ # * + !" if wrong else ""
    )
