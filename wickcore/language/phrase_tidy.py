"""A sentence as the grammar of phrases reads it: one way of writing for what is written in many."""

import re

from wickcore.language.phrase_clauses import with_averages_named

_WORDS = {
    "one": 1, "two": 2, "three": 3, "four": 4, "five": 5, "six": 6, "seven": 7, "eight": 8, "nine": 9, "ten": 10, "eleven": 11, "twelve": 12,
    "fifteen": 15, "twenty": 20, "thirty": 30, "fifty": 50, "hundred": 100,
}  # fmt: skip
_ORDINALS = {"second": 2, "third": 3, "fourth": 4, "fifth": 5}


def tidy(text: str) -> str:
    """Lower case, number words as digits, hyphens and apostrophes out, one space."""
    said = text.lower().replace("’", "'").replace("%", " % ").replace("percent", "%").replace("×", "x")
    said = re.sub(r"\bcan't\b", "can not", re.sub(r"n't\b", " not", said))
    said = re.sub(r"'s?\b", "s", said)
    said = re.sub(r"(\d),(\d{3})\b", r"\1\2", said)
    said = re.sub(r"(?<=\w)-(?=\w)", " ", said)
    said = re.sub(r"\b(" + "|".join(_WORDS) + r")\b", lambda m: str(_WORDS[m.group(1)]), said)
    said = re.sub(r"\b(\d+)(?:st|nd|rd|th)\b", r"\1", said)
    said = re.sub(
        r"(?<=for the )(second|third|fourth|fifth)(?= (?:day|time|week|bar|session))", lambda m: str(_ORDINALS[m.group(1)]), said
    )
    said = re.sub(r"\b(\d+)(day|week|month|bar)s?\b", r"\1 \2", said)
    said = re.sub(r"\b(\d+(?:\.\d+)?) ?(?:x|times|fold)\b", r"\1 times", said)
    said = re.sub(r"\bhalf a (million|billion)\b", r"0.5 \1", said)
    said = re.sub(r"\b(?:a )?quarter (?:of a )?(million|billion)\b", r"0.25 \1", said)
    said = re.sub(r"\ba (thousand|million|billion)\b", r"1 \1", said)
    said = re.sub(r"[^\w\s.%$<>=,]|\.(?!\d)", " ", said)
    said = re.sub(
        r"(\$?\d[\w.]*(?: ?(?:%|thousand|million|billion))?) +(?:or (?:more|higher|better|greater|above|over))\b(?! \$?\d)",
        r"at least \1",
        said,
    )
    said = re.sub(
        r"(\$?\d[\w.]*(?: ?(?:%|thousand|million|billion))?) +(?:or (?:less|lower|fewer|below|under))\b(?! \$?\d)",
        r"at most \1",
        said,
    )
    said = re.sub(r"\b(?:please|must|should|has to|have to|having|that|which|currently|just|still|also)\b", " ", said)
    said = re.sub(r"\s+", " ", said).replace(" %", "%").strip(" ,")
    # What somebody says to whoever listens, before the condition begins.
    said = re.sub(
        r"^(?:i (?:want|need|like)|find|show|give|look(?:ing)?(?: for)?|search(?:ing)?(?: for)?|scan(?:ning)?(?: for)?|list|screen(?:ing)?(?: for)?)(?: me)?(?: all| any)? ",
        "",
        said,
    )
    said = re.sub(
        r"^(?:all |any |every )?(?:stocks?|names?|companies|company|shares?|tickers?|symbols?|instruments?)(?: (?:are|is|trading|that are|with|whose|where|in|have|has))? (?!only)",
        "",
        said,
    )
    return with_averages_named(re.sub(r"\bbollinger bands?\b", "band", said).strip(" ,"))
