"""For every operation: what it does, seen from outside, and what it refuses without changing anything."""
