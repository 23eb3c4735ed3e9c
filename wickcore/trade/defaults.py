"""What is reckoned with where nobody has said: costs of orders, and how large a position may be."""

COST = 0.001  # of an order, as a fraction of its money, a side
INDEX_COST = 0.0002  # the same, of an index, whose funds and futures cost less to trade
RISK = 0.01  # the share of the account that one trade may lose at its stop
MOST_OF_ACCOUNT = 0.25  # the share of the account that one position may take
MOST_OF_DAY = 0.01  # the share of a usual day's money that one position may take
MOST_OF_SECTOR = 0.3  # the share of the account that one sector may take
OPEN_RISK = 0.06  # the share of the account that all stops together may lose
