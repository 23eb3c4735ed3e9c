"""Rules of each account, with all their versions, and the scan."""
