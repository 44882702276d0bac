"""Proposals over HTTP."""
