"""What a proposal would change: who gains and who loses which power over what, at which hours and from where.

Everything that lets someone do something is brought to one form, that of sharing documents: an entry is a statement
that allows its powers to its party. So what entries, teams, documents and locks make together is compared exactly, by
`core.what_if.exposure`; what someone loses here and has by another way is no loss.
"""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from uuid import UUID

from openlatch.core.hours import DAYS, Window, gaps
from openlatch.core.inventory.reach import effective
from openlatch.core.model import Entry
from openlatch.core.providers.sharing import ANYONE, Document, Network, Region, Selector, Statement, pieces
from openlatch.core.what_if.exposure import BUDGET, Difference, Someone, Witness, difference
from openlatch.words import Power

__all__ = ["Ability", "Picture", "Shift", "shifts", "someone"]

MOST_PIECES = 6
"""In so many pieces, each exact, it is told what powers hold at other hours from one network than from another."""
MOST_NETWORKS = 40
"""So many networks are named; of more, the number and one of them."""


@dataclass(frozen=True, slots=True)
class Picture:
    """What there is, or would be: entries, sharing documents, and the accounts that are locked against anyone.

    Accounts of documents are named by the text of their ids, and so are parties in their selectors. An entry that
    follows from a document is not among the entries.
    """

    entries: tuple[Entry, ...] = ()
    documents: tuple[Document, ...] = ()
    locked: frozenset[str] = frozenset()


@dataclass(frozen=True, slots=True)
class Ability:
    """Powers that hold at the same times from the same networks; `hours` and `networks` are empty without a limit.

    `but` are the networks from which alone they do not hold. Where they hold at some of these hours only from some of
    these networks, and that would take too many words, it is so only `in_part`. With `witness` the answer is a summary,
    for there is too much to tell: a moment and an address, or how many networks there are.
    """

    powers: tuple[Power, ...]
    hours: str
    networks: tuple[str, ...]
    in_part: bool = False
    witness: str = ""
    but: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Shift:
    """What changes for someone on some parts of an account; without parts, on all of it that is not named.

    `parties` are the known parties that are meant, by the text of their ids; without any, everybody whom `matched_by`
    matches and nobody knows.
    """

    account: str
    resources: tuple[str, ...]
    matched_by: frozenset[Selector]
    parties: tuple[str, ...]
    gained: tuple[Ability, ...]
    lost: tuple[Ability, ...]


def someone(parties: Mapping[UUID, Iterable[str]], above: Mapping[UUID, Collection[UUID]]) -> tuple[Someone, ...]:
    """Return parties as the comparison knows them: by their domains, themselves, and those as whom they act."""
    return tuple(
        Someone(
            str(each_id),
            frozenset(
                {ANYONE, Selector("party", str(each_id))}
                | {Selector("domain", domain) for domain in domains if domain}
                | {Selector("party", str(team)) for team in above.get(each_id, ())}
            ),
        )
        for each_id, domains in parties.items()
    )


def shifts(
    before: Picture,
    after: Picture,
    known: Sequence[Someone],
    selectors: Mapping[UUID, Selector],
    zone: str,
    *,
    budget: int = BUDGET,
) -> tuple[Shift, ...]:
    """Return what changes between two pictures for whom, account by account and part by part.

    `selectors` are those of parties that stand for others, such as anyone, or everyone at a domain. Where hours of
    several zones meet on an account, they are told by the clock of `zone`, for each way in which the zones are apart in
    the course of a year.
    """
    zones = _zones(before, after)
    several = {account for account, used in zones.items() if len(used) > 1}
    clocks = {account: next(iter(used)) for account, used in zones.items() if len(used) == 1}
    far = tuple(sorted(set().union(*(zones[account] for account in several)) - {zone}))
    the_shifts: list[Shift] = []
    seasons: list[tuple[str, set[Shift]]] = []
    for season in gaps(far, zone) if several else ((),):
        ahead = dict(zip(far, season, strict=True)) if several else {}
        sides = [_statements(picture, selectors, _Clocks(zone, clocks, ahead)) for picture in (before, after)]
        made = _compared(sides, before.locked, after.locked, known, budget)
        the_shifts += [
            _told_with(shift, "" if clocks.get(shift.account, zone) == zone else f" {clocks[shift.account]}", "")
            for shift in made
            if shift.account not in several and not seasons
        ]
        seasons.append((_while(far, season, zone), {shift for shift in made if shift.account in several}))
    always = set.intersection(*(made for _, made in seasons))
    the_shifts += sorted(always, key=_in_order)
    for said, some in seasons:
        the_shifts += [_told_with(shift, f", {said}") for shift in sorted(some - always, key=_in_order)]
    return _joined(the_shifts)


