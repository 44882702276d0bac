"""Messages: who signs in."""
