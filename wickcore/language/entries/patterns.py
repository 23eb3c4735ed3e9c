"""Chart patterns: each name is a condition, one is forming now; its parts are numbers."""

from wickcore.language.catalogue import Entry, Parameter, bars

_SOURCE = "common practice; points confirmed as in A. W. Lo, H. Mamaysky and J. Wang, Journal of Finance 55(4), 2000"
_COMMON = (
    ("state", 0, False, "1 forming, 2 triggered, 3 failed, 4 expired: neither within `lasts` bars."),
    ("start", 0, False, "Bars since its first point."),
    ("age", 0, False, "Bars since it became visible, on the bar that confirmed its last point."),
    ("trigger", 1, True, "The price beyond which a close confirms it."),
    ("invalid", 1, True, "The price beyond which a close ends it."),
    ("height", 1, False, "From its furthest point to the trigger, in money."),
    ("target", 1, True, "The trigger and once its height beyond it."),
    ("quality", 0, False, "0 to 100."),
    ("since_trigger", 0, False, "Bars since a close confirmed it; unknown while none has."),
    ("since_failed", 0, False, "Bars since a close ended it; unknown while none has."),
)


def _parameters(tolerance: str, apart: int, depth: str) -> tuple[Parameter, ...]:
    return (
        bars(3, name="k", help="lower highs (higher lows) on both sides of a turning point"),
        Parameter("tolerance", "constant", tolerance, "how far apart what should be level may lie"),
        bars(apart, name="apart", help="bars between two points of it, at least"),
        Parameter("depth", "constant", depth, "how far the move between must go"),
        bars(120, name="within", help="bars from its first point to its last, at most"),
        bars(60, name="lasts", help="bars it stays visible without being confirmed"),
        bars(1, name="nth", help="1 the latest to appear, 2 the one before it, up to 4"),
    )


def _pattern(
    name: str, help: str, formula: str, quality: str, parameters: tuple[Parameter, ...], own: tuple[tuple[str, str], ...]
) -> tuple[Entry, ...]:  # fmt: skip
    def entry(part: str, result: str, said: str, degree: int, level: bool) -> Entry:
        whole = f"{name}.{part}" if part else name
        return Entry(
            whole, "patterns", "pattern", "condition" if result == "condition" else "number", said, formula if not part else f"of the {name}",
            "0" if not part else "until one is visible", _SOURCE, whole if not part else _example(name, part), parameters, None, degree, level,
        )  # fmt: skip

    return (
        entry("", "condition", f"{help} True while the latest is forming: visible, and neither confirmed nor ended.", 0, False),
        *(entry(part, "number", said, 1, True) for part, said in own),
        *(
            entry(part, "number", said if part != "quality" else f"0 to 100: the mean of {quality}.", degree, level)
            for part, degree, level, said in _COMMON
        ),
    )


def _example(name: str, part: str) -> str:
    if part in ("age", "start", "since_trigger", "since_failed"):
        return f"{name}.{part} < 10"
    if part == "state":
        return f"{name}.state == 2"
    if part == "quality":
        return f"{name}.quality > 60"
    return f"{name}.height > 1" if part == "height" else f"close > {name}.{part}"


_DOUBLE = _parameters("3%", 10, "8%")
_SHOULDERS = _parameters("4%", 6, "10%")
_EVEN = "how level the two lie (the tolerance is nothing, no difference all)"

ENTRIES = (
    *_pattern("double_bottom", "After a fall, two lows at one level with a rise between them.",
              "lows within tolerance, apart bars or more between them, a rise of depth from the higher one; trigger: the highest high between; "
              "invalid: the lower low",
              f"{_EVEN}, the rise between against twice the depth asked for, and how near the middle its top stands", _DOUBLE,
              (("low1", "The first low."), ("low2", "The second low."), ("neckline", "The highest high between the lows."))),
    *_pattern("double_top", "After a rise, two highs at one level with a fall between them.",
              "highs within tolerance, apart bars or more between them, a fall of depth from the lower one; trigger: the lowest low between; "
              "invalid: the higher high",
              f"{_EVEN}, the fall between against twice the depth asked for, and how near the middle its low stands", _DOUBLE,
              (("high1", "The first high."), ("high2", "The second high."), ("neckline", "The lowest low between the highs."))),
    *_pattern("inverse_head_shoulders", "After a fall, three lows: the middle one below the two others, which lie at one level.",
              "shoulders within tolerance, the head further below than that, no lower turning point between a shoulder and the head, the highs between within twice it; trigger: the line through these highs; invalid: the head",
              "how level the shoulders lie, how flat the neckline, and how near the middle the head stands", _SHOULDERS,
              (("left", "The low of the left shoulder."), ("head", "The low of the head."), ("right", "The low of the right shoulder."),
               ("neckline", "The line through the highs between, on this bar."))),
    *_pattern("head_shoulders", "After a rise, three highs: the middle one above the two others, which lie at one level.",
              "shoulders within tolerance, the head further above than that, no higher turning point between a shoulder and the head, the lows between within twice it; trigger: the line through these lows; invalid: the head",
              "how level the shoulders lie, how flat the neckline, and how near the middle the head stands", _SHOULDERS,
              (("left", "The high of the left shoulder."), ("head", "The high of the head."), ("right", "The high of the right shoulder."),
               ("neckline", "The line through the lows between, on this bar."))),
    Entry("triggered", "patterns", "form", "condition", "A close confirmed the pattern on this bar or one of the n - 1 before it.",
          "pattern.since_trigger < n", "0", example="triggered(double_bottom, 3)",
          parameters=(Parameter("pattern", "word", None, "a pattern, with its own arguments where it has any"), bars(1))),
    Entry("failed", "patterns", "form", "condition", "A close ended the pattern on this bar or one of the n - 1 before it.",
          "pattern.since_failed < n", "0", example="failed(double_top, 3)",
          parameters=(Parameter("pattern", "word", None, "a pattern, with its own arguments where it has any"), bars(1))),
)  # fmt: skip
