"""The rule language: text to tree to checked rule."""
