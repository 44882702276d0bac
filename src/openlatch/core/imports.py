"""Lists that people keep themselves: from the rows of a sheet to an observation of entries kept by hand.

Every complaint names its line. A list with a complaint is taken as a whole or not at all, so nothing is stored of it.
What an export writes, an import reads back without loss; what can only be worked out (flags, ids, ages) is left out.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import TypeVar
from zoneinfo import ZoneInfo

from openlatch.core.hours import Hours
from openlatch.core.model import Dependency, Kind, PartyKind, PartyStatus, ReadingOutcome, State, normal_address
from openlatch.core.observation import WRITTEN, Observation, ObservedAccount, ObservedEntry, ObservedParty
from openlatch.core.powers import Power, in_order
from openlatch.core.secrecy import holds_secret, names_secret, tells_secret

__all__ = ["DERIVED", "FIELDS", "Complaint", "Imported", "cut_apart", "match_columns", "put_together", "read_rows"]

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
_NO_END = {"", "none", "no end", "never", "-", "–"}


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
    """What a list says: an observation to reconcile (empty if there are complaints), and how its columns were taken.

    `columns` says for every header which field it is, "" for one that is left out.
    """

    observation: Observation
    complaints: tuple[Complaint, ...]
    columns: Mapping[str, str] = field(default_factory=dict)
    lines: Mapping[str, int] = field(default_factory=dict)
    """the line of each entry, by its key"""
    secrets: tuple[str, ...] = ()
    """the headers of columns that were left out because they say that what is in them is secret"""
    remarks: tuple[Complaint, ...] = ()
    """cells that were left out because they seem to hold a secret"""


def put_together(values: Iterable[str]) -> str:
    """Return several values as the text of one cell."""
    return "; ".join(value.replace("\\", "\\\\").replace(";", "\\;") for value in values)


def cut_apart(text: str) -> list[str]:
    """Return the values that one cell holds; the opposite of `put_together`."""
    if not text.strip():
        return []
    parts = re.findall(r"((?:[^\\;]|\\.)*)(?:;|$)", text, re.DOTALL)[:-1] if text else []
    found = [re.sub(r"\\(.)", r"\1", part.strip(), flags=re.DOTALL) for part in parts]
    return [part for part in found if part]


def match_columns(headers: Sequence[str], wanted: Mapping[str, str]) -> tuple[dict[str, str], list[Complaint]]:
    """Return which field each header is, by what a person wants first, then by its own name; and what is wrong."""
    complaints = [Complaint(1, header, "there is no such column") for header in wanted if header not in headers] + [
        Complaint(0, "", f"“{name}” is not a field") for name in wanted.values() if name and name not in FIELDS
    ]
    complaints += [
        Complaint(1, header, "it says that it holds secrets, and none is kept here; leave it out")
        for header, name in wanted.items()
        if name and names_secret(header)
    ]
    columns: dict[str, str] = {}
    for place, header in enumerate(headers, 1):
        name = re.sub(r"[^a-z0-9]+", "_", header.strip().casefold()).strip("_")
        known = name if name in FIELDS else _ALSO.get(name, "")
        if header in columns and header.strip():
            complaints.append(Complaint(1, header, f"column {place} has the same name as one before it"))
        columns[header] = wanted.get(header, "" if names_secret(header) else known)
    taken: dict[str, str] = {}
    for header, name in columns.items():
        if name and name in taken:
            complaints.append(Complaint(1, header, f"it is taken for {name}, and so is “{taken[name]}”"))
        taken.setdefault(name, header)
    for name in ("account", "party"):
        if name not in taken and not (name == "party" and "addresses" in taken):
            complaints.append(Complaint(1, "", f"no column is {FIELDS[name]} ({name})"))
    return columns, complaints


def read_rows(
    rows: Iterable[tuple[int, Sequence[str]]], *, zone: str, provider: str, columns: Mapping[str, str] | None = None
) -> Imported:
    """Return what a list says. `rows` are line numbers with texts, the header first; `columns` names fields by header.

    Days are days of `zone`. A list of another provider (a column `provider` says so) is not taken for this one's.
    """
    remaining = iter(rows)
    _, header = next(remaining, (1, ()))
    headers = [h.strip() for h in header]
    matched, complaints = match_columns(headers, columns or {})
    hidden, remarks = tuple(filter(names_secret, headers)), list[Complaint]()
    if complaints:
        return Imported(Observation(ReadingOutcome.PARTIAL), tuple(complaints), matched, secrets=hidden)
    accounts: dict[str, ObservedAccount] = {}
    parties: dict[str, ObservedParty] = {}
    entries: list[ObservedEntry] = []
    lines: dict[str, int] = {}
    for line, cells in remaining:
        if not any(cell.strip() for cell in cells):
            continue
        row = _Row(line, headers, matched, cells, zone, complaints)
        row.keep_secrets_out(remarks)
        row.belongs_to(provider)
        entry = row.entry()
        if entry.key in lines:
            complaints.append(Complaint(line, row.header("key"), f"it is the same access as line {lines[entry.key]}"))
        lines.setdefault(entry.key, line)
        account = row.text("account")
        accounts.setdefault(account, ObservedAccount(account, account))
        parties[entry.party] = row.party(entry.party, parties.get(entry.party))
        entries.append(entry)
    if complaints:
        nothing = Observation(ReadingOutcome.PARTIAL)
        return Imported(nothing, tuple(complaints), matched, secrets=hidden, remarks=tuple(remarks))
    # Partial, since what is not in a list is not thereby gone.
    seen = Observation(ReadingOutcome.PARTIAL, tuple(accounts.values()), tuple(parties.values()), tuple(entries))
    return Imported(seen, (), matched, lines, hidden, tuple(remarks))


class _Row:
    """One line; what is wrong with it goes to the complaints."""

    def __init__(
        self,
        line: int,
        headers: Sequence[str],
        columns: Mapping[str, str],
        cells: Sequence[str],
        zone: str,
        complaints: list[Complaint],
    ) -> None:
        self._line, self._zone, self._complaints = line, ZoneInfo(zone), complaints
        self._headers = {name: header for header, name in columns.items() if name}
        if len(cells) > len(headers) and any(cell.strip() for cell in cells[len(headers) :]):
            self._complain("", f"it has {len(cells)} cells, and the header has {len(headers)}")
        if len(cells) < len(headers):
            # What stands in its cells may belong under other headings: a password under "address".
            self._complain("", f"it has {len(cells)} cells only, and the header has {len(headers)}")
        self._all = dict(zip(headers, (_harmless(cell) for cell in cells), strict=False))
        for header, cell in self._all.items():
            if len(cell) > _MOST_LETTERS:
                problem = f"the cell has {len(cell)} letters, more than {_MOST_LETTERS}"
                self._complaints.append(Complaint(line, header, problem))
                self._all[header] = cell[:_MOST_LETTERS]
            elif "\x00" in cell:
                self._complaints.append(Complaint(line, header, "the cell has a NUL in it"))

    def keep_secrets_out(self, remarks: list[Complaint]) -> None:
        """Leave out what seems to be a secret; where it would say who or what it is about, refuse the line."""
        for name, header in self._headers.items():
            cell = self._all.get(header, "")
            if not (holds_secret(cell) if name in _BY_PEOPLE else tells_secret(cell)):
                continue
            if name in _FREE:
                self._all[header] = ""
                remarks.append(Complaint(self._line, header, "the cell seems to hold a password, and was left out"))
            else:
                self._complain(name, "the cell seems to hold a password; none is kept here, not even by mistake")
                self._all[header] = ""

    def header(self, name: str) -> str:
        return self._headers.get(name, "")

    def text(self, name: str) -> str:
        return self._all.get(self.header(name), "").strip() if self.header(name) else ""

    def belongs_to(self, provider: str) -> None:
        for header, cell in self._all.items():
            if header.casefold() == "provider" and cell.strip() and cell.strip().casefold() != provider.casefold():
                self._complaints.append(Complaint(self._line, header, f"it is of another provider than {provider}"))

    def party(self, key: str, known: ObservedParty | None) -> ObservedParty:
        addresses = tuple(cut_apart(self.text("addresses").replace(",", ";")))
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
        no_end = self.text("ends_at").casefold() in _NO_END
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
            given_at=self._instant("given_at"),
            given_by=self.text("given_by"),
            accepted_at=self._instant("accepted_at"),
            last_used=self._instant("last_used"),
            use_known=self._yes("use_known"),
            uses=self._uses(),
            ends_at=None if no_end else self._instant("ends_at", last_day=True),
            end_unknown=self._yes("end_unknown"),
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

    def _instant(self, name: str, *, last_day: bool = False) -> datetime | None:
        how = "write a day as 2026-05-10, or an instant as 2026-05-10T19:00:00+00:00"
        return self._parsed(name, lambda text: self._to_instant(text, last_day=last_day), how)

    def _to_instant(self, text: str, *, last_day: bool = False) -> datetime:
        """An instant; a day alone is its start in the holder's zone, or as a last day its end."""
        whole_day = re.fullmatch(r"\d{4}-\d\d-\d\d", text.strip()) is not None
        found = datetime.fromisoformat(text.strip())
        if whole_day and last_day:
            found += timedelta(days=1)
        return (found if found.tzinfo else found.replace(tzinfo=self._zone)).astimezone(UTC)


def _harmless(cell: str) -> str:
    """A cell without the apostrophe that kept spreadsheets from taking it for a formula."""
    plain = cell.replace("\r\n", "\n").replace("\r", "\n")
    return plain[1:] if re.match(r"'+[=+\-@\t\n]", plain) else plain


def _key(kind: str, account: str, party: str, level: str) -> str:
    """What tells an entry from all others that are kept by hand; each secret that somebody knows is one of its own."""
    what = f":{level.casefold()}" if kind == Kind.SECRET else ""
    return f"hand:{kind}:{account.casefold()}:{party}{what}"
