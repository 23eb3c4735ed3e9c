"""Books: rules traded as a portfolio."""
