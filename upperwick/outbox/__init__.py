"""Messages as mail, and report dates as a calendar."""
