"""Commands: proposals."""
