"""What takes place at Kestrel Ridge to be looked at."""

from __future__ import annotations

from openlatch.demo.cast import DOMAIN
from openlatch.wire.inventory.entries import EntryFilter
from openlatch.wire.reviews.reviews import NewReview
from openlatch.words import Occasion, Reviewers, Unanswered

__all__ = ["FIRST", "REVIEWS"]

FIRST = "Everybody outside the circle"
"""The review of which the demo opens a round once the providers were read."""
_MAREN, _TOBIAS, _INES, _PELL = (
    f"{name}@{DOMAIN}" for name in ("maren.ashdown", "tobias.quill", "ines.okoro", "pell.varga")
)
REVIEWS = (
    NewReview(
        name=FIRST,
        where=EntryFilter(outside=True),
        recurs="FREQ=MONTHLY;BYDAY=1MO",
        named=(_MAREN, _INES, _PELL),
        otherwise=_TOBIAS,
    ),
    NewReview(
        name="Who can spend or take money out",
        where=EntryFilter(power="spend,withdraw"),
        recurs="FREQ=MONTHLY;INTERVAL=3;BYMONTHDAY=1",
        reviewers=Reviewers.ADMINISTRATORS,
        otherwise=_TOBIAS,
        answer_days=21,
        unanswered=Unanswered.NARROW,
        most=5,
    ),
    NewReview(
        name="Vital accounts, their administrators",
        where=EntryFilter(power="admit", risk=30),
        recurs="FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=-1",
        on=(Occasion.ADMINISTRATOR_ADDED,),
        named=(_MAREN, _TOBIAS),
    ),
    NewReview(
        name="After someone has left",
        where=EntryFilter(rule="holder-left"),
        on=(Occasion.PARTY_LEFT,),
        named=(_TOBIAS,),
        otherwise=_MAREN,
        answer_days=3,
        remind_days=1,
        unanswered=Unanswered.PAUSE,
    ),
    NewReview(
        name="After a breach at a provider",
        on=(Occasion.PROVIDER_BREACH,),
        named=(_MAREN, _TOBIAS),
        answer_days=7,
    ),
)
