"""Trying a description of a provider."""

from __future__ import annotations

from collections.abc import Sequence

from openlatch.core.providers.described import Trial
from openlatch.core.providers.observation import ObservedEntry, ObservedParty
from openlatch.operations.call import Call
from openlatch.operations.providers import descriptions
from openlatch.operations.providers.lookups import Findings, Lookup
from openlatch.web.api import Routes
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes()
SHOWN = 200
"""entries of a trial that are shown"""


def _tried(call: Call, body: wire.DescriptionWish) -> Sequence[Lookup]:
    return descriptions.to_be_asked(call, body)


@routes.route("POST", "/descriptions/trial", body=wire.DescriptionWish, returns=wire.DescriptionTrial, asks=_tried)
def try_description(call: Call, body: wire.DescriptionWish, findings: Findings) -> wire.DescriptionTrial:
    """Check a description of a provider, and try it on recorded answers or on the provider; changes nothing."""
    trial = descriptions.tried(call, body, findings)
    if isinstance(trial, Trial):
        return _trial(trial)
    return wire.DescriptionTrial(
        title="",
        tried=trial is not None,
        trouble=trial or "",
        accounts=0,
        parties=0,
        memberships=0,
        total=0,
        entries=[],
        unexplained={},
        unknown=[],
        asked=[],
    )


def _trial(trial: Trial) -> wire.DescriptionTrial:
    made = trial.made
    return wire.DescriptionTrial(
        title=trial.title,
        tried=True,
        trouble="",
        accounts=len(made.accounts),
        parties=len(made.parties),
        memberships=len(made.memberships),
        total=len(made.entries),
        entries=[_entry(trial, entry) for entry in made.entries[:SHOWN]],
        unexplained=made.unexplained,
        unknown=list(trial.unknown),
        asked=list(trial.asked[:SHOWN]),
    )


def _entry(trial: Trial, entry: ObservedEntry) -> wire.DescribedEntry:
    account, party = trial.made.accounts.get(entry.account), trial.made.parties.get(entry.party)
    sent = trial.ends.get(entry.key)
    return wire.DescribedEntry(
        key=entry.key,
        account=account.name if account else entry.account,
        party=_party(party) if party else None,
        kind=entry.kind,
        level=entry.level,
        powers=None if entry.powers is None else list(entry.powers),
        permissions=list(entry.permissions),
        state=entry.state,
        given_at=entry.given_at,
        last_used=entry.last_used,
        ends_at=entry.ends_at,
        would_send=wire.WouldSend(method=sent.method, url=sent.url, body=sent.body) if sent else None,
    )


def _party(party: ObservedParty) -> wire.DescribedParty:
    return wire.DescribedParty(key=party.key, name=party.name, kind=party.kind, addresses=list(party.addresses))
