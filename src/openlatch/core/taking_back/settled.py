"""What is over without a proof: what had ended before, and what is left open with who sees to it."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime

from openlatch.core.model import Author

__all__ = ["GONE", "LeftOpen"]


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
