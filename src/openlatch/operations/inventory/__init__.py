"""The inventory as people look at it, keep it by hand and import it."""
