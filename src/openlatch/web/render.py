"""From the core's values to the API's messages, in one place."""

from __future__ import annotations

from collections.abc import Collection, Mapping
from datetime import datetime
from uuid import UUID

from openlatch.core import model
from openlatch.core.ids import ref_of
from openlatch.core.inventory.reach import Link
from openlatch.core.orders.orders import TABLE, Move, Order
from openlatch.core.orders.plans import Plan, Step
from openlatch.core.providers.observation import WRITTEN
from openlatch.core.providers.ports import About
from openlatch.core.record.events import SAID, detail
from openlatch.core.reviews.plans import LeftOpen
from openlatch.core.rules.advise import Advice
from openlatch.core.rules.catalogue import Field
from openlatch.operations.inventory.entries import Sight
from openlatch.operations.inventory.parties import AppSight, CutSight, ReachSight
from openlatch.operations.orders.orders import OrderSight, PlanSight, asked, seen_with
from openlatch.operations.people.people import SignedIn
from openlatch.operations.providers.levels import WordSight
from openlatch.operations.providers.providers import ProviderSight
from openlatch.operations.reviews.waiting import Waiting
from openlatch.operations.rules.flags import FlagSight
from openlatch.operations.rules.policies import RuleSight, Trial
from openlatch.operations.rules.risks import RiskSight
from openlatch.store.inventory.activity import Done
from openlatch.store.inventory.entries import Listed
from openlatch.store.inventory.views import View
from openlatch.store.people.people import Token
from openlatch.store.record.events import LoggedEvent
from openlatch.store.rules.policies import Adopted
from openlatch.store.telling.notices import Addressed
from openlatch.wire import messages as wire
from openlatch.words import Action, Kind, Severity

__all__ = [
    "account",
    "advice",
    "app",
    "catalogue_field",
    "consequences",
    "cut",
    "entry",
    "event",
    "flag",
    "holder",
    "left_open",
    "level",
    "named",
    "order",
    "party",
    "person",
    "plan",
    "policy",
    "provider",
    "reach",
    "reading",
    "risk",
    "rule",
    "step",
    "token",
    "trial",
    "view",
]

_BY_HAND = (Move.TRY_AGAIN, Move.CANCEL)


def person(p: model.Person) -> wire.Person:
    return wire.Person(id=p.id, name=p.name, address=p.address, role=p.role.value, telling=p.telling.value)


def holder(who: SignedIn, waits: Waiting) -> wire.Holder:
    return wire.Holder(
        workspace=who.workspace.slug,
        name=who.workspace.name,
        person=who.person.name,
        role=who.person.role.value,
        requests=waits.requests,
        offers=waits.offers,
        items=waits.items,
        stuck=waits.stuck,
        total=waits.total,
    )


def notice(one: Addressed) -> wire.Notice:
    return wire.Notice(
        id=one.id, title=one.notice.title, text=one.notice.text, link=one.notice.link, made_at=one.made_at,
        sent_at=one.sent_at, trouble=one.trouble,
    )  # fmt: skip


def workspace(w: model.Workspace) -> wire.Workspace:
    return wire.Workspace(
        id=w.id,
        slug=w.slug,
        name=w.name,
        zone=w.zone,
        circle_domains=sorted(w.circle.domains),
        unused_days=w.unused_days,
    )


def token(t: Token) -> wire.Token:
    return wire.Token(
        id=t.id,
        name=t.name,
        scope=t.scope.value,
        created_at=t.created_at,
        expires_at=t.expires_at,
        last_used_at=t.last_used_at,
        revoked_at=t.revoked_at,
    )


def reading(r: model.Reading) -> wire.Reading:
    return wire.Reading(
        id=r.id,
        provider_id=r.provider_id,
        state=r.state.value,
        asked_by=r.asked_by,
        asked_at=r.asked_at,
        finished_at=r.finished_at,
        seen=r.seen,
        total=r.total,
        counts=dict(r.counts),
        trouble=r.trouble,
        withheld=r.withheld,
        remarks=list(r.remarks),
    )


