"""Kestrel Ridge Observatory: everything that the demo, the tour, the tests and the documents show. Invented throughout.

Dates are relative to the day on which it is seeded, so that the demo never grows old.
"""
