"""Batches over HTTP."""
