"""Orders, and the keys that sign for them."""