def _kinds(kinds: Collection[Kind]) -> list[Kind]:
    return [k for k in Kind if k in kinds]


def connector(name: str, about: About) -> wire.Connector:
    settings = [wire.ConnectorSetting(name=s.name, what=s.what, needed=s.needed) for s in about.settings]
    return wire.Connector(name=name, speaks=about.speaks, settings=settings, secret=about.secret)


def provider(sight: ProviderSight, now: datetime) -> wire.Provider:
    p, latest = sight.provider, sight.latest
    return wire.Provider(
        id=p.id,
        ref=p.ref,
        name=p.name,
        connector=p.connector,
        settings=dict(p.settings),
        read_every=p.read_every,
        stale_after=p.stale_after,
        most_gone=p.most_gone,
        last_complete=p.last_complete,
        next_reading=p.next_reading,
        stale=p.stale(now),
        by_hand=p.by_hand,
        vouch_days=p.vouch_days,
        worn_off=sight.worn_off,
        abilities=wire.Abilities(
            lists=_kinds(p.abilities.lists),
            ends=_kinds(p.abilities.ends),
            at_once=p.abilities.at_once,
            redone_by=p.abilities.redone_by.value,
            ends_teams=p.abilities.ends_teams,
            adds_members=p.abilities.adds_members,
            removes_members=p.abilities.removes_members,
            consent=p.abilities.consent,
            narrows=_kinds(p.abilities.narrows),
            pauses=_kinds(p.abilities.pauses),
            dates=_kinds(p.abilities.dates),
            raises=_kinds(p.abilities.raises),
            prolongs=_kinds(p.abilities.prolongs),
            widens=_kinds(p.abilities.widens),
            one_each=p.abilities.one_each,
            gives=_kinds(p.abilities.gives),
        ),
        latest=reading(latest) if latest else None,
    )


def level(w: WordSight) -> wire.Level:
    return wire.Level(
        word=w.word,
        kind="level" if w.level else "permission",
        powers=[p.value for p in w.powers],
        origin=w.origin.value,
        entries=w.entries,
        corrected_by=w.corrected_by,
        corrected_at=w.corrected_at,
    )


def account(a: model.Account, shared_with: int, provider_name: str) -> wire.Account:
    return wire.Account(
        id=a.id,
        ref=a.ref,
        provider=wire.Ref(id=a.provider_id, ref=ref_of(a.provider_id), name=provider_name),
        key=a.key,
        name=a.name,
        criticality=a.criticality.value,
        practice=a.practice,
        locked=a.locked,
        shared_with=shared_with,
    )


def party(p: model.Party, outside: bool, on_accounts: int | None = None) -> wire.Party:
    return wire.Party(
        id=p.id,
        ref=p.ref,
        kind=p.kind.value,
        name=p.name,
        addresses=list(p.addresses),
        status=p.status.value,
        verified=p.verified,
        publisher=p.publisher,
        home=p.home,
        outside=outside,
        on_accounts=on_accounts,
        sponsor=p.sponsor,
    )


def _about(listed: Listed) -> wire.Ref:
    e = listed.entry
    return wire.Ref(id=e.id, ref=e.ref, name=f"{listed.party.name} on {listed.account.name}")


def advice(a: Advice) -> wire.Advice:
    return wire.Advice(level=a.level, powers=[p.value for p in a.powers], drops=[p.value for p in a.drops], text=a.text)


