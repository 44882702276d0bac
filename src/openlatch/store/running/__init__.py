"""What can be asked of a running service."""
