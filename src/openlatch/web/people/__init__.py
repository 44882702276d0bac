"""Signing in, people and tokens, over HTTP."""
