"""The seal: the last part of history is kept out of every study until a rule is meant to be final."""

import numpy as np

from wickcore.bars.bars import Days

SHARE, LEAST_SESSIONS = 0.25, 504


def sealed_from(sessions: Days, share: float = SHARE) -> int | None:
    """The first sealed session (days since 1970): that from which on `share` of all sessions lie. None where there are fewer than 504
    sessions, about two years: too few to keep any back."""
    count = len(sessions)
    if count < LEAST_SESSIONS or not 0 < share < 1:
        return None
    return int(sessions[count - max(1, int(np.floor(count * share)))])
