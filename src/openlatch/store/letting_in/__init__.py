"""Offers and requests as they are stored."""
