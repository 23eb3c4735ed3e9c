"""What charts show of an instrument: its bars at a moment, series, drawings, facts."""
