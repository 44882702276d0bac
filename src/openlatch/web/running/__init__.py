"""The service itself, over HTTP."""
