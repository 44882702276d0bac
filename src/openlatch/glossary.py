"""The nouns of the product: what each means, and by which one word it goes on the command line, in the API, on a page.

The API's tags and their descriptions, the glossary of the documentation, and the tests of these come from here.
"""

from __future__ import annotations

from dataclasses import dataclass

__all__ = ["GLOSSARY", "Term", "tag_of"]


@dataclass(frozen=True, slots=True)
class Term:
    """A noun: its meaning in a sentence, and where it is met."""

    word: str
    meaning: str
    tag: str
    """under which the API lists its operations"""
    paths: tuple[str, ...]
    """what the paths of these operations begin with"""
    page: str = ""
    """the title of its page in the console; empty where it has none of its own"""


GLOSSARY: tuple[Term, ...] = (
    Term(
        "entry",
        "One line of the inventory: one party's access to one account, or to some of its parts.",
        "entries",
        ("entries",),
        "Inventory",
    ),
    Term("account", "A shared account at a provider.", "accounts", ("accounts",), "Accounts"),
    Term(
        "party",
        "Who or what can have access: a person, a team, an app, or anyone.",
        "parties",
        ("parties", "perhaps-the-same", "sameness-decisions"),
        "Parties",
    ),
    Term("app", "A connected application, with what it can do on each account.", "apps", ("apps",), "Apps"),
    Term("activity", "What was done on accounts, by whom, and in whose name.", "activity", ("activity",), "Activity"),
    Term("view", "Filters of the inventory that you saved under a name.", "views", ("views",)),
    Term("search", "Finding anything by a name, an address or a short form.", "search", ("search",)),
    Term(
        "offer",
        "Access that is held out to someone, with limits, until they accept or decline it.",
        "offers",
        ("offers", "answers"),
        "Offers and requests",
    ),
    Term("request", "Access that someone asks for.", "requests", ("requests", "asking"), "Offers and requests"),
    Term("task", "What people are let in for, with the powers that it needs.", "tasks", ("tasks",)),
    Term(
        "what-if",
        "A proposal of changes, and what they would do: gains, losses, flags, limits.",
        "what-if",
        ("proposals",),
        "What-if",
    ),
    Term(
        "flag",
        "A rule of the policy that is true of an entry, an account or a party now; it can be accepted until a date.",
        "flags",
        ("flags",),
        "Flags",
    ),
    Term("review", "A schedule on which entries are looked at again, and by whom.", "reviews", ("reviews",), "Reviews"),
    Term(
        "round",
        "One occurrence of a review: its items, the decisions about them, and its report.",
        "rounds",
        ("rounds", "prints"),
        "Round",
    ),
    Term("order", "A commanded change at a provider, followed until it is proved.", "orders", ("orders",), "Orders"),
    Term("batch", "One action for many entries, with what came of each.", "batches", ("batches",), "Batches"),
    Term("leaver", "Someone who is leaving, and whose access is all ended.", "leavers", ("leavers",), "Leavers"),
    Term("team", "A group at a provider: whatever it can do, all its members can.", "teams", ("teams",)),
    Term("secret", "A password, key or code that people know.", "secrets", ("secrets",)),
    Term(
        "receipt",
        "The signed proof that an order took effect: what a fresh reading showed, and when.",
        "receipts",
        ("receipt-keys",),
    ),
    Term(
        "provider",
        "An outside service on which accounts live, the connector that reads it, and its readings.",
        "providers",
        ("providers", "connectors", "descriptions", "readings", "imports", "security-events", "security-event-keys"),
        "Providers",
    ),
    Term(
        "policy",
        "The file of all rules and limits: what is stale or risky.",
        "policy",
        ("policy", "rules"),
        "Policy",
    ),
    Term("people", "Who signs in to the workspace, each with a role.", "people", ("people",), "People"),
    Term("sign-on", "A service for single sign-on (OpenID Connect).", "sign-on", ("sign-ons",)),
    Term(
        "workspace",
        "One holder's Open Latch: its name, its time zone, and what its people need to sign in.",
        "workspace",
        ("workspace",),
        "Settings",
    ),
    Term("webhook", "An address that is sent what happens.", "webhooks", ("webhooks",), "Webhooks"),
    Term("log", "The append-only history of everything, signed.", "log", ("log",), "Log"),
    Term("service", "What runs all this: workers, jobs, database, keys.", "service", ("service",), "Service"),
    Term("me", "Your own account: sign-in, sessions, second factors.", "me", ("me", "session"), "My account"),
    Term("token", "What your programs sign in with.", "tokens", ("tokens",)),
    Term(
        "notice",
        "What Open Latch has told you, in letters, in the console and in your calendar.",
        "notices",
        ("notices", "calendar"),
        "Notices",
    ),
)
_TAGS = {path: term.tag for term in GLOSSARY for path in term.paths}


def tag_of(rule: str) -> str:
    """Return the tag of an operation by its path, such as `/orders/<order>/cancel`.

    Raises:
        LookupError: nothing in the glossary has such a path.
    """
    first = rule.strip("/").partition("/")[0]
    if first not in _TAGS:
        raise LookupError(f"nothing in the glossary has the path /{first}")
    return _TAGS[first]
