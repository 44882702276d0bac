"""What the providers begin with that speak an open protocol: a directory, apps, mailboxes, and a login with keys."""

from __future__ import annotations

import base64
import hashlib
import json
from collections.abc import Mapping
from dataclasses import dataclass
from datetime import datetime, timedelta
from typing import Any

from openlatch.demo.cast import DOMAIN, STAFF, VOLUNTEERS
from openlatch.demo.feeds import ago

__all__ = [
    "APPS",
    "MAILBOX_OWNER",
    "MAIL_USERS",
    "Box",
    "access_lists",
    "donation_box",
    "gateway_files",
    "volunteer_roll",
]

APPS = ("star-chart", "ledger", "thanks", "raffle")
MAILBOX_OWNER = "front.office"
MAIL_USERS = (MAILBOX_OWNER, *(s.key for s in (*STAFF, *VOLUNTEERS[:6])), "brightmere")


def volunteer_roll(now: datetime) -> dict[str, Any]:
    """A directory in SCIM: nested groups; who leaves is marked inactive late."""
    users = [
        {
            "schemas": ["urn:ietf:params:scim:schemas:core:2.0:User"],
            "id": someone.key,
            "userName": someone.address,
            "displayName": someone.name,
            "emails": [{"value": someone.address, "primary": True}],
            "userType": "staff" if someone in STAFF else "volunteer",
            "active": True,
            "roles": [{"value": role} for role in roles],
            "meta": {"created": ago(now, 200 + place * 17)},
        }
        for place, (someone, roles) in enumerate(
            [(s, ["roll keeper"] if n in (0, 5) else []) for n, s in enumerate(STAFF)]
            + [(s, ["badge printer"] if n == 3 else []) for n, s in enumerate(VOLUNTEERS[:26])]
        )
    ]

    def group(key: str, name: str, people: list[str], groups: tuple[str, ...] = ()) -> dict[str, Any]:
        members = [{"value": p, "type": "User"} for p in people] + [{"value": g, "type": "Group"} for g in groups]
        return {
            "schemas": ["urn:ietf:params:scim:schemas:core:2.0:Group"],
            "id": key,
            "displayName": name,
            "members": members,
            "meta": {"created": ago(now, 1300)},
        }

    keys = [s.key for s in VOLUNTEERS[:26]]
    groups = [
        group("everyone", "Everyone at the ridge", [s.key for s in STAFF], ("helpers",)),
        group("helpers", "Helpers", keys[:4], ("dark-sky", "roll-desk")),
        group("dark-sky", "Dark-sky wardens", keys[4:16]),
        group("roll-desk", "Roll desk", [keys[0], *keys[16:20]]),
    ]
    return {"Users": users, "Groups": groups}


@dataclass(frozen=True, slots=True)
class Box:
    """The Donation Box: what its stand-in begins with, and the secret with which it is watched."""

    load: Mapping[str, Any]
    secret: str


def donation_box(now: datetime, client_secret: str, tokens: Mapping[str, str]) -> Box:
    """Connected apps, known by their tokens; a scope that nobody has explained, and one that pays out."""
    apps = (
        # key, app, publisher, account, scopes, by whom, given, ends
        ("star-chart", "Star Chart Weekly", "Star Chart Press", "Donations", "email donors.read donors.export", "maren.ashdown", 310, None),  # noqa: E501
        ("ledger", "Ridge Ledger", "Tallow & Finch Accounting", "Payouts", "payouts.read payouts.withdraw offline_access", "l.hartnell", 800, None),  # noqa: E501
        ("thanks", "Thank-you letters", "Kestrel Ridge Observatory", "Donations", "donors.read", "tobias.quill", 150, 200),  # noqa: E501
        ("raffle", "Autumn raffle", "Lantern Works", "Donations", "donors.read pledges.amend", "tobias.quill", 70, 20),
    )  # fmt: skip
    issued, watched = [], []
    for key, app, publisher, account, scopes, by, given, ends in apps:
        since = int((now - timedelta(days=given)).timestamp())
        end = {} if ends is None else {"exp": int((now + timedelta(days=ends)).timestamp())}
        issued.append({"token": tokens[key], "client_id": key, "scope": scopes, "username": by, "iat": since, **end})
        home = f"https://{key}.example"
        watched.append(
            {"token": tokens[key], "app": app, "publisher": publisher, "account": account, "home": home}
        )  # fmt: skip
    secret = {"client_id": "open-latch", "client_secret": client_secret, "tokens": watched}
    return Box({"tokens": issued}, json.dumps(secret))


def access_lists() -> dict[str, dict[str, str]]:
    """The front office's shared mailboxes: rights letters by who has them, by mailbox."""
    maren, tobias, ines, _, _, hanne, *_ = (s.key for s in STAFF)
    helpers = [s.key for s in VOLUNTEERS[:6]]
    return {
        "INBOX": {maren: "lrswitea", tobias: "lrs", hanne: "lrswipte"},
        "Press": {maren: "lrswipte", ines: "lrsp", "brightmere": "lr"},
        "School groups": {hanne: "lrswiptea", **dict.fromkeys(helpers[:4], "lrs")},
        "Lost property": {hanne: "lrswite", "anyone": "lr", helpers[5]: "lrswit"},
    }


def gateway_files(now: datetime, own_key: str) -> tuple[str, str]:
    """The authorized keys of the shared login, and what sshd's log already says of them."""
    end = (now + timedelta(days=18)).strftime("%Y%m%d")
    _, _, _, pell, _, _, jory, _, ivo = STAFF
    lines = (
        # options, comment, days since it was used last
        ("", jory.address, 1),
        ("", ivo.address, 6),
        ("", f"pell laptop <{pell.address}>", 0),
        ('from="192.0.2.0/24"', "works@brightmere.example", 229),
        (f'expiry-time="{end}"', "amara.levy@northcape-uni.example", 3),
        ('restrict,command="/usr/local/bin/read-mast"', "weather mast, every ten minutes", 0),
        ("", "", 700),
        ("", f"old import <import@{DOMAIN}>", None),
    )
    keys = [f"{own_key} Open Latch"]
    log = []
    for number, (options, comment, used) in enumerate(lines):
        blob = _public_key(number)
        keys.append(
            " ".join(part for part in (options, f"ssh-ed25519 {base64.b64encode(blob).decode()}", comment) if part)
        )
        if used is not None:
            print_ = base64.b64encode(hashlib.sha256(blob).digest()).decode().rstrip("=")
            log.append(
                (ago(now, used), f"Accepted publickey for LOGIN from 192.0.2.9 port 5022 ssh2: ED25519 SHA256:{print_}")
            )
    return "\n".join(keys) + "\n", "".join(f"{at} gateway sshd: {said}\n" for at, said in sorted(log))


def _public_key(number: int) -> bytes:
    """A public key that belongs to nobody: its private half was never made."""
    name = b"ssh-ed25519"
    body = hashlib.sha256(f"kestrel ridge key {number}".encode()).digest()
    return len(name).to_bytes(4, "big") + name + len(body).to_bytes(4, "big") + body
