"""The account behind the rules: what its size means for what can be traded."""
