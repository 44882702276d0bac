"""Messages: reviews, rounds and reports."""
