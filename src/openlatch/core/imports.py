"""Lists that people keep themselves: from the rows of a sheet to an observation of entries kept by hand.

Every complaint names its line. A list with a complaint is taken as a whole or not at all, so nothing is stored of it.
What an export writes, an import reads back without loss; what can only be worked out (flags, ids, ages) is left out.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from typing import TypeVar
from zoneinfo import ZoneInfo

from openlatch.core.hours import Hours
from openlatch.core.model import Dependency, Kind, PartyKind, PartyStatus, ReadingOutcome, State, normal_address
from openlatch.core.observation import WRITTEN, Observation, ObservedAccount, ObservedEntry, ObservedParty
from openlatch.core.powers import Power, in_order
from openlatch.core.secrecy import holds_secret, names_secret, tells_secret
from openlatch.core.sheets import Form, Line, Note, Sheet, headers_of, left_out, proposed
from openlatch.core.written import Order, says_nothing, says_unknown, says_without_end, settled_order, to_instant

__all__ = [
    "DERIVED",
    "FIELDS",
    "Complaint",
    "Imported",
    "cut_apart",
    "known_field",
    "match_columns",
    "put_together",
    "read_list",
    "read_rows",
    "shown",
]

T = TypeVar("T")

FIELDS: Mapping[str, str] = {
    "account": "the account's name",
    "party": "who has access: a name",
    "addresses": "their addresses",
    "party_kind": "person, team, app or anyone",
    "party_status": "current, left or unknown",
    "publisher": "of an app: who made it",
    "home": "of an app: its page",
    "kind": "delegate, grant, app, session, offer, secret or open",
    "state": "offered, live or paused",
    "level": "the level in the provider's own words",
    "powers": "what it allows: view, edit, publish, export, spend, withdraw, admit, own",
    "permissions": "single permissions, in the provider's words",
    "resources": "the parts of the account, if not all of it",
    "given_at": "when it was given",
    "given_by": "who gave it",
    "accepted_at": "when it was taken up",
    "last_used": "when it was used last",
    "use_known": "yes if it is known that it was never used",
    "uses": "when each power was used last",
    "ends_at": "its last day, or the instant at which it ends",
    "end_unknown": "yes if it ends, but nobody knows when",
    "hours": "weekly hours",
    "reviewed_at": "when it was reviewed",
    "basis": "why it exists",
    "hangs_on": "the key of the entry without which it cannot be used",
    "dependencies": "what stops with it",
    "device": "the device of a session",
    "network": "the network of a session",
    "key": "what tells this line from all others, at every import",
}
"""The columns that are taken, with what is in them."""

_FREE = frozenset(("basis", "given_by", "dependencies", "device", "network", "home", "publisher"))
"""Columns of which a cell can be left out, and the line still says who has access to what."""
_BY_PEOPLE = frozenset(("party", "addresses", "basis", "given_by", "publisher"))
"""Columns in which people write: what looks made up by a machine does not belong there."""
_ADDRESS = re.compile(r"[^@\s]+@[^@\s]+|@?[\w.+-]{1,64}|@[^@\s]+\.[^@\s]+")

DERIVED = frozenset(
    (
        "provider", "id", "ref", "outside", "end_reason", "used_powers", "unknown", "first_seen", "last_seen",
        "ended_at", "severity", "flags", "vouched_at", "vouched_by", "subject",
    )
)  # fmt: skip
"""Columns of an export that are worked out, and so are not taken back."""

_ALSO = {
    "name": "party", "who": "party", "person": "party", "user": "party", "member": "party",
    "address": "addresses", "email": "addresses", "e_mail": "addresses", "mail": "addresses",
    "service_account": "account", "mailbox": "account", "where": "account",
    "role": "level", "access": "level", "access_level": "level",
    "rights": "permissions", "permission": "permissions", "scopes": "permissions",
    "since": "given_at", "from": "given_at", "given": "given_at", "start": "given_at", "start_date": "given_at",
    "until": "ends_at", "end": "ends_at", "ends": "ends_at", "end_date": "ends_at", "expires": "ends_at",
    "last_use": "last_used", "last_login": "last_used", "last_sign_in": "last_used",
    "why": "basis", "reason": "basis", "note": "basis", "notes": "basis", "purpose": "basis",
    "approved_by": "given_by", "type": "kind", "status": "party_status", "parts": "resources", "folders": "resources",
}  # fmt: skip
_MOST_LETTERS = 10_000
_SHOWN = 200
_DATES = frozenset(("given_at", "accepted_at", "last_used", "ends_at"))
_DITTO = frozenset(('"', "”", "„", "''", "〃", '-"-', '- " -', "do.", "ditto", "dito", "idem", "id.", "s.o.", "''  ''"))


@dataclass(frozen=True, slots=True)
class Complaint:
    """What is wrong, and where: `line` counts from 1, the header's; 0 is the file itself."""

    line: int
    column: str
    problem: str

    def __str__(self) -> str:
        place = f"line {self.line}" + (f", column “{self.column}”" if self.column else "")
        return f"{place if self.line else 'the file'}: {self.problem}"


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
    orders: Mapping[str, Order | None] = field(default_factory=dict)
    """by header, which number of its dates is the day; None where nobody can say, and somebody is asked"""


