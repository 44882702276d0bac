"""The inventory over HTTP."""
