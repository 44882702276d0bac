"""What is wrong with a running service."""
