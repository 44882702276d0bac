"""Letting people in: offers, requests, and the order that an offer becomes."""
