"""Messages: the log."""
