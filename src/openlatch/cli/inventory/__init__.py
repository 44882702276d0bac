"""Commands: the inventory."""
