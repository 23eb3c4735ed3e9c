"""Instruments, bars, universes, reports and the calendar: stored, imported, exported, loaded."""
