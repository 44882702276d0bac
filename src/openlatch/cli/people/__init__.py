"""Commands: signing in, and who signs in."""
