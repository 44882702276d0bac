"""Who has access to what: read, joined, imported, and followed through every team."""