def _compared(
    sides: Sequence[Mapping[Place, frozenset[Statement]]],
    before: frozenset[str],
    after: frozenset[str],
    known: Sequence[Someone],
    budget: int,
) -> list[Shift]:
    """What changes between two pictures that are read by the same clocks; `before` and `after` are what is locked."""
    the_shifts: list[Shift] = []
    alike: dict[_Compared, list[str]] = defaultdict(list)
    for place in sorted(sides[0].keys() | sides[1].keys()):
        account, resource = place
        locks = (account in before, account in after)
        statements, other = sides[0].get(place, frozenset()), sides[1].get(place, frozenset())
        if statements != other or locks[0] != locks[1]:
            alike[account, locks, statements, other].append(resource)
    for (account, locks, statements, other), resources in alike.items():
        documents = [Document("", account, "", "UTC", tuple(side)) for side in (statements, other)]
        seen: set[tuple[object, object]] = set()
        touched = {selector for statement in statements ^ other for selector in statement.to} - {ANYONE}
        # Anyone comes first, and whoever only shares in that is not told of one by one.
        for change in difference(documents[0], documents[1], known, locked=locks, budget=budget):
            gained, lost = _abilities(change)
            told_already = (gained, lost) in seen and not change.matched_by & touched
            if change.matched_by == {ANYONE}:
                seen.add((gained, lost))
            if (gained or lost) and not told_already:
                parts = () if "" in resources else tuple(sorted(resources))
                the_shifts.append(Shift(account, parts, change.matched_by, change.parties, gained, lost))
    return the_shifts


Place = tuple[str, str]
"""An account, and a part of it (empty: whatever is not named)."""
_Compared = tuple[str, tuple[bool, bool], frozenset[Statement], frozenset[Statement]]


@dataclass(frozen=True, slots=True)
class _Clocks:
    """By which clock the hours on an account are read: the only one that is used on it, or else that of `home`.

    `ahead` says by how many minutes other zones are ahead of `home`, in the weeks that are looked at.
    """

    home: str
    only: Mapping[str, str]
    ahead: Mapping[str, int]

    def read(self, account: str, zone: str, windows: Iterable[Window] | None) -> tuple[Window, ...] | None:
        """Return windows of a zone as they are by the clock of an account."""
        if windows is None or account in self.only:
            return None if windows is None else tuple(windows)
        return tuple(window.moved(-self.ahead.get(zone, 0)) for window in windows)


def _zones(*pictures: Picture) -> dict[str, set[str]]:
    """The zones in which there are hours, for each account."""
    found: dict[str, set[str]] = defaultdict(set)
    for picture in pictures:
        for entry in picture.entries:
            if entry.hours is not None and effective(entry):
                found[str(entry.account_id)].add(entry.hours.zone)
        for document in picture.documents:
            if any(statement.hours is not None for statement in document.statements):
                found[document.account].add(document.zone)
    return found


def _while(zones: Sequence[str], season: Sequence[int], home: str) -> str:
    """In which weeks zones are so far apart, in words."""
    told = [
        f"{zone} is {abs(minutes) / 60:g} h {'ahead of' if minutes > 0 else 'behind'} {home}"
        if minutes
        else f"{zone} and {home} are level"
        for zone, minutes in zip(zones, season, strict=True)
    ]
    return "while " + " and ".join(told)


def _in_order(shift: Shift) -> tuple[object, ...]:
    return shift.account, shift.resources, sorted(shift.matched_by), shift.parties


def _told_with(shift: Shift, said: str, always: str = "at all hours") -> Shift:
    """A change with something said of its hours; what holds at all hours is called so, if anything is said of that."""

    def told(ability: Ability) -> Ability:
        # A summary names a moment, and not the hours.
        hours = ability.hours or ("" if ability.witness else always)
        if hours:
            return replace(ability, hours=f"{hours}{said}")
        return replace(ability, hours=said.removeprefix(", ")) if always else ability

    return replace(shift, gained=tuple(map(told, shift.gained)), lost=tuple(map(told, shift.lost)))


