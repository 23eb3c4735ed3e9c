"""All instruments' bars in one ragged table, with frames, splits and facts."""