def flag(sight: FlagSight) -> wire.Flag:
    f, rule, accepted = sight.flag, sight.rule, sight.flag.acceptance
    on, risk = _subject(sight)
    listed = sight.entry
    party = listed.party.name if listed else sight.party.name if sight.party else ""
    account = listed.account.name if listed else sight.account.name if sight.account else ""
    return wire.Flag(
        id=f.id,
        ref=f.ref,
        rule=f.rule,
        title=rule.title if rule else f.rule,
        why=rule.why if rule else "",
        severity=f.severity.value,
        reason=sight.reason,
        facts=dict(sight.facts),
        clears=rule.clears if rule else "",
        raised_at=f.raised_at,
        cleared_at=f.cleared_at,
        policy=f.policy,
        subject=f.subject.value,
        about=on,
        party=party,
        account=account,
        risk=risk,
        accepted=wire.Acceptance(by=accepted.by, at=accepted.at, until=accepted.until, why=accepted.why)
        if accepted and sight.accepted
        else None,
        advice=advice(sight.advice) if sight.advice else None,
        past=[
            wire.PastFlag(id=p.id, severity=p.severity.value, raised_at=p.raised_at, cleared_at=p.cleared_at)
            for p in sight.past
        ],
    )


def _subject(sight: FlagSight) -> tuple[wire.Ref, int]:
    """What a flag is on, and the risk of it where it is an entry."""
    if sight.entry is not None:
        return _about(sight.entry), sight.entry.risk
    on = sight.account or sight.party
    if on is not None:
        return wire.Ref(id=on.id, ref=on.ref, name=on.name), 0
    return wire.Ref(id=sight.flag.subject_id, ref=ref_of(sight.flag.subject_id), name="gone"), 0


def rule(sight: RuleSight) -> wire.Rule:
    r = sight.rule
    return wire.Rule(
        id=r.id,
        title=r.title,
        applies_to=r.applies_to.value,
        when=r.when,
        severity=r.severity.value,
        worse=[wire.Worse(severity=severity.value, when=when) for severity, when in r.worse],
        facts=dict(r.facts),
        reason=list(r.reason),
        why=r.why,
        clears=r.clears,
        exempt=len(r.exempt),
        off=r.off,
        party_sees=r.party_sees,
        standing=sight.standing,
        accepted=sight.accepted,
        worst=Severity.ranked(sight.worst) if sight.worst else None,
    )


def policy(p: Adopted) -> wire.Policy:
    return wire.Policy(number=p.number, text=p.text, note=p.note, by=p.by, at=p.at, changes=list(p.changes))


def trial(t: Trial) -> wire.Trial:
    return wire.Trial(
        number=t.number,
        lines=[
            wire.TrialLine(
                rule=line.rule,
                title=line.title,
                now=line.now,
                then=line.then,
                appear=line.appear,
                go=line.go,
                change=line.change,
                examples=[
                    wire.TrialExample(
                        subject=e.subject.value,
                        about=wire.Ref(id=e.id, ref=ref_of(e.id), name=e.name),
                        reason=e.reason,
                    )
                    for e in line.examples
                ],
            )
            for line in t.lines
        ],
        changes=list(t.changes),
    )


def catalogue_field(f: Field, words: tuple[str, ...]) -> wire.CatalogueField:
    return wire.CatalogueField(path=f.path, type=f.type.value, says=f.says, words=list(words))


def risk(sight: RiskSight) -> wire.Risk:
    return wire.Risk(
        risk=sight.risk,
        shares=[
            wire.RiskShare(entry=_about(one.entry), risk=one.entry.risk, points=one.points) for one in sight.shares
        ],
        over_time=[wire.RiskPoint(at=at, risk=risk) for at, risk in sight.over_time],
    )


