"""The endings of files that prices are read from; what is neither is refused by name."""

PRICE_FILES = (".csv", ".txt", ".parquet", ".pq")
PARQUET = (".parquet", ".pq")