def _statements(
    picture: Picture, selectors: Mapping[UUID, Selector], clocks: _Clocks
) -> dict[Place, frozenset[Statement]]:
    """All statements on each part of each account, with their hours by one clock."""
    whole: dict[str, list[Statement]] = defaultdict(list)
    on: dict[Place, list[Statement]] = defaultdict(list)
    parts: dict[str, set[str]] = defaultdict(set)
    for entry in picture.entries:
        if not effective(entry) or not entry.powers:
            continue
        account = str(entry.account_id)
        to = selectors.get(entry.party_id, Selector("party", str(entry.party_id)))
        hours = entry.hours
        windows = None if hours is None else clocks.read(account, hours.zone, hours.windows)
        statement = Statement(allow=True, to=frozenset({to}), powers=frozenset(entry.powers), hours=windows, firm=True)
        for resource in entry.resources:
            parts[account].add(resource)
            on[account, resource].append(statement)
        if not entry.resources:
            whole[account].append(statement)
    for document in picture.documents:
        account = document.account
        parts[account].add(document.resource)
        on[account, document.resource] += [
            replace(_plain(statement), hours=clocks.read(account, document.zone, statement.hours))
            for statement in document.statements
        ]
    return {
        (account, resource): frozenset((*whole[account], *on[account, resource]))
        for account in parts.keys() | whole.keys()
        for resource in parts[account] | {""}
    }


def _plain(statement: Statement) -> Statement:
    """A statement without what is known of its origin, which changes nothing for anyone."""
    return Statement(statement.allow, statement.to, statement.powers, statement.networks, statement.hours)


def _abilities(the_difference: Difference) -> tuple[tuple[Ability, ...], tuple[Ability, ...]]:
    if the_difference.gained is None or the_difference.lost is None:
        return _witnessed(the_difference.gains), _witnessed(the_difference.losses)
    return tuple(_told(the_difference.gained)), tuple(_told(the_difference.lost))


def _told(region: Region) -> Iterator[Ability]:
    for piece, exact in pieces(region, "UTC", MOST_PIECES):
        networks, witness = _networks(piece.networks, "all but" if piece.but else "from")
        hours = "" if piece.hours is None else f"outside {piece.hours}" if piece.outside else str(piece.hours)
        said, but = ((), networks) if piece.but else (networks, ())
        yield Ability(piece.powers, hours, said, not exact, witness, but)


def _networks(networks: tuple[Network, ...] | None, word: str) -> tuple[tuple[str, ...], str]:
    """The networks, or if nobody would read all of them, how many there are."""
    texts = () if networks is None else tuple(map(str, networks))
    if len(texts) <= MOST_NETWORKS:
        return texts, ""
    return (), f"{word} {len(texts)} networks, such as {texts[0]}"


def _witnessed(witnesses: Sequence[Witness]) -> tuple[Ability, ...]:
    return tuple(
        Ability(
            (witness.power,),
            "",
            (),
            witness=f"such as {DAYS[witness.minute // 1440]} {_clock(witness.minute)} from {witness.address}",
        )
        for witness in witnesses
    )


def _clock(minute: int) -> str:
    return f"{minute % 1440 // 60:02}:{minute % 60:02}"


def _joined(the_shifts: Iterable[Shift]) -> tuple[Shift, ...]:
    """What changes in the same way for the same people on several parts is told once."""
    alike: dict[tuple[object, ...], list[Shift]] = defaultdict(list)
    for shift in the_shifts:
        alike[shift.account, shift.matched_by, shift.parties, shift.gained, shift.lost].append(shift)
    return tuple(
        Shift(
            several[0].account,
            _all_parts(several),
            several[0].matched_by,
            several[0].parties,
            several[0].gained,
            several[0].lost,
        )
        for several in alike.values()
    )


def _all_parts(several: Sequence[Shift]) -> tuple[str, ...]:
    """The parts of several; none if one of them is about all that is not named."""
    return (
        ()
        if any(not shift.resources for shift in several)
        else tuple(sorted({r for shift in several for r in shift.resources}))
    )
