"""The command `upperwick`: one module a family of commands, each imported when one of its commands is run."""
