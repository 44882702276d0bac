"""Commands: many orders at once, and somebody who leaves."""
