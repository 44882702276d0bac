"""Flags: finding what holds now, and listing it."""

from __future__ import annotations

from collections.abc import Iterable

from openlatch.core.addresses import Neighbours
from openlatch.core.model import Entry, Party, Severity, normal_address
from openlatch.core.rules import Finding, Flag, Limits, compare
from openlatch.core.rules import evaluate as findings_of
from openlatch.operations.gate import Call, operation
from openlatch.store.entries import Listed
from openlatch.store.pages import Page

__all__ = ["browse", "evaluate", "evaluate_all", "show"]


@operation("flags.browse")
def browse(
    call: Call, rule: str, severity: str, entry: str, cleared: bool, limit: int, cursor: str | None
) -> Page[tuple[Flag, Listed]]:
    """Flags, the worst first, each with the entry it is on."""
    entry_id = call.tx.entries.find(entry).entry.id if entry else None
    page = call.tx.flags.browse(
        rule=rule,
        severity=Severity(severity) if severity else None,
        entry_id=entry_id,
        cleared=cleared,
        limit=limit,
        cursor=cursor,
    )
    listed = call.tx.entries.about({flag.entry_id for flag in page.items})
    return Page(tuple((flag, listed[flag.entry_id]) for flag in page.items), page.next)


@operation("flags.show")
def show(call: Call, text: str) -> tuple[Flag, Listed]:
    """One flag, with the entry it is on."""
    flag = call.tx.flags.find(text)
    return flag, call.tx.entries.find(str(flag.entry_id))


def evaluate_all(call: Call) -> None:
    """Evaluate every standing entry, for what time alone has changed."""
    evaluate(call, call.tx.entries.standing())


def _known(call: Call, parties: Iterable[Party]) -> Neighbours:
    """What the addresses of these parties, as far as they are unverified, could be mistaken for."""
    doubtful = [party for party in parties if not party.verified and party.addresses]
    domains = {normal_address(a).rpartition("@")[2] for party in doubtful for a in party.addresses if "@" in a}
    addresses, names = call.tx.parties.beyond_doubt(domains, {party.name for party in doubtful})
    return Neighbours(addresses, call.tx.workspace.circle.domains, names)


def evaluate(call: Call, entries: Iterable[Entry]) -> None:
    """Raise, change and clear the flags of these entries so that they say what holds now."""
    subjects = {entry.id: entry for entry in entries}
    if not subjects:
        return
    workspace = call.tx.workspace
    parties = call.tx.parties.some({entry.party_id for entry in subjects.values()})
    known = _known(call, parties.values())
    found: list[Finding] = []
    for entry in subjects.values():
        found += findings_of(
            entry,
            parties[entry.party_id],
            circle=workspace.circle,
            limits=Limits(workspace.unused_days),
            now=call.now,
            known=known,
        )
    differences = compare(call.tx.flags.standing(subjects), found)
    raised = [(call.services.new_id(), finding) for finding in differences.raised]
    call.tx.flags.raise_all(raised, call.now)
    call.tx.flags.change(differences.changed)
    call.tx.flags.clear(differences.cleared, call.now)
    call.log_all(
        [
            call.event(
                "flag.raised",
                "entry",
                f.entry_id,
                flag=str(flag_id),
                rule=f.rule,
                severity=f.severity.value,
                facts=dict(f.facts),
            )
            for flag_id, f in raised
        ]
        + [call.event("flag.cleared", "entry", f.entry_id, flag=str(f.id), rule=f.rule) for f in differences.cleared]
    )
    worst: dict[object, int] = {}
    for finding in found:
        worst[finding.entry_id] = max(worst.get(finding.entry_id, 0), finding.severity.rank)
    call.tx.entries.mark(
        (entry.id, worst.get(entry.id, 0), not workspace.circle.holds(parties[entry.party_id]))
        for entry in subjects.values()
    )
