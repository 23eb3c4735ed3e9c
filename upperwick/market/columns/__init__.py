"""The column cache: the market's bars on disk as mapped columns that all processes share."""
