"""What the core's names of outcomes and reasons are called, in the interface and in reports."""

from wickcore.book import tape

OUTCOMES = {
    "traded": "traded",
    "no_slot": "no slot free",
    "filtered": "market filter shut",
    "unfilled": "order not filled",
    "held": "held already",
    "no_cash": "not enough money",
    "no_bar": "no bar that session",
    "unsized": "no size could be told",
    "waiting": "for the next session",
}
REASONS = {
    "stop": "stop", "follow": "trailing stop", "target": "target", "exit": "exit rule", "delisted": "delisted", "left": "left the universe",
    "out": "market condition", "end": "still open",
}  # fmt: skip
assert OUTCOMES.keys() == set(tape.OUTCOMES), "Each outcome of a signal has words."
assert REASONS.keys() == set(tape.REASONS), "Each reason of an exit has words."
