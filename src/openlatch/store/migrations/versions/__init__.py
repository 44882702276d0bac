"""One module a migration, in the order of their numbers."""
