"""What about the data a person has to know, and what was decided about it."""
