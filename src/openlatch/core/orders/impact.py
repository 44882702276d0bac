"""What happens when access is taken back: what stops, who stays, what outlives it, and whether it can be undone."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from uuid import UUID

from openlatch.core.hours import day_in, last_day
from openlatch.core.inventory.matching import matches
from openlatch.core.inventory.reach import effective
from openlatch.core.limits import Limits
from openlatch.core.model import Abilities, Account, Entry, Party
from openlatch.core.powers import in_order
from openlatch.words import Kind, PartyKind, PartyStatus, Power, Severity, Side, State

__all__ = [
    "Consequence",
    "Situation",
    "administers",
    "can_give_back",
    "gives_back",
    "lost",
    "mends",
    "successors",
    "takes",
]

_FORGETS_NOTHING = "Ending this does not make them forget it: change it."


@dataclass(frozen=True, slots=True)
class Consequence:
    """One thing that happens if the plan is carried out; `kind` is stable, `text` is for people."""

    kind: str
    severity: Severity
    text: str


@dataclass(frozen=True, slots=True)
class Situation:
    """An entry, and what there is around it.

    `neighbours` are all other standing entries that are the party's, or on the same account; `places` names the
    accounts that these are on, `holders` the parties that hold them, and `teams` are those that the party acts as.
    `levels` are those that the provider is known to have, with what each gives; `keys` its own names for the parties.
    """

    entry: Entry
    party: Party
    account: Account
    provider: str
    abilities: Abilities
    neighbours: Sequence[Entry] = ()
    places: Mapping[UUID, str] = field(default_factory=dict)
    holders: Mapping[UUID, Party] = field(default_factory=dict)
    teams: frozenset[UUID] = frozenset()
    levels: Mapping[str, tuple[Power, ...]] = field(default_factory=dict)
    keys: Mapping[UUID, str] = field(default_factory=dict)
    names: Mapping[str, str] = field(default_factory=dict)
    """what the provider calls its parties, by its keys"""
    by_hand: bool = False
    """whether nothing can be read or changed at the provider from here"""
    limits: Limits = field(default_factory=Limits)
    """what nobody may pass who has access to the account"""
    outside: bool = False
    """whether the party is outside the circle"""
    going: frozenset[UUID] = frozenset()
    """neighbours from which orders in progress take the power to let others in"""
    asked_at: str = ""
    """the confirmed address at which the party can be asked for its consent; empty if there is none"""
    zone: str = field(kw_only=True)
    """the workspace's own, in which days are told"""

    def holder(self, entry: Entry) -> Party:
        """Return who holds an entry, of this one or of those around it."""
        return self.party if entry.party_id == self.party.id else self.holders[entry.party_id]

    @property
    def standing(self) -> list[Entry]:
        return [n for n in self.neighbours if n.stands and n.id != self.entry.id]

    @property
    def theirs(self) -> list[Entry]:
        """What else the party holds itself."""
        return [n for n in self.standing if n.party_id == self.party.id]

    @property
    def outliving(self) -> list[Entry]:
        """Their sessions on the account that do not fall with the entry."""
        falling = self.falling
        return [
            n for n in self.theirs if n.kind is Kind.SESSION and n.account_id == self.account.id and n not in falling
        ]

    @property
    def falling(self) -> list[Entry]:
        """The entries that cannot be used without this one, however indirectly."""
        falling: list[Entry] = []
        keys = {self.entry.key}
        candidates = [n for n in self.theirs if n.provider_id == self.entry.provider_id]
        while more := [n for n in candidates if n.hangs_on in keys and n not in falling]:
            falling += more
            keys = {n.key for n in more}
        return falling


def lost(entry: Entry, to: Iterable[Power]) -> tuple[Power, ...]:
    """Return the powers that an entry loses when it is to have only these."""
    return in_order(set(entry.powers) - set(to))


def administers(entry: Entry, holder: Party) -> bool:
    """Return whether someone can let others in or out by an entry now.

    What is paused, on its way out or not taken up yet lets nobody in, and whoever has left will not do it. Whoever
    knows a secret that lets others in can.
    """
    return (
        Power.ADMIT in entry.powers
        and entry.state is State.LIVE
        and entry.kind in (Kind.DELEGATE, Kind.GRANT, Kind.SECRET)
        and holder.status is not PartyStatus.LEFT
    )


def mends(situation: Situation, takes_away: Iterable[Power]) -> bool:
    """Return whether someone else can still let others in, once these powers are taken away."""
    entry = situation.entry
    if Power.ADMIT not in set(takes_away) or entry.kind in (Kind.SESSION, Kind.SECRET):
        return True
    return any(
        n.account_id == situation.account.id
        and n.party_id != situation.party.id
        and n.id not in situation.going
        and administers(n, situation.holders[n.party_id])
        for n in situation.standing
    )


