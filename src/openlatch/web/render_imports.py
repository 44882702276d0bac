"""Lists that people keep, as the API's messages."""

from __future__ import annotations

from collections.abc import Iterable

from pydantic import ValidationError

from openlatch.core.inventory.import_rows import FIELDS, Complaint
from openlatch.core.inventory.imports import shown
from openlatch.core.inventory.sheets import Form
from openlatch.errors import Invalid
from openlatch.operations.inventory.imports import ImportSight
from openlatch.store.inventory.imports import Import
from openlatch.wire import messages as wire
from openlatch.wire.messages.base import mistakes
from openlatch.words import DayOrder

__all__ = ["begun", "form_of", "outcome"]

MOST = 500
TOP, MORE = 30, 120
"""So many of the first lines are shown, and so many of those about which something is said."""


def outcome(sight: ImportSight, *, lines: bool) -> wire.ImportOutcome:
    """Return what a list says; with some of its `lines` as they are."""
    imported = sight.imported
    return wire.ImportOutcome(
        counts=dict(sight.counts),
        columns=[
            wire.ImportColumn(
                header=header,
                field=name,
                derived=header in sight.derived,
                secret=header in imported.secrets,
                order=order.value if (order := imported.orders.get(header)) else None,
                asks=header in imported.orders and imported.orders[header] is None,
            )
            for header, name in imported.columns.items()
        ],
        complaints=_complaints(imported.complaints),
        fields=dict(FIELDS),
        remarks=_complaints(imported.remarks),
        notes=[wire.ImportNote(line=one.line, why=one.why) for one in imported.notes[:MOST]],
        sheets=[wire.ImportSheet(name=one.name, lines=len(one.lines), hidden=one.hidden) for one in sight.sheets],
        form=_form(imported.form),
        lines=_lines(sight) if lines else [],
        remembered=sight.remembered,
        made=begun(sight.made) if sight.made else None,
    )


def begun(one: Import) -> wire.Import:
    """Return an import."""
    return wire.Import.model_validate(
        {
            "id": one.id,
            "ref": one.ref,
            "name": one.name,
            "state": one.state,
            "asked_by": one.asked_by.name,
            "asked_at": one.asked_at,
            "total": one.total,
            "done": one.done,
            "counts": dict(one.counts),
            "trouble": one.trouble,
            "finished_at": one.finished_at,
        }
    )


def form_of(text: str) -> Form | None:
    """Return the form that a query asks for, which is written as JSON; None where it asks for none."""
    if not text:
        return None
    try:
        found = wire.ImportForm.model_validate_json(text)
    except ValidationError as error:
        raise Invalid(
            "“form” in the query is not the form of a list. Nothing was changed.",
            next_step='Write it such as {"columns": {"Who": "party", "Until": "ends_at"}}.',
            errors=mistakes(error),
        ) from error
    return Form(
        found.sheet,
        found.header,
        found.headers,
        found.columns,
        {header: DayOrder(order) for header, order in found.orders.items()},
        hidden=found.hidden,
        struck=found.struck,
        skip=frozenset(found.skip),
        take=frozenset(found.take),
    )


def _form(form: Form) -> wire.ImportForm:
    return wire.ImportForm.model_validate(
        {
            "sheet": form.sheet,
            "header": form.header,
            "headers": form.headers,
            "columns": dict(form.columns),
            "orders": {header: order.value for header, order in form.orders.items()},
            "hidden": form.hidden,
            "struck": form.struck,
            "skip": sorted(form.skip),
            "take": sorted(form.take),
        }
    )


def _complaints(found: Iterable[Complaint]) -> list[wire.Complaint]:
    every = [wire.Complaint(line=one.line, column=one.column, problem=one.problem) for one in found]
    return every[:MOST]


def _lines(sight: ImportSight) -> list[wire.ImportLine]:
    """The first lines of the sheet, and those about which something is said."""
    imported, sheet = sight.imported, sight.sheet
    said = {one.line for one in (*imported.complaints, *imported.remarks)} | {one.line for one in imported.notes}
    first = {line.number for line in sheet.lines[:TOP]}
    wanted = first | set(sorted(said - first)[:MORE])
    return [
        wire.ImportLine(line=line.number, cells=shown(imported, line)) for line in sheet.lines if line.number in wanted
    ]
