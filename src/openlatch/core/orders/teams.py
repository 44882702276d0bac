"""Members of teams: what happens when someone is removed from one or added to it, and the steps that do it.

What a team may do, everybody in it may. Whoever has something otherwise too loses nothing by leaving, and gets nothing
new by joining; both are found from the same graph that reach is, with the membership and without it.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field
from uuid import UUID

from openlatch.core.inventory.reach import Chain, Claim, Graph, Piece, lost, reach
from openlatch.core.model import Abilities, Entry, Party
from openlatch.core.orders.impact import Consequence, administers
from openlatch.core.orders.steps import Plan, Step, known_by, receipt_step
from openlatch.core.phrases import listed
from openlatch.core.powers import in_order
from openlatch.errors import Conflict
from openlatch.words import Action, PartyKind, PartyStatus, Power, Severity

__all__ = ["Belonging", "TeamSituation", "plan_membership"]

_GRAVE = {Power.SPEND, Power.WITHDRAW, Power.ADMIT, Power.OWN}
_MOST = 5


@dataclass(frozen=True, slots=True)
class Belonging:
    """A party as a member of a team at a provider, whether it is one or is to become one."""

    provider_id: UUID
    team_id: UUID
    member_id: UUID


@dataclass(frozen=True, slots=True)
class TeamSituation:
    """A team, a party that is in it or is to be, and what there is around both.

    `graph` holds the membership as the link `link`, whether it stands or is only thought of; all that hangs together
    with it; and everybody who can act as a holder of what lets others in on the same accounts. `parties` are all in
    the graph, `places` the names of its accounts, and `names` what the provider calls its parties, by its keys.
    """

    team: Party
    member: Party
    provider: str
    abilities: Abilities
    graph: Graph
    link: UUID
    stands: bool
    team_key: str
    member_key: str
    by_hand: bool = False
    outside: bool = False
    parties: Mapping[UUID, Party] = field(default_factory=dict)
    places: Mapping[UUID, str] = field(default_factory=dict)
    names: Mapping[str, str] = field(default_factory=dict)
    without: Graph = field(init=False)
    """the graph as it is without the membership"""

    def __post_init__(self) -> None:
        object.__setattr__(self, "without", self.graph.without({Piece(self.link)}))

    @property
    def affected(self) -> list[UUID]:
        """The member, and everybody in it if it is a team, each with what it loses or gets."""
        behind = self.graph.behind(self.member.id) - {self.member.id}
        return [self.member.id, *sorted(behind, key=lambda some_id: (self.parties[some_id].name, some_id))]

    def differs(self, party_id: UUID) -> frozenset[Claim]:
        """Return what a party can do with the membership, and not without it."""
        return lost(self.graph, party_id, {Piece(self.link)})

    def unexplained(self, party_id: UUID) -> list[Entry]:
        """Return what a party comes to by the membership alone, of which nobody has said what it gives."""
        left = {entry.id for entry in self.without.reached(party_id)}
        return [
            entry
            for entry in self.graph.reached(party_id)
            if entry.id not in left and (entry.unknown or not entry.powers)
        ]

    @property
    def called(self) -> str:
        return known_by(self.names, self.member_key)


def plan_membership(s: TeamSituation, action: Action) -> Plan:
    """Plan that a party is removed from a team or added to it; refuses (Conflict) what is not possible."""
    _refuse_what_is_none(s)
    if action is Action.REMOVE_MEMBER:
        return _removal(s)
    return _addition(s)


def _refuse_what_is_none(s: TeamSituation) -> None:
    if s.team.kind is not PartyKind.TEAM:
        raise Conflict(
            f"{s.team.name} is {_kind(s.team)}, and has no members. Nothing was changed.",
            next_step="Name a team.",
            party=s.team.ref,
        )
    if s.member.kind not in (PartyKind.PERSON, PartyKind.TEAM):
        raise Conflict(
            f"{s.member.name} is {_kind(s.member)}, and cannot be in a team. Nothing was changed.",
            next_step="Name a person, or a team.",
            party=s.member.ref,
        )


def _kind(party: Party) -> str:
    return f"{'an' if party.kind[0] in 'aeiou' else 'a'} {party.kind}"


# Removing


def _removal(s: TeamSituation) -> Plan:
    if not s.stands:
        raise Conflict(
            f"{s.member.name} is not in the team {s.team.name} at {s.provider}, as far as is known. Nothing was "
            "changed.",
            next_step=f"Read {s.provider} again, or see who is in it: openlatch team show {s.team.ref}",
            team=s.team.ref,
        )
    who, team = s.called, known_by(s.names, s.team_key)
    if s.abilities.removes_members and not s.by_hand:
        text, call = f"Ask {s.provider} to remove {who} from the team {team}.", Action.REMOVE_MEMBER.value
    else:
        text = f"Have {who} removed from the team {team} at {s.provider} itself, and say here that it is done."
        call = "ask"
    steps = [Step(call, text, party=s.member_key, team=s.team_key, team_name=team)]
    if not s.by_hand:
        steps.append(_read(s, "see that it is so"))
    alone = _left_alone(s)
    stop = (
        f"{s.member.name} is the last one who can let others in or out of {listed(alone)}. "
        "First let someone else in who can."
        if alone
        else ""
    )
    happens = [*_lasts(alone, s), *_loses(s), *_still(s), _effect_of_removal(s)]
    return _plan(Action.REMOVE_MEMBER, s, happens, (*steps, receipt_step()), stop)


def _lasts(alone: Sequence[str], s: TeamSituation) -> Iterable[Consequence]:
    if alone:
        text = f"Nobody can let others in or out of {listed(alone)} any more: {s.member.name} is the last one who can."
        yield Consequence("last-administrator", Severity.CRITICAL, text)


def _loses(s: TeamSituation) -> Iterable[Consequence]:
    claims, unclear = s.differs(s.member.id), s.unexplained(s.member.id)
    if claims:
        severity = Severity.MEDIUM if {c.power for c in claims} & _GRAVE else Severity.LOW
        yield Consequence("loses", severity, f"{s.member.name} can no longer {_in_words(claims, s.places)}.")
    if unclear:
        text = f"{s.member.name} loses {_unclear(unclear, s.places)}."
        yield Consequence("unexplained", Severity.MEDIUM, text)
    if not claims and not unclear:
        text = f"{s.member.name} loses nothing by it: whatever {s.team.name} may do, they may otherwise too."
        yield Consequence("changes-nothing", Severity.MEDIUM, text)
    others = [s.parties[each_id].name for each_id in s.affected[1:] if s.differs(each_id) or s.unexplained(each_id)]
    if others:
        lose = "loses" if len(others) == 1 else "lose"
        text = f"{_some(others)}, who {_are(others)} in {s.member.name}, {lose} access by it too."
        yield Consequence("others-lose", Severity.MEDIUM, text)


def _still(s: TeamSituation) -> Iterable[Consequence]:
    """How the member comes to the same accounts once it is out of the team."""
    with_it = {chain.entry.account_id for chain in _chains(s) if any(link.id == s.link for link in chain.links)}
    ways = [chain for chain in reach(s.without, s.member.id) if chain.entry.account_id in with_it]
    ways = [way for way in ways if not any(link.lasting for link in way.links)]
    if ways:
        names = {party_id: party.name for party_id, party in s.parties.items()}
        told = [f"“{way.entry.level}” on {s.places[way.entry.account_id]} ({_by(way, names)})" for way in ways]
        more = f"; and {len(told) - _MOST} more" if len(told) > _MOST else ""
        text = f"{s.member.name} still has {'; '.join(told[:_MOST])}{more}."
        yield Consequence("other-ways-in", Severity.MEDIUM, text)


def _by(chain: Chain, names: Mapping[UUID, str]) -> str:
    return "through " + " → ".join(names[link.as_party] for link in chain.links) if chain.links else "directly"


def _effect_of_removal(s: TeamSituation) -> Consequence:
    if s.by_hand:
        text = "It takes effect once someone has done it; no reading can see it."
    else:
        at_once = s.abilities.removes_members
        again = (
            "you can add them again at any time"
            if s.abilities.adds_members
            else f"they can be added again at {s.provider} itself only"
        )
        text = f"It takes effect {'at once' if at_once else 'once someone has done it'}; {again}."
    return Consequence("effect", Severity.LOW, text)


def _left_alone(s: TeamSituation) -> list[str]:
    """The accounts that nobody could let others into any more, while someone can now."""
    at_stake = {
        claim.account_id for each_id in s.affected for claim in s.differs(each_id) if claim.power is Power.ADMIT
    }
    return sorted(
        s.places[each_id]
        for each_id in at_stake
        if _governed(s.graph, s.parties, each_id) and not _governed(s.without, s.parties, each_id)
    )


def _governed(graph: Graph, parties: Mapping[UUID, Party], account_id: UUID) -> bool:
    """Whether a person who is about can let others into an account."""
    holders = {
        holder
        for holder, entries in graph.held.items()
        for entry in entries
        if entry.account_id == account_id and administers(entry, parties[holder])
    }
    people = {each_id for holder in holders for each_id in graph.behind(holder)}
    return any(
        parties[person].kind is PartyKind.PERSON and parties[person].status is not PartyStatus.LEFT for person in people
    )


# Adding


def _addition(s: TeamSituation) -> Plan:
    if s.stands:
        raise Conflict(
            f"{s.member.name} is in the team {s.team.name} already. Nothing was changed.",
            next_step=f"See who is in it: openlatch team show {s.team.ref}",
            team=s.team.ref,
        )
    if s.team.id == s.member.id or s.team.id in s.graph.behind(s.member.id):
        raise Conflict(
            f"{s.team.name} is in {s.member.name} itself: a team cannot be in itself. Nothing was changed.",
            next_step="Name another team.",
            team=s.team.ref,
        )
    if not s.member_key:
        raise Conflict(
            f"{s.provider} does not know {s.member.name}, so that they cannot be in a team there. Nothing was changed.",
            next_step=f"Have them known at {s.provider} first, then read it again.",
            party=s.member.ref,
        )
    if s.by_hand or not s.abilities.adds_members:
        raise Conflict(
            f"At {s.provider} nobody can be added to a team from here. Nothing was changed.",
            next_step=f"Add them at {s.provider} itself; the next reading shows it.",
            team=s.team.ref,
        )
    who, team = s.called, known_by(s.names, s.team_key)
    steps = (
        _read(s, f"see what {s.member.name} is in now"),
        Step(
            Action.ADD_MEMBER.value,
            f"Ask {s.provider} to add {who} to the team {team}.",
            party=s.member_key,
            team=s.team_key,
            team_name=team,
        ),
        _read(s, "see that it is so"),
        receipt_step(),
    )
    undone = (
        "you can remove them again at any time"
        if s.abilities.removes_members
        else f"they can be removed again at {s.provider} itself only"
    )
    effect = Consequence("effect", Severity.LOW, f"It takes effect at once; {undone}.")
    return _plan(Action.ADD_MEMBER, s, [*_gets(s), effect], steps)


def _gets(s: TeamSituation) -> Iterable[Consequence]:
    if s.member.status is PartyStatus.LEFT:
        yield Consequence("left", Severity.HIGH, f"{s.member.name} is known to have left.")
    claims, unclear = s.differs(s.member.id), s.unexplained(s.member.id)
    if claims:
        severity = Severity.MEDIUM if {c.power for c in claims} & _GRAVE else Severity.LOW
        yield Consequence("can-again", severity, f"{s.member.name} can then {_in_words(claims, s.places)}.")
    if unclear:
        text = f"{s.member.name} gets {_unclear(unclear, s.places)}."
        yield Consequence("unexplained", Severity.MEDIUM, text)
    if not claims and not unclear:
        text = f"{s.member.name} gets nothing new by it, as far as is known."
        yield Consequence("changes-nothing", Severity.LOW, text)
    if s.outside:
        text = f"{s.member.name} is outside your circle, and gets whatever {s.team.name} is given later as well."
        yield Consequence("outside", Severity.MEDIUM, text)
    others = [s.parties[each_id].name for each_id in s.affected[1:] if s.differs(each_id) or s.unexplained(each_id)]
    if others:
        get = "gets" if len(others) == 1 else "get"
        text = f"{_some(others)}, who {_are(others)} in {s.member.name}, {get} access by it too."
        yield Consequence("others-get", Severity.MEDIUM, text)


# Words and parts


def _plan(
    action: Action, s: TeamSituation, happens: Sequence[Consequence], steps: tuple[Step, ...], stop: str = ""
) -> Plan:
    ranked = tuple(sorted(happens, key=lambda consequence: consequence.severity.rank, reverse=True))
    return Plan(action.value, "", s.called, ranked, steps, stop=stop)


def _read(s: TeamSituation, why: str) -> Step:
    return Step("read", f"Read {s.provider} again and {why}.", party=s.member_key)


def _chains(s: TeamSituation) -> tuple[Chain, ...]:
    return reach(s.graph, s.member.id)


def _in_words(claims: Iterable[Claim], places: Mapping[UUID, str]) -> str:
    """Powers by account, and by its parts where it is not on all of it: view and edit on Bookings; spend on Gate."""
    by: dict[tuple[str, UUID], dict[str, set[Power]]] = {}
    for claim in claims:
        by.setdefault((places[claim.account_id], claim.account_id), {}).setdefault(claim.resource, set()).add(
            claim.power
        )
    told = []
    for (place, _), parts in sorted(by.items()):
        whole = parts.get("", set())
        if whole:
            told.append(f"{listed(in_order(whole))} on {place}")
        rest: dict[tuple[Power, ...], list[str]] = {}
        for part, powers in sorted(parts.items()):
            if part and powers - whole:
                rest.setdefault(in_order(powers - whole), []).append(part)
        told += [f"{listed(powers)} on {_some(some)} of {place}" for powers, some in rest.items()]
    return "; ".join(told)


def _unclear(entries: Iterable[Entry], places: Mapping[UUID, str]) -> str:
    named = list(dict.fromkeys(f"“{entry.level}” on {places[entry.account_id]}" for entry in entries))
    return f"{_some(named)}, of which nobody has said what {'it gives' if len(named) == 1 else 'they give'}"


def _some(names: Sequence[str]) -> str:
    """Names, the first few of them if they are many."""
    more = len(names) - _MOST
    return f"{', '.join(names[:_MOST])} and {more} more" if more > 0 else listed(names)


def _are(names: Sequence[str]) -> str:
    return "is" if len(names) == 1 else "are"
