"""Lists of instruments, and the bench's items and stages."""
