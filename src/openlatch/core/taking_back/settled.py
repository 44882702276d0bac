"""What is over without a proof: what had ended before, and what is left open with who sees to it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from openlatch.core.model import Author, Entry

__all__ = ["GONE", "LeftOpen", "why_gone"]


@dataclass(frozen=True, slots=True)
class LeftOpen:
    """What is left open in a round: why, and who sees to it."""

    reason: str
    owner: Author
    by: Author
    at: datetime

    def facts(self) -> dict[str, str]:
        """Return what the log keeps of it."""
        return {"reason": self.reason, "owner": self.owner.name, "owner_id": str(self.owner.id or "")}


GONE = "It had ended before its turn came."
"""What is said of an item that nothing has to be done about."""
_REMOVED = "Its provider was removed here before its turn came. Whether it ended there is not known."


def why_gone(entry: Entry) -> str:
    """Return why nothing can be done any more about an entry that does not stand."""
    return _REMOVED if entry.in_doubt else GONE
