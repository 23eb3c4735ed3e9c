"""The bench at work: plans, fills, paper orders, and positions that are watched."""
