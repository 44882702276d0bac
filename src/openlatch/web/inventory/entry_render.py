"""Entries, and what leads to them, as messages of the API."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from uuid import UUID

from openlatch.core import model
from openlatch.core.hours import Hours
from openlatch.core.ids import ref_of
from openlatch.core.inventory.reach import Link
from openlatch.core.providers.observation import WRITTEN
from openlatch.operations.inventory.entries import Sight
from openlatch.operations.inventory.parties import AppSight, CutSight, ReachSight
from openlatch.operations.orders.orders import seen_with
from openlatch.store.inventory.entries import Listed
from openlatch.web.filled import filled
from openlatch.web.inventory.render import named, overview_of, party_of
from openlatch.web.orders.render import order_of
from openlatch.web.rules.render import flag_of
from openlatch.wire import messages as wire

__all__ = ["app_of", "cut_of", "entry_of", "reach_of"]


def entry_of(sight: Sight) -> wire.Entry:
    listed = sight.listed
    entry = listed.entry
    return filled(
        wire.Entry,
        entry,
        listed,
        provider=named(listed.provider),
        party=party_of(listed.party, listed.outside),
        used_powers=sight.used,
        hours=_hours(entry.hours),
        last_seen=_last_seen(sight),
        vouched=_vouched(sight),
        subject=entry.subject.removeprefix(WRITTEN),
        flags=[flag_of(flag) for flag in sight.flags],
        risk_lines=sight.lines,
        advice=sight.advice,
        acts=sight.acts,
        order=order_of(seen_with(sight.order, listed)) if sight.order else None,
    )


def _hours(hours: Hours | None) -> wire.Hours | None:
    return None if hours is None else wire.Hours(zone=hours.zone, text=str(hours), written=hours.written())


def _last_seen(sight: Sight) -> datetime | None:
    """What stands was seen by the last complete reading, unless no reading shows it."""
    e, complete = sight.listed.entry, sight.listed.provider.last_complete
    if e.by_hand or not e.stands or complete is None or e.last_seen is None:
        return e.last_seen
    return max(e.last_seen, complete)


def _vouched(sight: Sight) -> wire.Vouched | None:
    e = sight.listed.entry
    return None if e.vouched_at is None else wire.Vouched(at=e.vouched_at, by=e.vouched_by, worn_off=sight.worn_off)


def reach_of(sight: ReachSight, outside: bool) -> wire.Reach:
    chains = [
        wire.Chain(
            entry=entry_of(chain.sight),
            via=[wire.Via(id=link.id, party=named(team), how=link.how) for link, team in chain.links],
            idle=not chain.loses and not chain.sight.listed.entry.unknown,
            loses=list(chain.loses),
        )
        for chain in sight.chains
    ]
    return wire.Reach(party=party_of(sight.party, outside), chains=chains)


def cut_of(sight: CutSight) -> wire.Cut:
    return wire.Cut(
        pieces=[
            _entry_piece(sight.entries[piece])
            if piece in sight.entries
            else _membership_piece(sight.links[piece], sight.parties)
            for piece in sight.cut.pieces
        ],
        hurts=[
            wire.Hurt(
                party=named(sight.parties[loser]),
                loses=sorted({f"{claim.power} on {sight.accounts[claim.account_id]}" for claim in lost}),
            )
            for loser, lost in sight.cut.hurts.items()
        ],
    )


def _entry_piece(listed: Listed) -> wire.CutPiece:
    e = listed.entry
    text = f"End the {e.kind} “{e.level}” of {listed.party.name} on {listed.account.name}."
    return wire.CutPiece(kind="entry", id=e.id, ref=e.ref, text=text)


def _membership_piece(link: Link, parties: Mapping[UUID, model.Party]) -> wire.CutPiece:
    actor, other = parties[link.actor], parties[link.as_party]
    if link.how == "member":
        text = f"Remove {actor.name} from the team {other.name}."
        team, member = named(other), named(actor)
        return wire.CutPiece(kind="membership", id=link.id, ref=ref_of(link.id), text=text, team=team, member=member)
    return wire.CutPiece(
        kind="membership", id=link.id, ref=ref_of(link.id), text=f"Disconnect {other.name} from {actor.name}."
    )


def app_of(sight: AppSight, outside: bool) -> wire.App:
    entries = [entry_of(entry) for entry in sight.entries]
    return wire.App(
        party=overview_of(sight.listed, outside), accounts=sight.listed.standing.on_accounts, entries=entries
    )
