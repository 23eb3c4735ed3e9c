"""The place Data: what is brought in, kept, undone and taken out again."""