def entry(sight: Sight) -> wire.Entry:
    listed = sight.listed
    e, a = listed.entry, listed.account
    by = seen_with(sight.order, listed) if sight.order else None
    return wire.Entry(
        id=e.id,
        ref=e.ref,
        provider=wire.Ref(id=e.provider_id, ref=ref_of(e.provider_id), name=listed.provider.name),
        account=wire.Ref(id=a.id, ref=a.ref, name=a.name),
        party=party(listed.party, listed.outside),
        kind=e.kind.value,
        level=e.level,
        powers=[p.value for p in e.powers],
        used_powers=None if sight.used is None else [p.value for p in sight.used],
        uses=None if e.uses is None else {p.value: at for p, at in e.uses.items()},
        unknown=list(e.unknown),
        state=e.state.value,
        end_reason=e.end_reason.value if e.end_reason else None,
        permissions=list(e.permissions),
        resources=list(e.resources),
        given_at=e.given_at,
        given_by=e.given_by,
        accepted_at=e.accepted_at,
        last_used=e.last_used,
        use_known=e.use_known,
        ends_at=e.ends_at,
        end_unknown=e.end_unknown,
        hours=None if e.hours is None else wire.Hours(zone=e.hours.zone, text=str(e.hours), written=e.hours.written()),
        reviewed_at=list(e.reviewed_at),
        basis=e.basis,
        hangs_on=e.hangs_on,
        dependencies=[wire.Dependency(kind=d.kind, what=d.what, next_at=d.next_at) for d in e.dependencies],
        device=e.device,
        network=e.network,
        first_seen=e.first_seen,
        last_seen=_last_seen(sight),
        ended_at=e.ended_at,
        vouched=_vouched(sight),
        by_hand=e.by_hand,
        key=e.key,
        subject=e.subject.removeprefix(WRITTEN),
        flags=[flag(f) for f in sight.flags],
        risk=listed.risk,
        risk_lines=[wire.RiskLine(says=line.says, points=line.points) for line in sight.lines],
        advice=advice(sight.advice) if sight.advice else None,
        acts=[wire.PossibleAct(action=one.action.value, here=one.here) for one in sight.acts],
        order=order(by) if by else None,
    )


def _last_seen(sight: Sight) -> datetime | None:
    """What stands was seen by the last complete reading, unless no reading shows it."""
    e, complete = sight.listed.entry, sight.listed.provider.last_complete
    if e.by_hand or not e.stands or complete is None or e.last_seen is None:
        return e.last_seen
    return max(e.last_seen, complete)


def _vouched(sight: Sight) -> wire.Vouched | None:
    e = sight.listed.entry
    return None if e.vouched_at is None else wire.Vouched(at=e.vouched_at, by=e.vouched_by, worn_off=sight.worn_off)


def plan(sight: PlanSight, outside: bool) -> wire.Plan:
    made, e = sight.plan, sight.entry
    return wire.Plan(
        action=Action(made.action).value,
        entry=wire.Ref(id=e.id, ref=e.ref, name=f"{sight.party.name} on {sight.account.name}"),
        party=party(sight.party, outside),
        subject=made.subject,
        account=sight.account.name,
        provider=sight.provider.name,
        consequences=consequences(made),
        steps=[step(s) for s in made.steps],
        stop=made.stop,
        ways_out=[wire.WayOut(entry=w.entry, name=w.name, level=w.level) for w in made.ways_out],
        levels=list(sight.levels),
        wider=list(sight.wider),
        parts=list(sight.parts),
        digest=made.digest,
    )


def consequences(made: Plan) -> list[wire.Consequence]:
    return [wire.Consequence(kind=c.kind, severity=c.severity.value, text=c.text) for c in made.consequences]


def step(s: Step) -> wire.Step:
    return wire.Step.model_validate({"call": s.call, "text": s.text, "until": s.until, "at": s.at, "said": s.said})


def order(sight: OrderSight) -> wire.Order:
    o, e = sight.order, sight.entry
    return wire.Order(
        id=o.id,
        ref=o.ref,
        about=sight.about,
        entry=None if e is None else wire.Ref(id=e.id, ref=e.ref, name=sight.about),
        team=None if sight.team is None else named(sight.team),
        party=sight.party.name,
        subject=o.plan.get("subject", ""),
        account=sight.account.name if sight.account else "",
        provider=sight.provider,
        action=Action(o.action).value,
        state=o.state.value,
        steps=[step(s) for s in o.steps],
        consequences=[wire.Consequence.model_validate(c) for c in o.plan["consequences"]],
        reason=o.reason,
        ordered_by=o.ordered_by.name,
        ordered_by_id=o.ordered_by.id,
        ordered_at=o.ordered_at,
        attempts=o.attempts,
        why=o.why,
        again_at=o.again_at,
        finished_at=o.finished_at,
        receipt=wire.Receipt.model_validate(o.receipt) if o.receipt else None,
        moves=_moves(o),
        rests=o.rests,
        already=sight.already,
    )


