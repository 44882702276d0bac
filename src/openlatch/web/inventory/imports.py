"""Lists that people keep, taken in."""

from __future__ import annotations

from openlatch.operations.call import Call
from openlatch.operations.inventory import imports
from openlatch.web.api import Answer, Routes, Stream, Upload
from openlatch.web.files import template
from openlatch.web.inventory.import_render import begun, form_of, outcome
from openlatch.web.sheets import READABLE
from openlatch.wire import messages as wire

__all__ = ["routes"]

routes = Routes()


@routes.route(
    "GET",
    "/imports/template",
    query=wire.TemplateQuery,
    files=(wire.LISTS["csv"], wire.LISTS["xlsx"]),
    streams=True,
)
def get_import_template(call: Call, query: wire.TemplateQuery) -> Stream:
    """An empty list with the columns that an import takes, to be filled in."""
    return template(wire.Written(format=query.format, separator=query.separator), imports.fields(call))


@routes.route(
    "POST",
    "/providers/<provider>/import-preview",
    query=wire.ImportQuery,
    takes=tuple(READABLE),
    returns=wire.ImportOutcome,
    kept=False,
)
def preview_import(call: Call, provider: str, query: wire.ImportQuery, upload: Upload) -> wire.ImportOutcome:
    """How a list (CSV, or a spreadsheet) is read, and what importing it would change; changes nothing.

    Nothing of the file is kept.
    """
    sheets = READABLE[upload.content_type](upload.content)
    return outcome(imports.preview(call, provider, sheets, form_of(query.form)), lines=True)


@routes.route(
    "POST",
    "/providers/<provider>/imports",
    query=wire.ImportQuery,
    takes=tuple(READABLE),
    returns=wire.ImportOutcome,
    status=202,
)
def start_import(call: Call, provider: str, query: wire.ImportQuery, upload: Upload) -> Answer:
    """Take in a list of entries that no reading shows: all of it, or with a complaint (status 200) nothing.

    It is done by a job; `made` is the import, which can be asked how far it is.
    """
    sheets = READABLE[upload.content_type](upload.content)
    sight = imports.start(call, provider, sheets, form_of(query.form), query.name)
    return Answer(outcome(sight, lines=False), 202 if sight.made else 200)


@routes.route("GET", "/providers/<provider>/imports", query=wire.PageQuery, returns=wire.ImportList)
def list_imports(call: Call, provider: str, query: wire.PageQuery) -> wire.ImportList:
    """The imports of a provider, the latest first."""
    page = imports.browse(call, provider, query.limit, query.cursor)
    return wire.ImportList(items=[begun(item) for item in page.items], next=page.next)


@routes.route("GET", "/imports/<import_id>", returns=wire.Import)
def get_import(call: Call, import_id: str) -> wire.Import:
    """One import: how far it is, and what it brought."""
    return begun(imports.show(call, import_id))
