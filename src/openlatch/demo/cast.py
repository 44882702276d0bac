"""The people of Kestrel Ridge: nine staff, some sixty volunteers, and those from outside."""

from __future__ import annotations

from dataclasses import dataclass

__all__ = ["DOMAIN", "OUTSIDERS", "PASSWORD", "SIGN_INS", "STAFF", "TEAMS", "VOLUNTEERS", "Someone"]

DOMAIN = "kestrelridge.example"
PASSWORD = "kestrel-ridge-demo"  # noqa: S105 - printed for everyone who starts the demo


@dataclass(frozen=True, slots=True)
class Someone:
    """A person, or a firm, with the address it is known by."""

    key: str
    name: str
    address: str
    status: str = "current"


def _at_home(name: str, status: str = "current") -> Someone:
    first, last = name.lower().split()
    return Someone(f"{first}.{last}", name, f"{first}.{last}@{DOMAIN}", status)


STAFF = tuple(
    _at_home(name)
    for name in (
        "Maren Ashdown",
        "Tobias Quill",
        "Ines Okoro",
        "Pell Varga",
        "Ruth Calder",
        "Hanne Prior",
        "Jory Penrose",
        "Sabine Thorne",
        "Ivo Marsh",
    )
)
TEAMS = (
    Someone("team:volunteers", "Volunteers", f"volunteers@{DOMAIN}"),
    Someone("team:guides", "Guides", f"guides@{DOMAIN}"),
    Someone("team:saturday", "Saturday crew", f"saturday@{DOMAIN}"),
)
_FIRST = ["Orla", "Bram", "Celia", "Dov", "Edda", "Finn", "Greta", "Hugo", "Isla", "Joss", "Kira", "Lorne"]
_LAST = ["Finch", "Alder", "Brook", "Crane", "Dale"]
VOLUNTEERS = tuple(_at_home(f"{first} {last}") for last in _LAST for first in _FIRST)
OUTSIDERS = (
    Someone("brightmere", "Brightmere Electrical", "works@brightmere.example"),
    Someone("amara.levy", "Dr Amara Levy", "amara.levy@northcape-uni.example"),
    Someone("coach.parties", "Ridgeway Coach Parties", "bookings@ridgewaycoaches.example"),
    Someone("lise.hartnell", "Lise Hartnell", f"l.hartnell@{DOMAIN}", "left"),
)
SIGN_INS = (
    ("Maren Ashdown", "owner"),
    ("Tobias Quill", "manager"),
    ("Ines Okoro", "reviewer"),
    ("Pell Varga", "reviewer"),
    ("Ruth Calder", "auditor"),
    ("Orla Finch", "member"),
)
"""Who can sign in to the demo, and as what; all with the same password."""
