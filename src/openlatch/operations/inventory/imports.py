"""Lists that people keep: looked at, matched, and taken in by a job that anyone can watch."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from uuid import UUID

from openlatch.core.inventory.import_rows import FIELDS, Complaint
from openlatch.core.inventory.imports import Imported, known_field, read_list
from openlatch.core.inventory.sheets import Form, Sheet, headers_of, proposed, signature
from openlatch.core.model import Provider
from openlatch.core.providers.observation import Observation, ObservedEntry
from openlatch.operations.call import Call, operation
from openlatch.operations.inventory import by_hand
from openlatch.operations.providers import readings
from openlatch.operations.rules import flags
from openlatch.store.inventory.imports import Import
from openlatch.store.pages import Page
from openlatch.wire.inventory.sheet import COLUMNS
from openlatch.words import JobState, ReadingOutcome

__all__ = ["TASK", "ImportSight", "browse", "failed", "fields", "go_on", "preview", "show", "start"]

DERIVED = frozenset(COLUMNS) - FIELDS.keys()
"""Columns of an export that are worked out, and so are not taken back."""
TASK = "openlatch.take-in"
PART = 1000
"""So many lines are taken in at once; what was taken in stays, whatever happens after."""


@dataclass(frozen=True, slots=True)
class ImportSight:
    """What a list says and would change; with complaints it changes nothing. `made` is the import, once one was begun.

    The headers in `derived` are left out because what is in them is worked out; `remembered` is whether the form is
    that of the last import of a list with these columns.
    """

    imported: Imported
    sheets: tuple[Sheet, ...]
    sheet: Sheet
    counts: Mapping[str, int]
    remembered: bool = False
    made: Import | None = None

    @property
    def derived(self) -> tuple[str, ...]:
        return tuple(h for h, name in self.imported.columns.items() if not name and h.casefold() in DERIVED)


@operation("imports.fields")
def fields(call: Call) -> Mapping[str, str]:
    """The columns that a list may have, with what belongs in each."""
    return FIELDS


@operation("imports.preview")
def preview(call: Call, provider: str, sheets: Sequence[Sheet], wanted: Form | None) -> ImportSight:
    """What a list says, how it is taken if nobody says otherwise, and what it would change; changes nothing.

    Without a form, that of the last import of a list with these columns; what that leaves open is proposed.
    """
    sight, the_provider = _looked_at(call, provider, sheets, wanted)
    if sight.imported.complaints:
        return sight
    would = readings.preview(call, the_provider.id, sight.imported.observation)
    return replace(sight, counts=by_hand.counts(would))


@operation("imports.start")
def start(call: Call, provider: str, sheets: Sequence[Sheet], wanted: Form | None, name: str) -> ImportSight:
    """Take a list in: all of it, or with one complaint nothing. What is not in it stays as it was.

    What is in the list counts as vouched for by whoever imports it. How it was matched is kept for the next one.
    """
    sight, the_provider = _looked_at(call, provider, sheets, wanted)
    imported = sight.imported
    if imported.complaints:
        return sight
    seen = imported.observation
    made = Import(call.services.new_id(), the_provider.id, name, call.actor.author, call.now, len(seen.entries))
    call.tx.imports.add(made, [_part(seen, seen.entries[n : n + PART]) for n in range(0, made.total, PART)])
    form = imported.form
    kept = Form(columns=imported.columns, orders=form.orders, hidden=form.hidden, struck=form.struck)
    call.tx.imports.remember(the_provider.id, signature(imported.columns), kept)
    call.log("import.asked", "provider", the_provider.id, list=str(made.id), name=name, lines=made.total)
    call.tx.enqueue(TASK, lock=f"import:{made.id}", import_id=str(made.id))
    return replace(sight, made=made)


@operation("imports.show")
def show(call: Call, text: str) -> Import:
    """One import, by id or short form: how far it is, and what it brought."""
    return call.tx.imports.find(text)


@operation("imports.browse")
def browse(call: Call, provider: str, limit: int, cursor: str | None) -> Page[Import]:
    """The imports of a provider, the latest first."""
    return call.tx.imports.browse(call.tx.providers.find(provider).id, limit=limit, cursor=cursor)


def go_on(call: Call, import_id: UUID) -> bool:
    """Take in the next part of an import, as whoever asked for it; returns whether more is to come."""
    an_import = call.tx.imports.find(str(import_id), lock=True)
    if an_import.finished_at is not None:
        return False
    following = call.tx.imports.next_part(an_import.id)
    if following is None:
        _over(call, replace(an_import, state=JobState.DONE))
        return False
    place, seen = following
    provider = call.tx.providers.get(an_import.provider_id)
    # A long list is evaluated once, when all of it is in: part by part it would be again for every account each time.
    short = an_import.total <= PART
    evidence = f"a list, imported by {an_import.asked_by}"
    changes = by_hand.take(call, provider, seen, evidence, by=an_import.asked_by.name, evaluated=short)
    call.tx.imports.part_stored(an_import.id, place)
    more = by_hand.counts(changes)
    counts = {word: an_import.counts.get(word, 0) + number for word, number in more.items()}
    call.tx.imports.save(
        replace(an_import, state=JobState.RUNNING, done=an_import.done + len(seen.entries), counts=counts)
    )
    return True


def failed(call: Call, import_id: UUID, why: str) -> None:
    """Keep that an import cannot go on, and why; what it took in stays."""
    an_import = call.tx.imports.find(str(import_id), lock=True)
    if an_import.finished_at is None:
        stays = f" {an_import.done} of {an_import.total} lines were taken in and stay; the list can be imported again."
        _over(call, replace(an_import, state=JobState.FAILED, trouble=why + stays))


def _over(call: Call, an_import: Import) -> None:
    call.tx.imports.save(replace(an_import, finished_at=call.now))
    if an_import.total > PART:
        flags.evaluate_later(call)
    facts = {"trouble": an_import.trouble} if an_import.trouble else {}
    call.log(
        "provider.imported",
        "provider",
        an_import.provider_id,
        on_behalf_of=an_import.asked_by,
        list=str(an_import.id),
        **an_import.counts,
        **facts,
    )


def _looked_at(call: Call, provider: str, sheets: Sequence[Sheet], wanted: Form | None) -> tuple[ImportSight, Provider]:
    the_provider = call.tx.providers.find(provider)
    form, remembered = (wanted, False) if wanted is not None else _remembered(call, the_provider, sheets)
    zone = call.tx.workspace.zone
    imported = read_list(sheets, form, zone=zone, provider=the_provider.name, now=call.now)
    imported = by_hand.take_in(call, the_provider, imported)
    if not imported.complaints and not imported.observation.entries:
        nothing = Complaint(0, "", "no line says who has access to what")
        imported = replace(imported, complaints=(nothing,), observation=Observation(ReadingOutcome.PARTIAL))
    sheet = next(sheet for sheet in sheets if sheet.name == imported.form.sheet)
    return ImportSight(imported, tuple(sheets), sheet, {}, remembered), the_provider


def _remembered(call: Call, provider: Provider, sheets: Sequence[Sheet]) -> tuple[Form, bool]:
    """The form of the last import of a list with these columns, if there was one."""
    sheet, form = proposed(sheets, Form(), lambda header: bool(known_field(header)))
    kept = call.tx.imports.form(provider.id, signature(headers_of(sheet, form)))
    return (
        (form, False)
        if kept is None
        else (
            replace(kept, sheet=form.sheet, header=form.header, headers=form.headers),
            True,
        )
    )


def _part(seen: Observation, entries: Sequence[ObservedEntry]) -> Observation:
    """Some of the entries of an observation, with their accounts and parties."""
    accounts, parties = {e.account for e in entries}, {e.party for e in entries}
    return replace(
        seen,
        accounts=tuple(a for a in seen.accounts if a.key in accounts),
        parties=tuple(p for p in seen.parties if p.key in parties),
        entries=tuple(entries),
    )
