"""Commands: many orders at once, and someone who leaves."""
