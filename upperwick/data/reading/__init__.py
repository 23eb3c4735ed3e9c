"""Files of any of the open tables: opened, inferred, read row by row."""
