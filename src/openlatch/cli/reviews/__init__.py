"""Commands: reviews, rounds and their reports."""
