"""Lists that people keep themselves: from the rows of a sheet to an observation of entries kept by hand.

Every complaint names its line. A list with a complaint is taken as a whole or not at all, so nothing is stored of it.
What an export writes, an import reads back without loss; what can only be worked out (flags, ids, ages) is left out.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import datetime
from zoneinfo import ZoneInfo

from openlatch.core.inventory.import_rows import FIELDS, Complaint, Row, Terms
from openlatch.core.inventory.sheets import Form, Line, Note, Sheet, headers_of, left_out, proposed
from openlatch.core.inventory.written import settled_order
from openlatch.core.providers.observation import Observation, ObservedAccount, ObservedEntry, ObservedParty
from openlatch.core.record.secrecy import holds_secret, names_secret
from openlatch.words import DayOrder, ReadingOutcome

__all__ = ["Imported", "known_field", "match_columns", "read_list", "read_rows", "shown"]

_CALLED = {
    "party": "name who person user member",
    "addresses": "address email e_mail mail",
    "account": "service_account mailbox where",
    "level": "role access access_level",
    "permissions": "rights permission scopes",
    "given_at": "since from given start start_date",
    "ends_at": "until end ends end_date expires",
    "last_used": "last_use last_login last_sign_in",
    "basis": "why reason note notes purpose",
    "given_by": "approved_by",
    "kind": "type",
    "party_status": "status",
    "resources": "parts folders",
}
_ALSO = {other: field for field, others in _CALLED.items() for other in others.split()}
"""What people call the fields in lists of their own."""
_SHOWN = 200
_DATES = frozenset(("given_at", "accepted_at", "last_used", "ends_at"))


@dataclass(frozen=True, slots=True)
class Imported:
    """What a list says: an observation to reconcile (empty if there are complaints), and how it was taken.

    `columns` says for every header, in the order of the sheet, which field it is, "" for one that is left out.
    """

    observation: Observation
    complaints: tuple[Complaint, ...]
    columns: Mapping[str, str] = field(default_factory=dict)
    lines: Mapping[str, int] = field(default_factory=dict)
    """the line of each entry, by its key"""
    secrets: tuple[str, ...] = ()
    """the headers of columns that were left out because they say that what is in them is secret"""
    remarks: tuple[Complaint, ...] = ()
    """what a person should see before it is taken, with its place"""
    form: Form = field(default_factory=Form)
    """how the sheet was taken, with everything that was proposed"""
    notes: tuple[Note, ...] = ()
    """the lines that are left out, with why"""
    orders: Mapping[str, DayOrder | None] = field(default_factory=dict)
    """by header, which number of its dates is the day; None where nobody can say, and someone is asked"""


def known_field(header: str) -> str:
    """Return the field that a header is usually a name of; empty for one that is not known."""
    words = [part for part in re.split(r"[^a-z0-9]+", header.strip().casefold()) if part]
    for first in range(len(words)):
        name = "_".join(words[first:])
        if name in FIELDS or name in _ALSO:
            return name if name in FIELDS else _ALSO[name]
        if first == 0 and len(words) > 3:
            break  # a sentence, and no name
    return ""


def match_columns(headers: Sequence[str], wanted: Mapping[str, str]) -> tuple[dict[str, str], list[Complaint]]:
    """Return which field each header is, by what a person wants first, then by its own name; and what is wrong.

    Of several that are usually the same field, the first one is it, and the others are left out until someone says.
    """
    complaints = [Complaint(1, header, "there is no such column") for header in wanted if header not in headers] + [
        Complaint(0, "", f"“{name}” is not a field") for name in wanted.values() if name and name not in FIELDS
    ]
    complaints += [
        Complaint(1, header, "it holds secrets, which Open Latch does not keep; leave it out")
        for header, name in wanted.items()
        if name and names_secret(header)
    ]
    columns = {header: wanted.get(header, "") for header in headers}
    taken: dict[str, str] = {}
    for header in headers:
        name = wanted.get(header, "")
        if name and name in taken:
            complaints.append(Complaint(1, header, f"it is taken for {name}, and so is “{taken[name]}”"))
        taken.setdefault(name, header)
    exact = sorted(headers, key=lambda header: known_field(header) != header.strip().casefold())
    for header in exact:
        name = known_field(header)
        if header not in wanted and not names_secret(header) and name and name not in taken:
            columns[header] = name
            taken[name] = header
    for name in ("account", "party"):
        if name not in taken and not (name == "party" and "addresses" in taken):
            complaints.append(Complaint(1, "", f"no column is {FIELDS[name]} ({name})"))
    return columns, complaints


def read_rows(
    rows: Iterable[tuple[int, Sequence[str]]],
    *,
    zone: str,
    provider: str,
    now: datetime,
    columns: Mapping[str, str] | None = None,
) -> Imported:
    """Return what lines say of which the first is the header, and none is anything else; otherwise like `read_list`."""
    sheet = Sheet("", tuple(Line(number, tuple(cells)) for number, cells in rows))
    every = frozenset(line.number for line in sheet.lines)
    first = sheet.lines[0].number if sheet.lines else 1
    form = Form("", first, headers=1, columns=columns or {}, take=every)
    return read_list([sheet], form, zone=zone, provider=provider, now=now)


def read_list(sheets: Sequence[Sheet], wanted: Form, *, zone: str, provider: str, now: datetime) -> Imported:
    """Return what a list says, as a form has it taken; what that leaves open is proposed.

    Days are days of `zone`. A list of another provider (a column `provider` says so) is not taken for this one's.
    """
    sheet, form = proposed(sheets, wanted, lambda header: bool(known_field(header)))
    headers = headers_of(sheet, form)
    matched, complaints = match_columns(headers, form.columns)
    complaints = [
        replace(complaint, line=form.header or 1) if complaint.line == 1 else complaint for complaint in complaints
    ]
    notes = left_out(sheet, form)
    out = {note.line for note in notes}
    lines = [
        line for line in sheet.lines if line.number > (form.header or 1) and not line.empty and line.number not in out
    ]
    orders, undecided = _orders(headers, matched, lines, form)
    complaints += undecided
    hidden = tuple(filter(names_secret, headers))
    remarks = [Complaint(0, "", remark) for remark in sheet.remarks] + list(_merged(headers, matched, lines))
    how = Imported(
        Observation(ReadingOutcome.PARTIAL), (), matched, secrets=hidden, form=form, notes=notes, orders=orders
    )
    if any(complaint.line in (0, form.header or 1) for complaint in complaints):
        return replace(how, complaints=tuple(complaints), remarks=tuple(remarks))
    accounts: dict[str, ObservedAccount] = {}
    parties: dict[str, ObservedParty] = {}
    entries: list[ObservedEntry] = []
    places: dict[str, int] = {}
    for line in lines:
        row = Row(line, headers, matched, Terms(ZoneInfo(zone), now, orders), complaints)
        row.keep_secrets_out(remarks)
        row.belongs_to(provider)
        entry = row.entry()
        if entry.key in places:
            complaints.append(Complaint(line.number, row.header("key"), f"same access as line {places[entry.key]}"))
        places.setdefault(entry.key, line.number)
        account = row.text("account")
        accounts.setdefault(account, ObservedAccount(account, account))
        parties[entry.party] = row.party(entry.party, parties.get(entry.party))
        entries.append(entry)
    if complaints:
        return replace(how, complaints=tuple(complaints), remarks=tuple(remarks))
    # Partial, since what is not in a list is not thereby gone.
    seen = Observation(ReadingOutcome.PARTIAL, tuple(accounts.values()), tuple(parties.values()), tuple(entries))
    return replace(how, observation=seen, lines=places, remarks=tuple(remarks))


def shown(imported: Imported, line: Line) -> list[str]:
    """Return the cells of a line as they are, without what seems to be a secret."""
    below = line.number > (imported.form.header or 1)
    hidden = {place for place, header in enumerate(imported.columns) if header in imported.secrets}
    return [
        "•••" if cell.strip() and ((below and place in hidden) or holds_secret(cell)) else cell[:_SHOWN]
        for place, cell in enumerate(line.cells)
    ]


def _orders(
    headers: Sequence[str], matched: Mapping[str, str], lines: Sequence[Line], form: Form
) -> tuple[dict[str, DayOrder | None], list[Complaint]]:
    """Which number is the day, for each column of dates in which that matters; and where someone has to say."""
    orders: dict[str, DayOrder | None] = {}
    asked: list[Complaint] = []
    for place, header in enumerate(headers):
        if matched[header] not in _DATES:
            continue
        order, matters = settled_order(line.cells[place] for line in lines if place < len(line.cells))
        order = form.orders.get(header, order)
        if matters or order is not None:
            orders[header] = order
        if matters and order is None:
            problem = "in its dates either number may be the day; say whether the day or the month comes first"
            asked.append(Complaint(form.header or 1, header, problem))
    return orders, asked


def _merged(headers: Sequence[str], matched: Mapping[str, str], lines: Sequence[Line]) -> Iterable[Complaint]:
    """Where a cell that was merged over several lines counts for each of them."""
    for place, header in enumerate(headers):
        filled = [line.number for line in lines if place in line.filled]
        if filled and matched[header]:
            span = f"line {filled[0]}" if len(filled) == 1 else f"lines {filled[0]} to {filled[-1]}"
            yield Complaint(filled[0], header, f"the text of a merged cell counts for each line that it spans ({span})")
