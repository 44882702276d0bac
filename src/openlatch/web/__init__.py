"""The service's face: the API under /api/v1, its description, health, metrics, and the built console.

A route parses, calls one operation and renders; everything that all routes share is in `api`.
"""

from openlatch.web.api import Backend
from openlatch.web.app import create_app

__all__ = ["Backend", "create_app"]
