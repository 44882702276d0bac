"""The service itself."""
