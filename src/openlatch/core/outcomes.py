"""What can come of a thing in a batch, a round or a report, in one place: what counts as over, and how it stands."""

from __future__ import annotations

from enum import StrEnum

__all__ = ["Outcome", "Tone"]


class Tone(StrEnum):
    """How something stands, for whoever looks over many of them."""

    GOOD = "good"
    STAYS = "stays"
    WAITS = "waits"
    BAD = "bad"


class Outcome(StrEnum):
    """What came of something so far; of what became an order, the state of that order.

    What is `over` needs nobody any more, and of it nothing remains; what is `settled` is over, or somebody has said who
    sees to it. Of what `rests`, nothing goes on by itself.
    """

    UNDECIDED = "undecided"
    TO_COME = "to come"
    TO_DO = "to do"
    DRAFTED = "drafted"
    WAITING = "waiting"
    RUNNING = "running"
    TOLD = "told"
    PROVED = "proved"
    STUCK = "stuck"
    CANCELLED = "cancelled"
    REFUSED = "refused"
    KEPT = "kept"
    GONE = "gone"
    DONE = "done"
    LEFT_OPEN = "left open"

    @property
    def over(self) -> bool:
        return self in (Outcome.KEPT, Outcome.GONE, Outcome.PROVED, Outcome.DONE)

    @property
    def settled(self) -> bool:
        return self.over or self is Outcome.LEFT_OPEN

    @property
    def rests(self) -> bool:
        return self.settled or self in (Outcome.STUCK, Outcome.CANCELLED, Outcome.REFUSED)

    @property
    def tone(self) -> Tone:
        if self in (Outcome.PROVED, Outcome.DONE):
            return Tone.GOOD
        if self in (Outcome.STUCK, Outcome.REFUSED):
            return Tone.BAD
        return Tone.STAYS if self in (Outcome.KEPT, Outcome.GONE, Outcome.CANCELLED) else Tone.WAITS