def put_together(values: Iterable[str]) -> str:
    """Return several values as the text of one cell."""
    return "; ".join(value.replace("\\", "\\\\").replace(";", "\\;") for value in values)


def cut_apart(text: str) -> list[str]:
    """Return the values that one cell holds; the opposite of `put_together`."""
    if ";" not in text and "\\" not in text:
        return [plain] if (plain := text.strip()) else []
    parts = re.findall(r"((?:[^\\;]|\\.)*)(?:;|$)", text, re.DOTALL)[:-1] if text else []
    found = [re.sub(r"\\(.)", r"\1", part.strip(), flags=re.DOTALL) for part in parts]
    return [part for part in found if part]


def known_field(header: str) -> str:
    """Return the field that a header is usually a name of; empty for one that is not known."""
    words = [one for one in re.split(r"[^a-z0-9]+", header.strip().casefold()) if one]
    for first in range(len(words)):
        name = "_".join(words[first:])
        if name in FIELDS or name in _ALSO:
            return name if name in FIELDS else _ALSO[name]
        if first == 0 and len(words) > 3:
            break  # a sentence, and no name
    return ""


def match_columns(headers: Sequence[str], wanted: Mapping[str, str]) -> tuple[dict[str, str], list[Complaint]]:
    """Return which field each header is, by what a person wants first, then by its own name; and what is wrong.

    Of several that are usually the same field, the first one is it, and the others are left out until somebody says.
    """
    complaints = [Complaint(1, header, "there is no such column") for header in wanted if header not in headers] + [
        Complaint(0, "", f"“{name}” is not a field") for name in wanted.values() if name and name not in FIELDS
    ]
    complaints += [
        Complaint(1, header, "it says that it holds secrets, and none is kept here; leave it out")
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
    complaints = [replace(one, line=form.header or 1) if one.line == 1 else one for one in complaints]
    notes = left_out(sheet, form)
    out = {note.line for note in notes}
    lines = [one for one in sheet.lines if one.number > (form.header or 1) and not one.empty and one.number not in out]
    orders, undecided = _orders(headers, matched, lines, form)
    complaints += undecided
    hidden = tuple(filter(names_secret, headers))
    remarks = [Complaint(0, "", one) for one in sheet.remarks] + list(_merged(headers, matched, lines))
    how = Imported(
        Observation(ReadingOutcome.PARTIAL), (), matched, secrets=hidden, form=form, notes=notes, orders=orders
    )
    if any(one.line in (0, form.header or 1) for one in complaints):
        return replace(how, complaints=tuple(complaints), remarks=tuple(remarks))
    accounts: dict[str, ObservedAccount] = {}
    parties: dict[str, ObservedParty] = {}
    entries: list[ObservedEntry] = []
    places: dict[str, int] = {}
    for line in lines:
        row = _Row(line, headers, matched, _Terms(ZoneInfo(zone), now, orders), complaints)
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
) -> tuple[dict[str, Order | None], list[Complaint]]:
    """Which number is the day, for each column of dates in which that matters; and where somebody has to say."""
    found: dict[str, Order | None] = {}
    asked: list[Complaint] = []
    for place, header in enumerate(headers):
        if matched[header] not in _DATES:
            continue
        order, matters = settled_order(line.cells[place] for line in lines if place < len(line.cells))
        order = form.orders.get(header, order)
        if matters or order is not None:
            found[header] = order
        if matters and order is None:
            problem = "in its dates either number may be the day; say whether the day or the month comes first"
            asked.append(Complaint(form.header or 1, header, problem))
    return found, asked


def _merged(headers: Sequence[str], matched: Mapping[str, str], lines: Sequence[Line]) -> Iterable[Complaint]:
    """Where a cell that was merged over several lines counts for each of them."""
    for place, header in enumerate(headers):
        filled = [line.number for line in lines if place in line.filled]
        if filled and matched[header]:
            span = f"line {filled[0]}" if len(filled) == 1 else f"lines {filled[0]} to {filled[-1]}"
            yield Complaint(filled[0], header, f"the text of a merged cell counts for each line that it spans ({span})")


@dataclass(frozen=True, slots=True)
class _Terms:
    """By what the dates of a list are read."""

    zone: ZoneInfo
    now: datetime
    orders: Mapping[str, Order | None]


