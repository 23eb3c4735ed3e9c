"""Precedents of a morning as the interface asks for them."""
