"""Many orders at once, somebody who leaves, and the proof of each."""
