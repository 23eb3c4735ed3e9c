"""What a fill is: entries, exits, resting orders, costs, and how far a position went on the way. Used by whatever trades."""
