"""Commands: finding anything."""
