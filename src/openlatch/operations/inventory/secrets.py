"""Secrets that someone was told: written down in a moment, so that it is done at all."""

from __future__ import annotations

from dataclasses import replace
from email.utils import parseaddr

from openlatch.core.powers import in_order
from openlatch.errors import Invalid
from openlatch.operations.call import Call, operation
from openlatch.operations.inventory import by_hand, entries
from openlatch.operations.inventory.entries import Sight
from openlatch.words import Kind, Power

__all__ = ["record"]

_ANY = (Kind.DELEGATE, Kind.GRANT)


@operation("secrets.record")
def record(
    call: Call,
    account: str,
    who: str,
    what: str,
    powers: tuple[Power, ...],
    reason: str,
    *,
    somebody_else: bool = False,
) -> Sight:
    """Write down that someone was told a password, key or code of an account.

    `who` is a known party (by name, address or short form), or anyone else: a name, an address, or both. An address
    that comes close to a known one is refused, unless it is said to be `somebody_else`. Without `powers`, whoever knows
    it is taken to be able to do all that anyone can who is let in.
    """
    the_account = call.tx.accounts.find(account)
    provider = call.tx.providers.get(the_account.provider_id)
    name, addresses = _who(call, who)
    held = [entry for entry in call.tx.entries.on([the_account.id]) if entry.kind in _ANY]
    can = powers or in_order(power for entry in held for power in entry.powers) or (Power.VIEW, Power.EDIT)
    alike = [
        account
        for account in call.tx.accounts.of(provider.id)
        if account.name.casefold() == the_account.name.casefold()
    ]
    fields = {
        "account": the_account.name if len(alike) == 1 else the_account.key,
        "party": name,
        "addresses": "; ".join(addresses),
        "kind": Kind.SECRET.value,
        "level": what.strip() or "a password",
        "powers": "; ".join(can),
        "given_by": call.actor.name,
        "basis": reason,
        "given_at": call.now.isoformat(),
    }
    kept = {key: value for key, value in fields.items() if value}
    entry = by_hand.keep(call, str(provider.id), kept, somebody_else=somebody_else).listed.entry
    told = replace(entry, given_by_id=call.actor.author.id, version=entry.version + 1)
    call.tx.entries.save(told)
    return entries.show(call, str(told.id))


def _who(call: Call, text: str) -> tuple[str, tuple[str, ...]]:
    named = call.tx.parties.named([text.strip()]).get(text.strip().casefold(), ())
    if len(named) > 1:
        raise Invalid(
            f"There are {len(named)} called “{text.strip()}”. Nothing was recorded.",
            next_step="Give the address of the one who knows it.",
            errors=[{"at": "who", "problem": "not one"}],
        )
    if named:
        party = call.tx.parties.some(named)[named[0]]
        return party.name, party.addresses
    name, address = parseaddr(text)
    if "@" not in address:
        name, address = text.strip(), ""
    if not (name or address):
        raise Invalid(
            "Who knows it is missing. Nothing was recorded.",
            next_step="Give a name or an address.",
            errors=[{"at": "who", "problem": "missing"}],
        )
    return name or address, (address,) if address else ()
