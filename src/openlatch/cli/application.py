"""What the web server loads: the service as a WSGI app, from the settings."""

from __future__ import annotations

from flask import Flask

from openlatch.wiring import settings, wire

__all__ = ["application"]


def application() -> Flask:
    """Return the service as a WSGI app."""
    return wire(settings()).web()
