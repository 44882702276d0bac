"""Commands: the log."""
