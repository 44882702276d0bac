"""Review plans, rounds, and reports that are printed."""
