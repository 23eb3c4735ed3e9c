"""Lists of instruments: saved from hits, brought in, and used as universes."""
