"""Kernels, one module a family; they hold nothing but the arithmetic."""
