"""Flags and the policy over HTTP."""
