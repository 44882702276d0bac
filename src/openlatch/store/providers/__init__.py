"""Providers, readings, and what their words were said to mean."""
