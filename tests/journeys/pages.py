"""The pages of the console, each with an address that shows something."""

from __future__ import annotations

import re
from pathlib import Path
from urllib.parse import urlsplit

from playwright.sync_api import Page

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN

__all__ = ["addresses", "shown"]

ROUTER = Path(__file__).parents[2] / "console/src/app/router.ts"
ELSEWHERE = {"/found", "/signed-on", "/forgotten", "/link", "/answer/:link", "/ask", "/sign-in", "/:rest(.*)*"}
"""Pages that one reaches without being signed in; the journeys that lead there look at them."""


def places(client: Client) -> dict[str, str]:
    """An address of each page, by its path as the router has it."""
    entry = next(e for e in client.entries(flagged=True, state="live") if not e.by_hand)
    orla = client.party(f"orla.finch@{DOMAIN}").ref
    mast = client.account("Weather Mast").ref
    lock = {"do": "lock", "account": "Night-Sky Plates", "locked": True}
    proposal = client.worked_out(client.propose({"proposal": 1, "title": "A lock", "changes": [lock]}).ref)
    # A lock is set by a person: the batch has a task, and changes nothing.
    batch = client.apply_proposal(proposal.ref, 1).batch
    a_round = next(iter(client.rounds()), None) or client.open_round("After someone has left")
    return {
        "/entries/:entry": f"/entries/{entry.ref}",
        "/accounts/:account": f"/accounts/{mast}",
        "/parties/:party": f"/parties/{orla}",
        "/parties/:party/leaving": f"/parties/{orla}/leaving",
        "/providers/:provider": f"/providers/{entry.provider.ref}",
        "/providers/:provider/import": f"/providers/{client.provider('Hill Road Signage').ref}/import",
        "/policy/rules/:rule": "/policy/rules/unused-past-limit",
        "/what-if/:proposal": f"/what-if/{proposal.ref}",
        "/rounds/:round": f"/rounds/{a_round.ref}",
        "/batches/:batch": f"/batches/{batch}",
    }


def routes() -> list[str]:
    return [path for path in re.findall(r'path: "([^"]+)"', ROUTER.read_text()) if path not in ELSEWHERE]


def addresses(client: Client) -> list[str]:
    known = places(client)
    return [known.get(path, path) for path in routes()]


def shown(page: Page, address: str) -> None:
    """Go to a page and wait until it has all that it asks for."""
    page.goto(address)
    page.get_by_role("heading", level=1).first.wait_for()
    page.wait_for_load_state("networkidle")
    assert urlsplit(page.url).path == urlsplit(address).path, "nobody is led elsewhere"
