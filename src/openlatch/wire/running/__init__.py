"""Messages: the service itself."""