def _moves(o: Order) -> list[str]:
    moves = [move.value for move in _BY_HAND if (o.state, move) in TABLE]
    return ["done", *moves] if asked(o) else moves


def reach(sight: ReachSight, outside: bool) -> wire.Reach:
    return wire.Reach(
        party=party(sight.party, outside),
        chains=[
            wire.Chain(
                entry=entry(one.sight),
                via=[wire.Via(id=link.id, party=named(team), how=link.how) for link, team in one.links],
                idle=not one.loses and not one.sight.listed.entry.unknown,
                loses=list(one.loses),
            )
            for one in sight.chains
        ],
    )


def cut(sight: CutSight) -> wire.Cut:
    return wire.Cut(
        pieces=[
            _entry_piece(sight.entries[piece])
            if piece in sight.entries
            else _membership_piece(sight.links[piece], sight.parties)
            for piece in sight.cut.pieces
        ],
        hurts=[
            wire.Hurt(
                party=named(sight.parties[one]),
                loses=sorted({f"{claim.power} on {sight.accounts[claim.account_id]}" for claim in lost}),
            )
            for one, lost in sight.cut.hurts.items()
        ],
    )


def _entry_piece(listed: Listed) -> wire.CutPiece:
    e = listed.entry
    text = f"End the {e.kind} “{e.level}” of {listed.party.name} on {listed.account.name}."
    return wire.CutPiece(kind="entry", id=e.id, ref=e.ref, text=text)


def _membership_piece(link: Link, parties: Mapping[UUID, model.Party]) -> wire.CutPiece:
    actor, other = parties[link.actor], parties[link.as_party]
    if link.how == "member":
        text = f"Remove {actor.name} from the team {other.name}."
        team, member = named(other), named(actor)
        return wire.CutPiece(kind="membership", id=link.id, ref=ref_of(link.id), text=text, team=team, member=member)
    return wire.CutPiece(
        kind="membership", id=link.id, ref=ref_of(link.id), text=f"Disconnect {other.name} from {actor.name}."
    )


def app(sight: AppSight, outside: bool) -> wire.App:
    return wire.App(
        party=party(sight.party, outside, sight.accounts),
        accounts=sight.accounts,
        entries=[entry(one) for one in sight.entries],
    )


def view(v: View) -> wire.View:
    return wire.View(id=v.id, name=v.name, query=v.query)


def named(p: model.Party) -> wire.Ref:
    return wire.Ref(id=p.id, ref=p.ref, name=p.name)


def activity(done: Done) -> wire.Activity:
    a, account = done.activity, done.account
    return wire.Activity(
        id=a.id,
        at=a.at,
        how=a.how.value,
        party=named(done.party),
        behalf_of=named(done.behalf_of) if done.behalf_of else None,
        account=wire.Ref(id=account.id, ref=account.ref, name=account.name),
        provider=done.provider,
        entry=done.entry_ref,
        power=a.power.value if a.power else None,
        what=a.what,
    )


def event(e: LoggedEvent, about: Listed | None, zone: str) -> wire.Event:
    act = str(e.content["act"])
    return wire.Event(
        id=e.id,
        about=_about(about) if about else None,
        number=e.number,
        link=e.link,
        says=SAID.get(act, act),
        detail=detail(e.content["facts"], zone),
        content=e.content,
    )


def left_open(left: LeftOpen | None) -> wire.LeftOpen | None:
    return (
        None if left is None else wire.LeftOpen(reason=left.reason, owner=left.owner.name, by=left.by.name, at=left.at)
    )
