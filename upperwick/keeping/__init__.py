"""Keeping: what is watched, what is told, and the desk."""
