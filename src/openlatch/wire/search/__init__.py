"""Messages: finding anything."""
