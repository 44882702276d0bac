"""Routes: finding anything."""
