"""Evaluate a checked rule over Bars: truth per line, taper, near misses, explain."""
