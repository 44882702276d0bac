"""Offers, requests and links: how people are let in, and what becomes of that."""
