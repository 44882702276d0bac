"""What the observatory keeps by hand, since no reading shows it: passwords that were told, and who is let in unseen."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from openlatch.demo.cast import DOMAIN

__all__ = ["ENTRIES", "PROVIDERS", "WORDS", "Kept"]

PROVIDERS = ("Members' Letter", "Hill Road Signage")
"""Those of which nothing can be read at all."""

WORDS: tuple[tuple[str, str, tuple[str, ...]], ...] = (
    ("Volunteer Roll", "staff", ("view",)),
    ("Volunteer Roll", "volunteer", ("view",)),
    ("Volunteer Roll", "roll keeper", ("view", "edit", "export", "admit")),
    ("Volunteer Roll", "Everyone at the ridge", ()),
    ("Volunteer Roll", "Helpers", ()),
    ("Volunteer Roll", "Roll desk", ("view", "edit", "admit")),
    ("Donation Box", "donors.read", ("view",)),
    ("Donation Box", "donors.export", ("export",)),
    ("Donation Box", "payouts.read", ("view",)),
    ("Donation Box", "payouts.withdraw", ("withdraw",)),
)
"""What the observatory has said about its providers' words; some words nobody has explained yet."""


@dataclass(frozen=True, slots=True)
class Kept:
    """An entry kept by hand; `vouched` is days ago, and so is `unanswered`, when a review asked about it in vain."""

    provider: str
    vouched: int
    fields: Mapping[str, str] = field(default_factory=dict)
    unanswered: int = 0


def _told(name: str, address: str, status: str = "current") -> Kept:
    fields = {
        "account": "Newsletter", "party": name, "addresses": address, "party_status": status, "kind": "secret",
        "level": "the shared password", "powers": "view; edit; publish", "given_by": "Sabine Thorne",
        "basis": "The newsletter has one sign-in for everybody",
    }  # fmt: skip
    return Kept("Members' Letter", 34, fields)


def _keeper(
    provider: str, account: str, name: str, address: str, vouched: int, unanswered: int = 0, **more: str
) -> Kept:
    fields = {"account": account, "party": name, "addresses": address, "kind": "delegate"}
    return Kept(provider, vouched, fields | more, unanswered)


_ALL = "view; edit; export; spend; withdraw; admit"
ENTRIES = (
    _told("Sabine Thorne", f"sabine.thorne@{DOMAIN}"),
    _told("Jory Penrose", f"jory.penrose@{DOMAIN}"),
    _told("Orla Finch", f"orla.finch@{DOMAIN}"),
    _told("Lise Hartnell", f"l.hartnell@{DOMAIN}", "left"),
    _keeper(
        "Hill Road Signage", "Hill Road display", "Ivo Marsh", f"ivo.marsh@{DOMAIN}", 40, 30, level="sign keeper",
        powers="view; edit; publish; admit",
    ),
    _keeper(
        "Hill Road Signage", "Hill Road display", "Lantern Works", "boards@lanternworks.example", 395,
        level="board delegate", powers="view; publish", given_by="Ivo Marsh", basis="Posters for the summer fair",
    ),
    _keeper(
        "Hill Road Signage", "Hill Road display", "Bram Finch", f"bram.finch@{DOMAIN}", 40, level="board delegate",
        powers="view; publish", end_unknown="yes", hours="sat 10:00-16:00 Europe/London",
    ),
    _keeper(
        "Donation Box", "Donations", "Maren Ashdown", f"maren.ashdown@{DOMAIN}", 25, level="administrator", powers=_ALL
    ),
    _keeper(
        "Donation Box", "Donations", "Tobias Quill", f"tobias.quill@{DOMAIN}", 25, level="administrator", powers=_ALL
    ),
    _keeper(
        "Donation Box", "Donations", "Lise Hartnell", f"l.hartnell@{DOMAIN}", 25, level="administrator", powers=_ALL,
        party_status="left", basis="Treasurer until last year; her second factor is lost, so nobody can sign in as her",
    ),
)  # fmt: skip
