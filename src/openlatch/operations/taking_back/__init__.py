"""Orders carried out at providers, many at once, and the proof of them."""
