"""`python -m upperwick.cli`."""

from upperwick.cli.main import entry

entry()
