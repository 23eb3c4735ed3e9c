"""Names with a meaning of their own to the checker."""

from wickcore.language.entry import HUNDRED, Entry, Parameter, bars, defined

_X = Parameter("x", "number", None, "any expression")

ENTRIES = (
    Entry("on", "frames", "form", "number", "Evaluates an expression on another frame; a coarser bar is always the one so far.",
          "on(week, x): x on weekly bars", "until x is known, in bars of that frame", example="on(week, close > sma(40))",
          parameters=(Parameter("frame", "frame", None, "day, week or month"), _X)),
    Entry("first_of", "frames", "form", "condition", "This bar is the first of a new week or month.", "the bar before lies in another period",
          "1", example="first_of(month)", parameters=(Parameter("frame", "frame", None, "week or month"),)),
    Entry("stacked", "trend", "form", "condition", "Averages of one kind in order: each above the next.", "sma(20) > sma(50) > sma(200)",
          "until the longest is known", example="stacked(sma, 20, 50, 200)",
          parameters=(Parameter("average", "word", None, "sma, ema, wma …"), bars(name="n", help="two numbers of bars or more"))),
    Entry("rank", "across the universe", "form", "number",
          "The place of x among the members of the universe on the same day, 0 to 100, 100 the highest; in=sector ranks within the sector.",
          "100 * (lower ones + half of the equal ones) / (members - 1)", "until x is known", example="rank(change(63)) > 90",
          parameters=(_X, Parameter("in", "word", "universe", "universe or sector")), bounds=HUNDRED, side_of_levels="hundred"),
    Entry("benchmark", "across the universe", "form", "number",
          "An expression on the benchmark index, date for date. Unknown on a day on which the index has no bar.", "x of the benchmark",
          "until x is known", example="benchmark(close) > benchmark(sma(200))", parameters=(_X,)),
    defined("beta", "across the universe", "How much the instrument moves with the benchmark: the slope of its changes against the index's.",
            "corr(change, benchmark(change), n) * stdev(change, n) / stdev(benchmark(change), n)", "n", "beta(252) > 1", bars(252, 3),
            formula="covariance(change, benchmark change) / variance(benchmark change) over n bars", said="the {n}-bar beta"),
    defined("relative_strength", "across the universe", "The gain over n bars against the benchmark's, as a fraction.",
            "(close / (close n ago)) / (benchmark(close) / benchmark(close n ago)) - 1", "n", "relative_strength(63) > 10%", bars(63),
            fraction=True, side="move", said="the strength against the index over {n} bars"),
    Entry("event", "facts", "form", "condition", "An economic announcement of that name falls on this day; known ahead.",
          'day of the announcement', example='event("Lending rate")', parameters=(Parameter("name", "text", None, "the announcement"),)),
)  # fmt: skip