def successors(situation: Situation) -> tuple[Entry, ...]:
    """Return the entries of others on the account who could be made administrators in the party's place."""
    return tuple(
        n
        for n in situation.standing
        if n.account_id == situation.account.id
        and n.party_id != situation.party.id
        and n.kind in (Kind.DELEGATE, Kind.GRANT)
        and not n.by_hand
        and situation.holders[n.party_id].kind is PartyKind.PERSON
        and situation.holders[n.party_id].status is not PartyStatus.LEFT
    )


def takes(
    situation: Situation,
    takes_away: tuple[Power, ...],
    *,
    ends: bool,
    given_up: bool = False,
    effect: str = "",
    undo: str = "",
    until: datetime | None = None,
) -> tuple[Consequence, ...]:
    """Return what happens if these powers are taken from an entry, or with `ends` all of it, gravest first.

    `effect` says when it takes effect and `undo` how it is undone, if these are not as with an end; `until` is when, if
    that is not now.
    """
    consequences = [
        *_stops(situation, takes_away, ends, until),
        *_open_anyway(situation, takes_away),
        *_stays(situation, ends, given_up, effect, undo),
    ]
    return tuple(sorted(consequences, key=lambda consequence: consequence.severity.rank, reverse=True))


def gives_back(s: Situation, until: datetime | None) -> tuple[Consequence, ...]:
    """Return what happens if an entry that has ended is given again until an instant, or without an end."""
    left = Consequence("left", Severity.HIGH, f"{s.party.name} is known to have left.")
    grave = set(s.entry.powers) & {Power.SPEND, Power.WITHDRAW, Power.ADMIT, Power.OWN}
    has = ", ".join(in_order(s.entry.powers)) or f"“{s.entry.level}”"
    end = f"until the end of {last_day(until, s.zone)}" if until is not None else "without an end"
    text = f"{s.party.name} has this on {s.account.name} again, {end}: {has}."
    again = Consequence("can-again", Severity.MEDIUM if grave else Severity.LOW, text)
    alone = Consequence("effect", Severity.LOW, "What ended with it does not come back automatically.")
    return (left, again, alone) if s.party.status is PartyStatus.LEFT else (again, alone)


def _stops(
    s: Situation, takes_away: tuple[Power, ...], ends: bool, until: datetime | None = None
) -> Iterable[Consequence]:
    if ends or Power.SPEND in takes_away:
        for dependency in s.entry.dependencies:
            when = ""
            if dependency.next_at is not None and (until is None or dependency.next_at >= until):
                when = f" It fails from {day_in(dependency.next_at, s.zone)} unless someone else takes it over."
            elif until is not None:
                when = (
                    f" It goes on through {last_day(until, s.zone)}, and fails then unless someone else takes it over."
                )
            text = f"One {dependency.kind} depends on it: {dependency.what}, through {s.party.name}.{when}"
            yield Consequence("dependency", Severity.HIGH, text)
    if not mends(s, takes_away):
        text = f"{s.party.name} is the last one who can let others in or out of {s.account.name}."
        yield Consequence("last-administrator", Severity.CRITICAL, text)
    if not ends:
        return
    sessions = [n for n in s.falling if n.kind is Kind.SESSION]
    if sessions:
        many = _count(len(sessions), "open session")
        closed = "will be closed with it" if Kind.SESSION in s.abilities.ends else "cannot be used without it"
        yield Consequence("sessions-closed", Severity.LOW, f"{many} of {s.party.name} {closed}.")
    access = [n for n in s.falling if n.kind is not Kind.SESSION]
    if access:
        text = f"{_count(len(access), 'other entry', 'other entries')} cannot be used without it: "
        yield Consequence("goes-with-it", Severity.MEDIUM, text + _names(access, s.places) + ".")


