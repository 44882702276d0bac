"""Messages: the inventory, its parties, and lists that are imported."""
