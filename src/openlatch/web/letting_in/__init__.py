"""Offers, requests and links over HTTP."""
