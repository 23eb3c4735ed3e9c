"""What can lie beside --prices: an option each, and what its file holds."""

BESIDE = {
    "instruments": "sector, kind, listing, options of the symbols",
    "reports": "quarterly reports",
    "splits": "splits",
    "dividends": "dividends",
    "members": "universes and who belonged to them when",
    "overnight": "the night before each session by symbol and day: open, high, low, close, low_first",
    "announcements": "announcements and holidays of the calendar by day and name",
    "own": "facts of your own: symbol, day, name, value",
}
