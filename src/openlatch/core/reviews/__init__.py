"""Reviews that come round: rounds, what is decided in them, and what they report."""
