"""Batches as they are stored."""
