"""Benchmarks: python -m bench [ID …]. Each prints one JSON line with a ratio against a floor measured beside it."""
