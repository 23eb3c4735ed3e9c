"""Import: look at files, stage them, merge them into the database, undo."""
