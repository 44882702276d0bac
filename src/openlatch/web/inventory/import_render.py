"""Lists that people keep, as the API's messages."""

from __future__ import annotations

import itertools
from collections.abc import Iterable

from pydantic import ValidationError

from openlatch.core.inventory.import_rows import FIELDS, Complaint
from openlatch.core.inventory.imports import shown
from openlatch.core.inventory.sheets import Form
from openlatch.errors import Invalid
from openlatch.operations.inventory.imports import ImportSight
from openlatch.store.inventory.imports import Import
from openlatch.web.filled import filled
from openlatch.wire import messages as wire
from openlatch.wire.base import mistakes
from openlatch.words import DayOrder

__all__ = ["begun", "form_of", "outcome"]

MOST = 500
TOP, MORE = 30, 120
"""So many of the first lines are shown, and so many of those about which something is said."""


def outcome(sight: ImportSight, *, lines: bool) -> wire.ImportOutcome:
    """Return what a list says; with some of its `lines` as they are."""
    imported = sight.imported
    return filled(
        wire.ImportOutcome,
        counts=dict(sight.counts),
        columns=[
            wire.ImportColumn(
                header=header,
                field=name,
                derived=header in sight.derived,
                secret=header in imported.secrets,
                order=imported.orders.get(header),
                asks=header in imported.orders and imported.orders[header] is None,
            )
            for header, name in imported.columns.items()
        ],
        complaints=_complaints(imported.complaints),
        fields=dict(FIELDS),
        remarks=_complaints(imported.remarks),
        notes=imported.notes[:MOST],
        sheets=[
            wire.ImportSheet(name=sheet.name, lines=len(sheet.lines), hidden=sheet.hidden) for sheet in sight.sheets
        ],
        form=_form(imported.form),
        lines=_lines(sight) if lines else [],
        remembered=sight.remembered,
        made=begun(sight.made) if sight.made else None,
    )


def begun(an_import: Import) -> wire.Import:
    """Return an import."""
    return filled(wire.Import, an_import, asked_by=an_import.asked_by.name)


def form_of(text: str) -> Form | None:
    """Return the form that a query asks for, which is written as JSON; None where it asks for none."""
    if not text:
        return None
    try:
        form = wire.ImportForm.model_validate_json(text)
    except ValidationError as error:
        raise Invalid(
            "“form” in the query is not the form of a list. Nothing was changed.",
            next_step='Write it such as {"columns": {"Who": "party", "Until": "ends_at"}}.',
            errors=mistakes(error),
        ) from error
    return Form(
        form.sheet,
        form.header,
        form.headers,
        form.columns,
        {header: DayOrder(order) for header, order in form.orders.items()},
        hidden=form.hidden,
        struck=form.struck,
        skip=frozenset(form.skip),
        take=frozenset(form.take),
    )


def _form(form: Form) -> wire.ImportForm:
    return filled(wire.ImportForm, form, skip=sorted(form.skip), take=sorted(form.take))


def _complaints(complaints: Iterable[Complaint]) -> list[wire.Complaint]:
    return [filled(wire.Complaint, complaint) for complaint in itertools.islice(complaints, MOST)]


def _lines(sight: ImportSight) -> list[wire.ImportLine]:
    """The first lines of the sheet, and those about which something is said."""
    imported, sheet = sight.imported, sight.sheet
    said = {complaint.line for complaint in (*imported.complaints, *imported.remarks)} | {
        note.line for note in imported.notes
    }
    first = {line.number for line in sheet.lines[:TOP]}
    wanted = first | set(sorted(said - first)[:MORE])
    return [
        wire.ImportLine(line=line.number, cells=shown(imported, line)) for line in sheet.lines if line.number in wanted
    ]
