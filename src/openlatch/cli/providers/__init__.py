"""Commands: providers and readings."""
