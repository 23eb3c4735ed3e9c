"""`python -m upperwick.cli`."""

from upperwick.base.processes import end_with_parent

end_with_parent()  # before all that takes its time to be read in

from upperwick.cli.main import entry  # noqa: E402

entry()
