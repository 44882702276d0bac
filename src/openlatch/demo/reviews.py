"""What comes round at Kestrel Ridge to be looked at."""

from __future__ import annotations

from openlatch.demo.cast import DOMAIN
from openlatch.operations.reviews.plans import Draft
from openlatch.words import Occasion, Reviewers, Unanswered

__all__ = ["FIRST", "REVIEWS"]

FIRST = "Everybody outside the circle"
"""The review of which the demo opens a round once the providers were read."""
_MAREN, _TOBIAS, _INES, _PELL = (
    f"{name}@{DOMAIN}" for name in ("maren.ashdown", "tobias.quill", "ines.okoro", "pell.varga")
)
REVIEWS = (
    Draft(
        FIRST,
        {"outside": True},
        "FREQ=MONTHLY;BYDAY=1MO",
        named=(_MAREN, _INES, _PELL),
        otherwise=_TOBIAS,
    ),
    Draft(
        "Who can spend or take money out",
        {"power": "spend,withdraw"},
        "FREQ=MONTHLY;INTERVAL=3;BYMONTHDAY=1",
        reviewers=Reviewers.ADMINISTRATORS,
        otherwise=_TOBIAS,
        answer_days=21,
        unanswered=Unanswered.NARROW,
        most=5,
    ),
    Draft(
        "Vital accounts, their administrators",
        {"power": "admit", "risk": 30},
        "FREQ=YEARLY;BYMONTH=2;BYMONTHDAY=-1",
        on=(Occasion.ADMINISTRATOR_ADDED,),
        named=(_MAREN, _TOBIAS),
    ),
    Draft(
        "After somebody has left",
        {"rule": "holder-left"},
        "",
        on=(Occasion.PARTY_LEFT,),
        named=(_TOBIAS,),
        otherwise=_MAREN,
        answer_days=3,
        remind_days=1,
        unanswered=Unanswered.PAUSE,
    ),
    Draft(
        "After a breach at a provider",
        {},
        "",
        on=(Occasion.PROVIDER_BREACH,),
        named=(_MAREN, _TOBIAS),
        answer_days=7,
    ),
)
