"""Proposals and what came of working them out."""
