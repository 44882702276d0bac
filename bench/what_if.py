"""W: what a document of 200 statements would change, worked out whole, against one load of the inventory's page."""

from __future__ import annotations

import random
import tempfile
from functools import partial
from pathlib import Path

import httpx

from bench.measure import growth, line, side_by_side
from openlatch.client import Client
from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.demo.seed import SLUG
from openlatch.local.stack import Stack
from openlatch.operations.call import as_service
from openlatch.operations.what_if import proposals
from openlatch.wire.what_if.proposal_file import ProposalFile

__all__ = ["what_if"]

SIZES = (50, 100, 200)
ROUNDS = 15
PAGE = ("/me", "/entries?limit=100", "/entries/summary", "/providers", "/views", "/session/holders")
"""What the inventory's page asks the service for when it is loaded."""


def what_if() -> str:
    """Measure at three sizes, flags and risk included; nothing is changed by it."""
    with (
        tempfile.TemporaryDirectory(prefix="openlatch-bench-", dir="/tmp") as folder,
        Stack(Path(folder) / "stack", fast=True) as stack,
    ):
        Path(folder).chmod(0o711)
        address = f"maren.ashdown@{DOMAIN}"
        client, token = Client.sign_in(stack.url, workspace=SLUG, address=address, password=PASSWORD)
        with (
            client,
            httpx.Client(base_url=f"{stack.url}/api/v1", headers={"Authorization": f"Bearer {token.secret}"}) as http,
        ):
            list(client.follow_reading(client.read("Plate Archive").id))

            def page() -> None:
                for path in PAGE:
                    http.get(path).raise_for_status()

            def outcome(file: ProposalFile) -> None:
                with stack.service.store.transaction(SLUG) as tx:
                    proposals.outcome(as_service(tx, stack.service.services), file)

            files = {size: _proposal(size) for size in SIZES}
            pairs = {size: side_by_side(partial(outcome, files[size]), page, ROUNDS) for size in SIZES}
    what = f"what a document of {SIZES[-1]} statements would change, flags and risk too, against one page load"
    exponent = growth(SIZES, [pairs[size].seconds for size in SIZES])
    return line("W", what, pairs[SIZES[-1]], SIZES, exponent)


def _proposal(size: int) -> ProposalFile:
    chance = random.Random(size)
    statements = [
        {
            "effect": chance.choice(("allow", "allow", "allow", "deny")),
            "to": [
                chance.choice(
                    ({"anyone": True}, {"domain": f"d{n % 20}.example"}, {"party": f"p{n}@d{n % 20}.example"})
                )
            ],
            "powers": chance.sample(("view", "edit", "export"), 2),
            "networks": [f"10.{chance.randrange(64)}.{chance.randrange(256)}.0/24"] if n % 3 == 0 else None,
            "hours": ["mon,wed 09:00-17:00"] if n % 4 == 0 else None,
        }
        for n in range(size)
    ]
    change = {"do": "share", "account": "Night-Sky Plates", "resource": "folder 200", "zone": "Europe/London"}
    return ProposalFile.model_validate({"proposal": 1, "title": "W", "changes": [change | {"statements": statements}]})
