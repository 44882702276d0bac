"""Trying a description of a provider: it is read once, outside any transaction, and nothing of it is kept."""

from __future__ import annotations

from collections.abc import Sequence
from uuid import UUID

from openlatch.core.providers.described import Triable, Trial
from openlatch.errors import Invalid, ProviderUnreadable
from openlatch.operations.call import Call, operation, require
from openlatch.operations.providers.lookups import Finding, Findings, Lookup
from openlatch.wire.messages import DescriptionWish

__all__ = ["CONNECTOR", "to_be_asked", "tried"]

CONNECTOR = "described"
NOBODY = UUID(int=0)
"""A trial is about no provider that is known."""
NOWHERE = "http://recorded.invalid"


def to_be_asked(call: Call, wish: DescriptionWish) -> Sequence[Lookup]:
    """Return the reading that a trial takes, nothing where the description is only checked; raises Invalid for one
    that cannot be used, with the line of each mistake.
    """
    require(call, "providers.describe")
    if wish.url and wish.answers is not None:
        raise Invalid(
            "A description is tried on recorded answers or on the provider, and not on both. Nothing was changed.",
            next_step="Leave out answers, or url.",
            errors=[{"at": "answers", "problem": "not together with url"}],
        )
    settings = {"url": wish.url or NOWHERE, "description": wish.description}
    connector = call.services.connector(CONNECTOR, settings, wish.secret)
    if not isinstance(connector, Triable) or (not wish.url and wish.answers is None):
        return ()
    return [Lookup(NOBODY, connector, trial=lambda: _once(connector, wish))]


def _once(connector: Triable, wish: DescriptionWish) -> Trial | str:
    """The trial; or in words, what of the answers does not fit the description."""
    try:
        return connector.trial(wish.answers)
    except ProviderUnreadable as error:
        return error.message


@operation("providers.describe")
def tried(call: Call, wish: DescriptionWish, findings: Findings) -> Trial | str | None:
    """Return what came of a trial; in words what did not fit; None if the description was only checked."""
    finding = findings.get((NOBODY, ""), Finding())
    if finding.trouble:
        return finding.trouble
    return finding.shown if isinstance(finding.shown, Trial | str) else None
