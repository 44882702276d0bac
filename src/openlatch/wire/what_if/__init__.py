"""Messages: proposals."""