def _stays(s: Situation, ends: bool, given_up: bool, effect: str, undo: str) -> Iterable[Consequence]:
    yield from _other_ways(s, ends, given_up)
    known = [n for n in s.theirs if n.kind is Kind.SECRET and n.account_id == s.account.id]
    if known and ends:
        text = f"{s.party.name} was told {_names(known, s.places)}. {_FORGETS_NOTHING}"
        yield Consequence("secret-known", Severity.HIGH, text)
    concerned = not s.abilities.consent_for or s.abilities.consent_for & set(s.entry.powers)
    if ends and s.abilities.consent and concerned and s.entry.kind in (Kind.DELEGATE, Kind.GRANT):
        yield Consequence("consent", Severity.MEDIUM, f"{s.provider} may ask for the consent of {s.abilities.consent}.")
    if s.entry.by_hand:
        yield Consequence("effect", Severity.LOW, "It takes effect once someone has done it; no reading can see it.")
        return
    at_once = s.abilities.at_once or not ends
    effect = effect or f"It takes effect {'at once' if at_once else 'when their device next connects'}"
    if s.entry.kind is Kind.SESSION and ends:
        undo = "they can sign in again at any time"
    elif given_up:
        undo = "only the holder can let you in again"
    undo = undo or _redone(s)
    yield Consequence("effect", Severity.LOW, f"{effect}; {undo}.")


def _redone(s: Situation) -> str:
    """Who can give it again once it has ended, and where: from here only what the provider takes from here."""
    from_here = can_give_back(s)
    if s.abilities.redone_by is Side.PARTY:
        return "only the other side can bring it back"
    if s.abilities.redone_by is Side.EITHER:
        where = "" if from_here else f", at {s.provider} itself,"
        return f"you{where} or the other side can bring it back at any time"
    return "you can give it again at any time" if from_here else f"it can be given again at {s.provider} itself only"


def can_give_back(s: Situation) -> bool:
    """Return whether what has ended can be given again from here, as it was."""
    entry = s.entry
    return not entry.by_hand and not s.by_hand and entry.hours is None and entry.kind in s.abilities.gives


def _other_ways(s: Situation, ends: bool, given_up: bool) -> Iterable[Consequence]:
    whose = "You" if given_up else "They"
    gone = s.falling if ends else []
    left = [n for n in s.theirs if n not in gone and n.kind not in (Kind.SESSION, Kind.SECRET)]
    if left and ends:
        here = [n for n in left if n.account_id == s.account.id]
        where = f", {len(here)} of them on {s.account.name} itself" if here else ""
        ways = _count(len(left), "other way in", "other ways in").lower()
        text = f"{whose} keep {ways}{where}: {_names(left, s.places)}."
        yield Consequence("other-ways-in", Severity.MEDIUM if here else Severity.LOW, text)
    teams = [n for n in s.standing if n.party_id in s.teams and n.account_id == s.account.id]
    if teams:
        named = ", ".join(dict.fromkeys(f"{s.holders[n.party_id].name} (“{n.level}”)" for n in teams))
        text = f"{whose} can still come in through {_teams(len({n.party_id for n in teams}))}: {named}."
        yield Consequence("through-teams", Severity.MEDIUM, text)
    if s.outliving and ends and Kind.SESSION in s.abilities.ends:
        text = f"{_count(len(s.outliving), 'open session')} on {s.account.name} will be closed too."
        yield Consequence("sessions-closed", Severity.LOW, text)
    elif s.outliving and ends:
        text = f"{_count(len(s.outliving), 'open session')} may last until it is closed or signs in again."
        yield Consequence("session-outlives", Severity.MEDIUM, text)


def _open_anyway(s: Situation, takes_away: tuple[Power, ...]) -> Iterable[Consequence]:
    """What anyone can do, or everyone at the party's domain: that is not taken from one of them."""
    many: dict[UUID, list[Entry]] = {}
    # A session does only what its party may anyway.
    for n in s.standing if s.entry.kind is not Kind.SESSION else ():
        here = n.account_id == s.account.id and effective(n) and set(n.powers) & set(takes_away)
        if here and matches(s.holders[n.party_id], s.party):
            many.setdefault(n.party_id, []).append(n)
    for party_id, theirs in many.items():
        powers = in_order({power for n in theirs for power in n.powers} & set(takes_away))
        where = s.account.name if any(not n.resources for n in theirs) else f"parts of {s.account.name}"
        when = " at some hours, or from some networks," if all(n.hours or n.network for n in theirs) else ""
        name = s.holders[party_id].name
        can = f"{', '.join(powers)} (on {where})"
        text = f"{name} can do this{when} whatever happens to it, and so can {s.party.name}: {can}."
        yield Consequence("open-anyway", Severity.MEDIUM, text)


def _teams(number: int) -> str:
    return "a team" if number == 1 else f"{number} teams"


def _count(number: int, text: str, many: str = "") -> str:
    if number == 1:
        return f"One {text}"
    return f"{number} {many or text + 's'}"


def _names(entries: Sequence[Entry], places: Mapping[UUID, str]) -> str:
    shown = [f"“{e.level}” on {places[e.account_id]}" for e in entries[:3]]
    return ", ".join(shown) + (f" and {len(entries) - 3} more" if len(entries) > 3 else "")
