"""The columns of the inventory as people choose them: the same names and headings on the command line and the console.

What each says is told by whatever draws it. `USUAL` are those that are drawn where none are chosen.
"""

from __future__ import annotations

from collections.abc import Mapping

__all__ = ["COLUMNS", "USUAL"]

COLUMNS: Mapping[str, str] = {
    "severity": "",
    "who": "who",
    "where": "where",
    "as": "as",
    "powers": "powers",
    "span": "span",
    "given": "given",
    "last-used": "last used",
    "ends": "ends",
    "reviewed": "reviewed",
    "parts": "parts",
    "basis": "reason",
    "id": "id",
    "risk": "risk",
    "why": "why it is flagged",
}
USUAL = ("where", "as", "powers", "span", "why")
