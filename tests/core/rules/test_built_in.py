"""Every rule that a workspace begins with, at and around its limits, and nothing on what is as it should be."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

import pytest

from openlatch.core.rules.catalogue import COLUMNS
from openlatch.core.rules.check import EPOCH, micros
from openlatch.core.rules.rows import Concerned, Singly
from openlatch.core.rules.tree import Type
from openlatch.operations.rules.policy_file import BUILT_IN, read
from openlatch.words import Power, Subject
from tests.core.rules.inventories import Inventory
from tests.factories import NOW, ago

READ = read(BUILT_IN, "UTC")
SINGLY = Singly(READ.program)
TICK = timedelta(microseconds=1)
BLANK: dict[Type, Any] = {
    Type.BOOL: False,
    Type.INT: 0,
    Type.STRING: "",
    Type.TIME: None,
    Type.DURATION: timedelta(days=90),
    Type.STRINGS: [],
    Type.POWERS: set(),
}
HEAVY = {"entry_powers": {Power.VIEW, Power.SPEND}}
KEPT = {name: None if c.maybe else BLANK[c.type] for name, c in COLUMNS.items() if not name.endswith("_id")}
RIGHT: dict[str, Any] = KEPT | {
    "entry_kind": "delegate",
    "entry_state": "live",
    "entry_powers": {Power.VIEW, Power.EDIT},
    "entry_use_known": True,
    "entry_level": "guide",
    "entry_given_at": ago(100),
    "entry_last_used": ago(1),
    "entry_reviewed_at": ago(50),
    "account_criticality": "normal",
    "account_name": "Gate",
    "party_kind": "person",
    "party_name": "Orla Finch",
    "party_status": "current",
    "party_verified": True,
    "party_publisher": "Ridge",
    "party_addresses": ["orla@ridge.example"],
    "provider_name": "Ticket Desk",
}


def found(*changes: dict[str, Any]) -> dict[str, str]:
    """The flags on an inventory of one account with one entry for each change; parties differ, unless told."""
    wide = [RIGHT | change for change in changes]
    tables = [{n: v for n, v in document.items() if n.startswith(t)} for document in wide for t in ("entry_",)]
    parties = [{n: v for n, v in document.items() if n.startswith("party_")} for document in wide]
    account = {n: v for n, v in wide[0].items() if n.startswith("account_")}
    provider = {n: v for n, v in wide[0].items() if n.startswith("provider_")}
    same = changes[0].get("same_party", False)
    held = Inventory([provider], [(account, 0)], parties, [(own, 0, 0 if same else n) for n, own in enumerate(tables)])
    rows = held.rows(READ.program)
    everyone = Concerned(frozenset(range(len(wide))), frozenset([0]), frozenset(range(len(wide))))
    outcome = SINGLY.evaluate(
        rows[Subject.ENTRY], rows[Subject.ACCOUNT], rows[Subject.PARTY], everyone, micros(NOW - EPOCH)
    )
    ranks = ("low", "medium", "high", "critical")
    worst: dict[str, int] = {}
    for one in outcome.found:
        rule = READ.program.rules[one.rule].rule.id
        worst[rule] = max(worst.get(rule, 0), one.severity)
    return {rule: ranks[rank - 1] for rule, rank in worst.items()}


OUT = {"party_outside": True, "entry_ends_at": NOW + TICK, "entry_basis": "to mend the gate"}
APP = {"entry_kind": "app", "party_kind": "app"}
ADMIN = {"entry_powers": {Power.VIEW, Power.ADMIT}}
SECRET = {"entry_kind": "secret", "entry_level": "password", "entry_use_known": False, "entry_last_used": None}
OPEN = {"entry_kind": "open", "party_kind": "anyone", "entry_use_known": False, "party_addresses": []}
LEFT = {"party_status": "left"}
TOLD = {"entry_uses_known": True, "entry_uses_view": ago(1), "entry_uses_edit": ago(1)}
BUYS = HEAVY | {"entry_uses_known": True, "entry_uses_view": ago(1)}

CASES: list[tuple[str, str | None, list[dict[str, Any]]]] = [
    ("unused-past-limit", "medium", [{"entry_last_used": ago(90)}]),
    ("unused-past-limit", None, [{"entry_last_used": ago(90) + TICK}]),
    ("unused-past-limit", "high", [HEAVY | {"entry_last_used": ago(91)}]),
    ("unused-past-limit", None, [{"entry_last_used": ago(400), "entry_use_known": False}]),
    ("unused-past-limit", None, [{"entry_last_used": ago(400), "entry_state": "offered"}]),
    ("unused-past-limit", "medium", [{"entry_last_used": ago(400), "entry_state": "ending"}]),
    ("never-used", "medium", [{"entry_last_used": None, "entry_given_at": ago(30)}]),
    ("never-used", None, [{"entry_last_used": None, "entry_given_at": ago(30) + TICK}]),
    ("never-used", None, [{"entry_last_used": None, "entry_given_at": ago(400), "entry_accepted_at": ago(10)}]),
    ("never-used", None, [{"entry_last_used": None, "entry_given_at": None}]),
    ("app-unused", "medium", [APP | {"entry_last_used": ago(90)}]),
    ("app-unused", "high", [APP | {"entry_last_used": None, "entry_powers": {Power.EXPORT}}]),
    ("app-unused", None, [APP | {"entry_last_used": ago(89)}]),
    ("live-past-end", "high", [{"entry_ends_at": NOW - timedelta(hours=1)}]),
    ("live-past-end", None, [{"entry_ends_at": NOW - timedelta(hours=1) + TICK}]),
    ("review-unanswered", "medium", [{"entry_unanswered_at": ago(3)}]),
    ("review-unanswered", "high", [HEAVY | {"entry_unanswered_at": ago(3)}]),
    ("review-unanswered", None, [{"entry_unanswered_at": None}]),
    ("hours-not-kept", "low", [{"entry_has_hours": True, "entry_by_hand": True, "entry_vouched_at": NOW}]),
    ("hours-not-kept", "medium", [HEAVY | {"entry_has_hours": True, "entry_by_hand": True, "entry_vouched_at": NOW}]),
    ("hours-not-kept", None, [{"entry_has_hours": True}]),
    ("live-past-end", "critical", [HEAVY | {"entry_ends_at": ago(2)}]),
    ("offer-unanswered", "low", [{"entry_kind": "offer", "entry_state": "offered", "entry_given_at": ago(14)}]),
    ("offer-unanswered", None, [{"entry_kind": "offer", "entry_state": "offered", "entry_given_at": ago(13)}]),
    ("review-overdue", "low", [{"entry_reviewed_at": ago(365)}]),
    ("review-overdue", None, [{"entry_reviewed_at": ago(364)}]),
    ("never-reviewed", "low", [OUT | {"entry_reviewed_at": None, "entry_given_at": ago(365)}]),
    ("never-reviewed", "medium", [OUT | HEAVY | {"entry_reviewed_at": None, "entry_given_at": ago(365)}]),
    ("never-reviewed", None, [{"entry_reviewed_at": None, "entry_given_at": ago(2000)}]),
    ("vouch-worn-off", "medium", [{"entry_by_hand": True, "entry_vouched_at": ago(90)}]),
    ("vouch-worn-off", "medium", [{"entry_by_hand": True}]),
    ("vouch-worn-off", None, [{"entry_by_hand": True, "entry_vouched_at": ago(89)}]),
    ("session-unseen", "medium", [{"entry_kind": "session", "entry_last_used": ago(30)}]),
    ("session-unseen", None, [{"entry_kind": "session", "entry_last_used": ago(29)}]),
    ("session-old", "medium", [{"entry_kind": "session", "entry_given_at": ago(180)}]),
    ("session-old", None, [{"entry_kind": "session", "entry_given_at": ago(179)}]),
    ("purpose-over", "high", [{"party_over": NOW}]),
    ("purpose-over", None, [{"party_over": NOW + TICK}]),
    ("purpose-over", "critical", [HEAVY | {"account_over": ago(1)}]),
    ("holder-left", "high", [LEFT]),
    ("holder-left", "critical", [LEFT | HEAVY]),
    ("holder-left", None, [{"party_status": "unknown"}]),
    ("address-near-miss", "high", [{"party_near": "ridge.example", "party_near_how": "its domain looks like"}]),
    ("address-near-miss", None, [{}]),
    ("reported", "high", [{"party_reported": "their account was disabled", "party_reported_at": ago(29)}]),
    ("reported", None, [{"party_reported": "their account was disabled", "party_reported_at": ago(30)}]),
    ("reported", None, [{}]),
    ("nobody-known", "high", [{"party_addresses": []}]),
    ("nobody-known", "medium", [{"party_addresses": [], "entry_powers": {Power.VIEW}}]),
    ("nobody-known", None, [APP | {"party_addresses": []}]),
    ("nobody-known", None, [{"party_addresses": [], "party_service": True}]),
    ("unverified-with-weight", "medium", [HEAVY | {"party_verified": False}]),
    ("unverified-with-weight", None, [{"party_verified": False}]),
    ("unverified-with-weight", None, [HEAVY | {"party_verified": False, "party_service": True}]),
    ("publisher-unknown", "medium", [APP | {"party_verified": False}]),
    ("publisher-unknown", "high", [APP | HEAVY | {"party_publisher": ""}]),
    ("publisher-unknown", None, [APP]),
    ("meaning-unknown", "medium", [{"entry_unknown": ["badge printer"]}]),
    ("meaning-unknown", None, [{"entry_unknown": []}]),
    ("end-unknown", "low", [{"entry_end_unknown": True}]),
    ("end-unknown", None, [{}]),
    ("outsider-without-end", "medium", [OUT | {"entry_ends_at": None}]),
    ("outsider-without-end", "high", [OUT | HEAVY | {"entry_ends_at": None}]),
    ("outsider-without-end", None, [OUT]),
    ("outsider-without-end", None, [OUT | {"entry_ends_at": None, "entry_end_unknown": True}]),
    ("outsider-admits", "high", [OUT | ADMIN]),
    ("outsider-admits", "critical", [OUT | ADMIN | {"account_criticality": "vital"}]),
    ("outsider-admits", None, [OUT]),
    ("outsider-money", "medium", [OUT | HEAVY]),
    ("outsider-money", "high", [OUT | {"entry_powers": {Power.WITHDRAW}}]),
    ("outsider-money", None, [OUT | ADMIN]),
    ("outsider-without-basis", "low", [OUT | {"entry_basis": ""}]),
    ("outsider-without-basis", None, [OUT]),
    ("power-idle", "low", [TOLD | {"entry_uses_edit": ago(90)}]),
    ("power-idle", None, [TOLD | {"entry_uses_edit": ago(89)}]),
    ("power-idle", None, [TOLD | {"entry_uses_known": False, "entry_uses_edit": ago(90)}]),
    ("power-idle", "medium", [BUYS | {"entry_uses_spend": ago(90)}]),
    ("money-idle", "medium", [BUYS | {"entry_uses_spend": ago(60)}]),
    ("money-idle", None, [BUYS | {"entry_uses_spend": ago(59)}]),
    ("money-idle", "high", [OUT | BUYS | {"entry_given_at": ago(60)}]),
    ("grant-without-end", "medium", [{"entry_kind": "grant"}]),
    ("grant-without-end", None, [{"entry_kind": "grant", "entry_ends_at": NOW + TICK}]),
    ("held-twice", "low", [{"entry_powers_through_teams": {Power.VIEW, Power.EDIT, Power.EXPORT}}]),
    ("held-twice", None, [{"entry_powers_through_teams": {Power.VIEW}}]),
    ("alike-twice", "low", [{"same_party": True}, {}]),
    ("alike-twice", None, [{"same_party": True}, {"entry_level": "cashier"}]),
    ("alike-twice", None, [{"same_party": True}, {"entry_resources": ["folder 1"]}]),
    ("team-with-weight", "medium", [HEAVY | {"party_kind": "team"}]),
    ("team-with-weight", None, [{"party_kind": "team"}]),
    ("open-to-read", "medium", [OPEN | {"entry_powers": {Power.VIEW}}]),
    ("open-to-read", "high", [OPEN | {"entry_powers": {Power.EXPORT}, "account_criticality": "vital"}]),
    ("open-to-read", None, [OPEN | {"entry_powers": {Power.VIEW, Power.EDIT}}]),
    ("open-to-change", "critical", [OPEN | {"entry_powers": {Power.VIEW, Power.EDIT}}]),
    ("open-to-change", None, [OPEN | {"entry_powers": {Power.VIEW}}]),
    ("lock-off", "low", [{"account_locked": False, "account_criticality": "vital"}]),
    ("lock-off", "medium", [OPEN | {"account_locked": False, "account_criticality": "vital"}]),
    ("lock-off", None, [{"account_criticality": "vital"}]),
    ("sole-administrator", "medium", [ADMIN]),
    ("sole-administrator", "high", [ADMIN | {"account_criticality": "vital"}]),
    ("sole-administrator", "high", [ADMIN | LEFT]),
    ("sole-administrator", None, [ADMIN, ADMIN]),
    ("sole-administrator", "medium", [ADMIN | {"same_party": True}, ADMIN | {"entry_level": "keeper"}]),
    ("sole-administrator", None, [ADMIN | {"party_kind": "team"}]),
    ("no-administrator", "medium", [{"account_criticality": "vital"}]),
    ("no-administrator", "medium", [HEAVY]),
    ("no-administrator", None, [{}]),
    ("too-many-administrators", "medium", [ADMIN] * 7),
    ("too-many-administrators", "high", [ADMIN | {"account_criticality": "vital"}] * 7),
    ("too-many-administrators", None, [ADMIN] * 6),
    ("administrator-locked-out", "critical", [ADMIN | {"party_tags": ["sign-in-lost"]}]),
    ("administrator-locked-out", "high", [ADMIN | {"party_tags": ["sign-in-lost"]}, ADMIN]),
    ("administrator-locked-out", None, [{"party_tags": ["sign-in-lost"]}]),
    ("crowded", "low", [{"account_criticality": "vital"}] * 61),
    ("crowded", None, [{"account_criticality": "vital"}] * 60),
    ("secret-told", "low", [SECRET]),
    ("secret-told", "medium", [SECRET | HEAVY]),
    ("secret-told", "high", [SECRET | OUT]),
    ("secret-told", None, [{}]),
    ("secret-known-to-several", "medium", [SECRET, SECRET]),
    ("secret-known-to-several", "high", [SECRET, SECRET | OUT]),
    ("secret-known-to-several", None, [SECRET]),
    ("secret-known-to-leaver", "critical", [SECRET | LEFT]),
    ("secret-known-to-leaver", None, [LEFT]),
    ("takes-and-admits", "high", [{"entry_powers": {Power.WITHDRAW, Power.ADMIT}}]),
    ("takes-and-admits", None, [{"same_party": True, **ADMIN}, {"entry_powers": {Power.WITHDRAW}}]),
    ("buys-and-takes", "high", [{"same_party": True, **HEAVY}, {"entry_powers": {Power.WITHDRAW}}]),
    ("buys-and-takes", None, [HEAVY, {"entry_powers": {Power.WITHDRAW}}]),
]


@pytest.mark.parametrize(("rule", "severity", "changes"), CASES)
def test_a_rule_holds_where_it_should_and_is_as_severe(
    rule: str, severity: str | None, changes: list[dict[str, Any]]
) -> None:
    assert found(*changes).get(rule) == severity


def test_what_is_as_it_should_be_raises_nothing() -> None:
    assert found({}) == {}


def test_every_rule_has_a_case_in_which_it_holds_and_one_in_which_it_does_not() -> None:
    rules = {compiled_rule.rule.id for compiled_rule in READ.program.rules}
    assert {rule for rule, severity, _ in CASES if severity} == rules
    assert {rule for rule, severity, _ in CASES if severity is None} == rules
