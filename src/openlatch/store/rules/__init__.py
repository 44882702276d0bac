"""Policies and flags as they are stored."""
