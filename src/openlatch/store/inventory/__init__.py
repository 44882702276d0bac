"""Entries, accounts and parties as they are stored, listed and counted."""
