"""Write which flags the stories of the demo raise, from a run: python docs/reference/stories.py. A test sees that the
committed table is what a run gives.
"""

from __future__ import annotations

import tempfile
from pathlib import Path

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.demo.seed import SLUG
from openlatch.local.stack import Stack

FILE = Path(__file__).parents[1] / "guide" / "stories.md"
HEAD = """# The demo's stories, and the flags they raise
<!-- made from a run by docs/reference/stories.py -->

Every story of Kestrel Ridge Observatory, with exactly the flags that it raises, by [rule](../reference/rules.md).

| story | on | flags |
| --- | --- | --- |
"""
ENTRIES = (
    # story, provider, account, party, kind
    (
        "A contractor who finished in spring still has a standing entry that can spend",
        "Ticket Desk",
        "Gate",
        "Brightmere Electrical",
        "delegate",
    ),
    ("… and still holds a key", "Dome Gateway", "Dome shared login", "works@brightmere.example", "delegate"),
    (
        "A former treasurer has left and is still an administrator, with her sign-in lost",
        "Donation Box",
        "Donations",
        "Lise Hartnell",
        "delegate",
    ),
    ("… and can still spend at the Ticket Desk", "Ticket Desk", "Bookings", "Lise Hartnell", "delegate"),
    ("… and knows the newsletter's password", "Members' Letter", "Newsletter", "Lise Hartnell", "secret"),
    ("An offer went to a mistyped address and was never answered", "Ticket Desk", "Gate", "Tobias Quill", "offer"),
    (
        "A star-chart app reads everything and was never used",
        "Plate Archive",
        "Night-Sky Plates",
        "Star Chart Weekly",
        "app",
    ),
    (
        "A volunteer has the same rights directly and through two teams",
        "Ticket Desk",
        "Bookings",
        "Orla Finch",
        "delegate",
    ),
    ("The gate tablet has been signed in for 400 days", "Ticket Desk", "Gate", "Gate tablet", "session"),
    (
        "A lent laptop is signed in, and nobody has seen it for weeks",
        "Plate Archive",
        "Night-Sky Plates",
        "Ines Okoro",
        "session",
    ),
    (
        "A visiting astronomer comes on Tuesdays and Fridays until the end of her run",
        "Dome Control",
        "North Dome",
        "Dr Amara Levy",
        "grant",
    ),
    ("Anyone can change a folder of unreleased plates", "Plate Archive", "Night-Sky Plates", "Anyone", "open"),
    (
        "Nobody has vouched in a year for an entry kept by hand",
        "Hill Road Signage",
        "Hill Road display",
        "Lantern Works",
        "delegate",
    ),
    (
        "An entry kept by hand ends, and nobody knows when",
        "Hill Road Signage",
        "Hill Road display",
        "Bram Finch",
        "delegate",
    ),
    (
        "An outside firm can let others into the broadcast channel",
        "Live Sky",
        "Kestrel Ridge Live",
        "Lantern Works",
        "delegate",
    ),
    (
        "An administrator looks every day, and has long neither bought nor admitted",
        "Ticket Desk",
        "Bookings",
        "Hanne Prior",
        "delegate",
    ),
    ("Someone is paid out to, and nobody has verified by whom", "Donation Box", "Payouts", "Ridge Ledger", "app"),
)
ACCOUNTS = (
    ("The weather mast has a single administrator", "Weather Mast"),
    ("Ticket Desk has eleven administrators", "Bookings"),
    ("The archive's lock is off", "Night-Sky Plates"),
    ("Four people know one password", "Newsletter"),
)
PARTIES = (
    ("A partner's address is one look-alike letter away", "exchange@kestreIridge.example"),
    ("A mistyped address", f"tquil@{DOMAIN}"),
    ("One person buys here and takes money out there", f"tobias.quill@{DOMAIN}"),
)


def table(client: Client) -> str:
    """Return the table as the demo behind a client gives it."""
    rows = []
    for story, provider, account, party, kind in ENTRIES:
        entries = [
            entry
            for entry in client.entries(provider=provider, account=account, kind=kind)
            if entry.party.name == party
        ]
        flags = {(f.rule, f.severity) for entry in entries for f in entry.flags if f.subject == "entry"}
        if not entries:
            raise LookupError(f"there is no {kind} of {party} on {account}")
        rows.append((story, f"{party} on {account}", flags))
    for story, account in ACCOUNTS:
        found = [f for f in client.flags(account=account) if f.subject == "account"]
        rows.append((story, account, {(f.rule, f.severity) for f in found}))
    for story, party in PARTIES:
        found = [f for f in client.flags(party=party) if f.subject == "party"]
        rows.append((story, party, {(f.rule, f.severity) for f in found}))
    return HEAD + "".join(
        f"| {story} | {on} | {', '.join(f'`{rule}` ({severity})' for rule, severity in sorted(flags)) or 'none'} |\n"
        for story, on, flags in rows
    )


def read_everything(client: Client) -> None:
    """Have every provider read, and wait until it is."""
    readings = [client.read(str(one.id)) for one in client.providers() if not one.by_hand]
    for reading in readings:
        for last in client.follow_reading(reading.id):
            if last.state in ("partial", "failed"):
                raise RuntimeError(f"a reading did not come to its end: {last.trouble}")


if __name__ == "__main__":
    with tempfile.TemporaryDirectory(prefix="openlatch-stories-", dir="/tmp") as folder:
        Path(folder).chmod(0o711)
        with Stack(Path(folder) / "stack", fast=True) as stack:
            address = f"maren.ashdown@{DOMAIN}"
            client, _ = Client.sign_in(stack.url, workspace=SLUG, address=address, password=PASSWORD, days=1)
            with client:
                read_everything(client)
                FILE.write_text(table(client))
