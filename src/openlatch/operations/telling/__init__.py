"""Telling people and other programs what concerns them."""
