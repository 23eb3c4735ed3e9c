"""What is to be told of, looked at once a moment."""
