"""Reading a provider: pages as they come, progress for those who watch, and one transaction at the end."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import replace
from uuid import UUID

import structlog

from openlatch.core.model import Abilities, Reading
from openlatch.core.providers.observation import Observation
from openlatch.core.providers.ports import Page
from openlatch.errors import Changed, ProviderDown, ProviderRefused, ProviderTrouble
from openlatch.operations.call import Services, as_service
from openlatch.operations.providers import readings
from openlatch.store import Store
from openlatch.words import ReadingOutcome

__all__ = ["read"]

_ATTEMPTS = 5

log = structlog.get_logger()


def read(store: Store, services: Services, workspace_id: UUID, reading_id: UUID) -> None:
    """Make one reading; however it ends, it ends with an outcome that people can see."""
    with store.transaction(workspace_id) as tx:
        work = readings.begin(as_service(tx, services), reading_id)
    if work is None:
        return
    abilities, trouble, retry_after, refused = None, "", None, False
    reading, pages = work.reading, list(work.seen)

    def anew() -> None:
        nonlocal reading
        pages.clear()
        with store.transaction(workspace_id) as tx:
            reading = readings.begin_anew(as_service(tx, services), reading)

    try:
        abilities = work.connector.abilities()
        for page in _pages(work, anew):
            pages.append(page)
            total = page.total if page.total is not None else reading.total
            reading = replace(reading, seen=reading.seen + len(page.entries), total=total)
            with store.transaction(workspace_id) as tx:
                readings.progress(as_service(tx, services), reading, page, len(pages))
    except ProviderTrouble as error:
        trouble, retry_after, refused = (
            error.message,
            error.fields.get("retry_after"),
            isinstance(error, ProviderRefused),
        )
    except Exception as error:
        log.exception("unforeseen error in a connector", reading=str(reading_id))
        trouble = f"The connector failed with an unexpected error ({type(error).__name__})."
    if not trouble and reading.total is not None and reading.total != reading.seen:
        trouble = f"It announced {reading.total} entries and showed {reading.seen}."
    observation = Observation(
        outcome=_outcome(pages, trouble, refused=refused),
        accounts=tuple(a for page in pages for a in page.accounts),
        parties=tuple(p for page in pages for p in page.parties),
        entries=tuple(e for page in pages for e in page.entries),
        memberships=tuple(m for page in pages for m in page.memberships),
        documents=tuple(d for page in pages for d in page.documents),
        activity=tuple(a for page in pages for a in page.activity),
        trouble=trouble,
    )
    done = _conclude(
        store=store,
        services=services,
        workspace_id=workspace_id,
        reading=reading,
        observation=observation,
        abilities=abilities,
        retry_after=retry_after,
    )
    log.info("read", reading=str(reading_id), outcome=done.state.value, trouble=done.trouble, **done.counts)


def _pages(work: readings.Work, anew: Callable[[], None]) -> Iterator[Page]:
    """The pages of a reading that are still to come: all, after `anew`, if its provider does not go on where it was."""
    if work.seen:
        coming = work.connector.pages(work.seen[-1].cursor, work.seen)
        try:
            first = next(coming)
        except ProviderDown:
            raise
        except (ProviderTrouble, StopIteration):
            anew()
        else:
            yield first
            yield from coming
            return
    yield from work.connector.pages()


def _conclude(
    store: Store,
    services: Services,
    workspace_id: UUID,
    reading: Reading,
    observation: Observation,
    abilities: Abilities | None,
    retry_after: int | None,
) -> Reading:
    """Store what was seen; again, if someone changed one of the same entries at that moment."""
    for attempt in range(_ATTEMPTS):
        try:
            with store.transaction(workspace_id) as tx:
                return readings.conclude(as_service(tx, services), reading, observation, abilities, retry_after)
        except Changed:
            if attempt == _ATTEMPTS - 1:
                raise
    raise AssertionError


def _outcome(pages: list[Page], trouble: str, *, refused: bool) -> ReadingOutcome:
    """How a reading ended: one that was refused, or broke off before the provider showed anyone, has failed."""
    if not trouble:
        return ReadingOutcome.COMPLETE
    seen = any(page.parties or page.entries or page.documents or page.activity for page in pages)
    return ReadingOutcome.PARTIAL if seen and not refused else ReadingOutcome.FAILED
