"""The invented market's generator."""
