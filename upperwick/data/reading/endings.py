"""The endings of files that tables are read from; what is neither is refused by name."""

PARQUET = (".parquet", ".pq")
ARROW = (".arrow", ".feather", ".ipc")
TEXT = (".csv", ".txt", ".tsv")
PRICE_FILES = (*TEXT, *PARQUET, *ARROW)
COLUMNAR = (*PARQUET, *ARROW)
