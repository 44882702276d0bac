"""What a running service is like, and what is wrong with it."""