class _Row:
    """One line; what is wrong with it goes to the complaints."""

    def __init__(
        self,
        line: Line,
        headers: Sequence[str],
        columns: Mapping[str, str],
        terms: _Terms,
        complaints: list[Complaint],
    ) -> None:
        self._line, self._terms, self._complaints = line.number, terms, complaints
        self._headers = {name: header for header, name in columns.items() if name}
        self._unknown = {headers[place] for place in line.unknown if place < len(headers)}
        cells = line.cells
        if len(cells) > len(headers) and any(cell.strip() for cell in cells[len(headers) :]):
            self._complain("", f"it has {len(cells)} cells, and the header has {len(headers)}")
        if len(cells) < len(headers):
            # What stands in its cells may belong under other headings: a password under "address".
            self._complain("", f"it has {len(cells)} cells only, and the header has {len(headers)}")
        self._all = dict(zip(headers, (_harmless(cell) for cell in cells), strict=False))
        for header, cell in self._all.items():
            if len(cell) > _MOST_LETTERS:
                problem = f"the cell has {len(cell)} letters, more than {_MOST_LETTERS}"
                self._complaints.append(Complaint(self._line, header, problem))
                self._all[header] = cell[:_MOST_LETTERS]
            elif "\x00" in cell:
                self._complaints.append(Complaint(self._line, header, "the cell has a NUL in it"))
        # What has a key was written by an export, whatever it holds.
        by_people = not self._all.get(self._headers.get("key", ""), "").strip()
        for name, header in self._headers.items():
            if by_people and self._all.get(header, "").strip().casefold() in _DITTO:
                self._complain(name, "a ditto mark; write out what it repeats")
            elif header in self._unknown and name not in ("ends_at", "last_used"):
                self._complain(name, "a formula of which the file has no result; save the file with its results")
        self._texts = {
            name: text for name, header in self._headers.items() if (text := self._all.get(header, "").strip())
        }

    def keep_secrets_out(self, remarks: list[Complaint]) -> None:
        """Leave out what seems to be a secret; where it would say who or what it is about, refuse the line."""
        for name, header in self._headers.items():
            cell = self._texts.get(name, "")
            if not cell or not (holds_secret(cell) if name in _BY_PEOPLE else tells_secret(cell)):
                continue
            if name in _FREE:
                self._blank(name, header)
                remarks.append(Complaint(self._line, header, "the cell seems to hold a password, and was left out"))
            else:
                self._complain(name, "the cell seems to hold a password; none is kept here, not even by mistake")
                self._blank(name, header)

    def _blank(self, name: str, header: str) -> None:
        self._all[header] = ""
        self._texts.pop(name, None)

    def header(self, name: str) -> str:
        return self._headers.get(name, "")

    def text(self, name: str) -> str:
        return self._texts.get(name, "")

    def belongs_to(self, provider: str) -> None:
        for header, cell in self._all.items():
            if header.casefold() == "provider" and cell.strip() and cell.strip().casefold() != provider.casefold():
                self._complaints.append(Complaint(self._line, header, f"it is of another provider than {provider}"))

    def party(self, key: str, known: ObservedParty | None) -> ObservedParty:
        addresses = tuple(cut_apart(self.text("addresses").replace(",", ";")))
        if len(addresses) > 1 and not self.text("key"):
            self._complain("addresses", "two addresses in one cell; give each party a line of its own")
        for address in addresses:
            if not _ADDRESS.fullmatch(address):
                self._complain("addresses", "it is neither an address nor a handle")
        both = (*known.addresses, *addresses) if known else addresses
        return ObservedParty(
            key,
            self._word(PartyKind, "party_kind", PartyKind.PERSON),
            self.text("party") or addresses[0] if self.text("party") or addresses else key,
            tuple(dict.fromkeys(both)),
            self._word(PartyStatus, "party_status", PartyStatus.UNKNOWN),
            publisher=self.text("publisher"),
            home=self.text("home"),
        )

    def entry(self) -> ObservedEntry:
        account, name = self.text("account"), self.text("party")
        addresses = cut_apart(self.text("addresses").replace(",", ";"))
        if not account:
            self._complain("account", "it names no account")
        if not name and not addresses:
            self._complain("party", "it names nobody")
        kind = self._word(Kind, "kind", Kind.DELEGATE)
        party = normal_address(addresses[0]) if addresses else name.casefold()
        end = self.text("ends_at")
        without_end, end_unknown = says_without_end(end), self._says_unknown("ends_at")
        given_at, last_used = self._instant("given_at"), self._instant("last_used")
        ends_at = None if without_end or end_unknown else self._instant("ends_at", last_day=True)
        if ends_at is not None and given_at is not None and ends_at <= given_at:
            self._complain("ends_at", "it ends before it begins")
        if last_used is not None and last_used > self._terms.now:
            self._complain("last_used", "a use in the future")
        powers = [] if self.text("powers").casefold() == "none" else self._several("powers", Power)
        return ObservedEntry(
            key=self.text("key") or _key(kind, account, party, self.text("level")),
            account=account,
            party=f"{WRITTEN}{party}",
            kind=kind,
            level=self.text("level") or kind.value,
            powers=in_order(powers) if self.text("powers") else None,
            state=self._word(State, "state", State.LIVE, but=(State.ENDING, State.ENDED)),
            permissions=tuple(cut_apart(self.text("permissions"))),
            resources=tuple(cut_apart(self.text("resources"))),
            given_at=given_at,
            given_by=self.text("given_by"),
            accepted_at=self._instant("accepted_at"),
            last_used=last_used,
            use_known=self._yes("use_known"),
            uses=self._uses(),
            ends_at=ends_at,
            end_unknown=self._yes("end_unknown") or end_unknown,
            hours=self._parsed("hours", Hours.parse, "write it as: tue,fri 19:00-04:00 Europe/London"),
            reviewed_at=tuple(sorted(self._each("reviewed_at", self._to_instant))),
            basis=self.text("basis"),
            hangs_on=self.text("hangs_on") or None,
            dependencies=tuple(self._each("dependencies", Dependency.parse)),
            device=self.text("device"),
            network=self.text("network"),
            by_hand=True,
        )

    def _complain(self, name: str, problem: str) -> None:
        self._complaints.append(Complaint(self._line, self.header(name) if name else "", problem))

    def _word(self, of: Callable[[str], T], name: str, default: T, but: Iterable[T] = ()) -> T:
        text = self.text(name).casefold()
        if not text:
            return default
        try:
            found = of(text)
        except ValueError:
            self._complain(name, f"it is not one of: {FIELDS[name]}")
            return default
        if found in but:
            self._complain(name, f"what is {text} does not belong in a list of what stands; leave the line out")
        return found

    def _several(self, name: str, of: Callable[[str], T]) -> list[T]:
        found: list[T] = []
        for word in cut_apart(self.text(name).replace(",", ";")):
            try:
                found.append(of(word.casefold()))
            except ValueError:
                self._complain(name, f"a word of it is not a power; the powers are {FIELDS[name].partition(': ')[2]}")
        return found

    def _yes(self, name: str) -> bool:
        text = self.text(name).casefold()
        if text not in ("", "yes", "no", "true", "false", "1", "0", "x"):
            self._complain(name, "it is neither yes nor no")
        return text in ("yes", "true", "1", "x")

    def _parsed(self, name: str, parse: Callable[[str], T], how: str) -> T | None:
        text = self.text(name)
        if not text:
            return None
        try:
            return parse(text)
        except (ValueError, KeyError, OverflowError):
            self._complain(name, f"it cannot be read; {how}")
            return None

    def _each(self, name: str, parse: Callable[[str], T]) -> list[T]:
        found: list[T] = []
        for part in cut_apart(self.text(name)):
            try:
                found.append(parse(part))
            except (ValueError, OverflowError):
                self._complain(name, "it cannot be read")
        return found

    def _uses(self) -> dict[Power, datetime] | None:
        pairs = cut_apart(self.text("uses"))
        found: dict[Power, datetime] = {}
        for pair in pairs:
            word, _, at = pair.partition(" ")
            try:
                found[Power(word)] = self._to_instant(at)
            except (ValueError, OverflowError):
                self._complain("uses", "it is not a power and a time")
        return found if pairs else None

    def _says_unknown(self, name: str) -> bool:
        return says_unknown(self.text(name)) or self.header(name) in self._unknown

    def _instant(self, name: str, *, last_day: bool = False) -> datetime | None:
        if says_nothing(self.text(name)) or self._says_unknown(name):
            return None
        how = "write a day as 2026-05-10, or an instant as 2026-05-10T19:00:00+00:00"
        return self._parsed(name, lambda text: self._to_instant(text, name, last_day=last_day), how)

    def _to_instant(self, text: str, name: str = "", *, last_day: bool = False) -> datetime:
        """An instant; a day alone is its start in the holder's zone, or as a last day its end."""
        order = self._terms.orders.get(self.header(name)) if name else None
        return to_instant(text, self._terms.zone, order, last_day=last_day).astimezone(UTC)


def _harmless(cell: str) -> str:
    """A cell without the apostrophe that kept spreadsheets from taking it for a formula."""
    plain = cell.replace("\r\n", "\n").replace("\r", "\n")
    return plain[1:] if re.match(r"'+[=+\-@\t\n]", plain) else plain


def _key(kind: str, account: str, party: str, level: str) -> str:
    """What tells an entry from all others that are kept by hand; each secret that somebody knows is one of its own."""
    what = f":{level.casefold()}" if kind == Kind.SECRET else ""
    return f"hand:{kind}:{account.casefold()}:{party}{what}"
