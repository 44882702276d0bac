"""Proposals: rehearsed, compared, and applied."""
