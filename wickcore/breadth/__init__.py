"""The market as a whole: a breadth through time, the times it passed a level, and what the index did afterwards."""
