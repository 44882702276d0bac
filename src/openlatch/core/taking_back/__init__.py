"""Many orders at once, someone who leaves, and the proof of each."""
