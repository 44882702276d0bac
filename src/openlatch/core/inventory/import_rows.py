"""One line of a list that people keep, as an entry; every complaint names its line and column, and quotes no cell."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Mapping, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import TypeVar
from zoneinfo import ZoneInfo

from openlatch.core.hours import Hours
from openlatch.core.inventory.sheets import Line
from openlatch.core.inventory.written import says_nothing, says_unknown, says_without_end, to_instant
from openlatch.core.model import Dependency, normal_address
from openlatch.core.powers import in_order
from openlatch.core.providers.observation import WRITTEN, ObservedEntry, ObservedParty
from openlatch.core.record.secrecy import holds_secret, tells_secret
from openlatch.words import DayOrder, Kind, PartyKind, PartyStatus, Power, State

__all__ = ["FIELDS", "Complaint", "Row", "Terms", "cut_apart", "put_together"]

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
    "powers": f"what it allows: {', '.join(Power)}",
    "permissions": "single permissions, in the provider's words",
    "resources": "the parts of the account, if not all of it",
    "given_at": "when it was given",
    "given_by": "who gave it",
    "accepted_at": "when it was accepted",
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

_MOST_LETTERS = 10_000
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


def put_together(values: Iterable[str]) -> str:
    """Return several values as the text of one cell."""
    return "; ".join(value.replace("\\", "\\\\").replace(";", "\\;") for value in values)


def cut_apart(text: str) -> list[str]:
    """Return the values that one cell holds; the opposite of `put_together`."""
    if ";" not in text and "\\" not in text:
        return [plain] if (plain := text.strip()) else []
    parts = re.findall(r"((?:[^\\;]|\\.)*)(?:;|$)", text, re.DOTALL)[:-1] if text else []
    texts = [re.sub(r"\\(.)", r"\1", part.strip(), flags=re.DOTALL) for part in parts]
    return [part for part in texts if part]


@dataclass(frozen=True, slots=True)
class Terms:
    """By what the dates of a list are read."""

    zone: ZoneInfo
    now: datetime
    orders: Mapping[str, DayOrder | None]


class Row:
    """One line; what is wrong with it goes to the complaints."""

    def __init__(
        self,
        line: Line,
        headers: Sequence[str],
        columns: Mapping[str, str],
        terms: Terms,
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
                self._complain(name, "the cell seems to hold a password; Open Latch keeps none, not even by mistake")
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
            value = of(text)
        except ValueError:
            self._complain(name, f"it is not one of: {FIELDS[name]}")
            return default
        if value in but:
            self._complain(name, f"what is {text} does not belong in a list of what stands; leave the line out")
        return value

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
        moments: dict[Power, datetime] = {}
        for pair in pairs:
            word, _, at = pair.partition(" ")
            try:
                moments[Power(word)] = self._to_instant(at)
            except (ValueError, OverflowError):
                self._complain("uses", "it is not a power and a time")
        return moments if pairs else None

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
    """What tells an entry from all others that are kept by hand; each secret that someone knows is one of its own."""
    what = f":{level.casefold()}" if kind == Kind.SECRET else ""
    return f"hand:{kind}:{account.casefold()}:{party}{what}"
