"""The desk, and finding anything."""
