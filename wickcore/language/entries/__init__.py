"""The catalogue's entries, one module a group of families."""
