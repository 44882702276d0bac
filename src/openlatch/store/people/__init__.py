"""Workspaces, people, and what they were answered."""
