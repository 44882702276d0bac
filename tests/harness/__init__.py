"""What tests stand on: one PostgreSQL a run, copies of what was built once, and the product in this very process."""
