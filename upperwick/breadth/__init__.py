"""Breadths as the interface asks for them."""
