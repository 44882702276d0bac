"""How many entries stand, and on how many accounts: kept beside them by the database, so that nobody has to count.

Whatever changes entries adds to the table `tallies` what there are more or less of on each account and of each party,
and to `held_levels` of each level, in the same statement. What holds is the sum; from time to time the sums take the
place of what was added up.
"""

from __future__ import annotations

from dataclasses import dataclass

from sqlalchemy import func, select, text

from openlatch.store.inventory.rows import TallyRow
from openlatch.store.noun import Noun

__all__ = ["Summary", "Tallies"]

_FOLDS = (
    text(
        """
        with gone as (delete from tallies returning subject, subject_id, entries, flagged, severe)
        insert into tallies (workspace_id, subject, subject_id, entries, flagged, severe)
        select :workspace, subject, subject_id, sum(entries), sum(flagged), sum(severe)
        from gone group by subject, subject_id
        having sum(entries) <> 0 or coalesce(sum(flagged), 0) <> 0 or coalesce(sum(severe), 0) <> 0
        """
    ),
    text(
        """
        with gone as (delete from held_levels returning provider_id, level, permissions, stated, kind, entries)
        insert into held_levels (workspace_id, provider_id, level, permissions, stated, kind, entries)
        select :workspace, provider_id, level, permissions, stated, kind, sum(entries)
        from gone group by provider_id, level, permissions, stated, kind
        having sum(entries) <> 0
        """
    ),
)


@dataclass(frozen=True, slots=True)
class Summary:
    """How many entries there are, on how many accounts, and how many have a flag of what severity."""

    entries: int
    accounts: int
    parties: int
    flagged: int
    severe: int


class Tallies(Noun):
    """Queries over what is kept of how much there is."""

    def standing(self) -> Summary:
        """Return what there is of all that stands."""
        row = TallyRow
        entries = func.sum(row.entries)
        each = (
            select(
                row.subject,
                entries.label("entries"),
                func.sum(row.flagged).label("flagged"),
                func.sum(row.severe).label("severe"),
            )
            .group_by(row.subject, row.subject_id)
            .having(entries != 0)
            .subquery()
        )
        on_account = each.c.subject == "account"
        counted = (func.sum(each.c.entries), func.sum(each.c.flagged), func.sum(each.c.severe))
        query = select(
            func.count().filter(on_account),
            func.count().filter(~on_account),
            *(func.coalesce(number.filter(on_account), 0) for number in counted),
        )
        accounts, parties, entries_of_all, flagged, severe = self._session.execute(query).one()
        return Summary(int(entries_of_all), accounts, parties, int(flagged), int(severe))

    def fold(self) -> None:
        """Let sums take the place of what was added up."""
        for fold in _FOLDS:
            self._session.execute(fold, {"workspace": self._workspace_id})
