"""Flags, risks and policies as messages of the API."""

from __future__ import annotations

from openlatch.core.ids import ref_of
from openlatch.core.rules.catalogue import Field
from openlatch.operations.rules.flags import FlagSight
from openlatch.operations.rules.policies import RuleSight
from openlatch.operations.rules.risks import RiskSight
from openlatch.operations.rules.trials import Trial
from openlatch.web.filled import filled
from openlatch.web.record.render import entry_ref
from openlatch.wire import messages as wire
from openlatch.words import Severity

__all__ = ["field_of", "flag_of", "risk_of", "rule_of", "trial_of"]


def flag_of(sight: FlagSight) -> wire.Flag:
    flag, rule, listed = sight.flag, sight.rule, sight.entry
    about, risk = _subject(sight)
    party = listed.party if listed else sight.party
    account = listed.account if listed else sight.account
    return filled(
        wire.Flag,
        sight,
        flag,
        title=rule.title if rule else flag.rule,
        why=rule.why if rule else "",
        clears=rule.clears if rule else "",
        about=about,
        party=party.name if party else "",
        account=account.name if account else "",
        risk=risk,
        rule=flag.rule,
        accepted=flag.acceptance if sight.accepted else None,
    )


def _subject(sight: FlagSight) -> tuple[wire.Ref, int]:
    """What a flag is on, and the risk of it where it is an entry."""
    if sight.entry is not None:
        return entry_ref(sight.entry), sight.entry.risk
    on = sight.account or sight.party
    if on is not None:
        return filled(wire.Ref, on), 0
    return wire.Ref(id=sight.flag.subject_id, ref=ref_of(sight.flag.subject_id), name="gone"), 0


def rule_of(sight: RuleSight) -> wire.Rule:
    return filled(
        wire.Rule,
        sight,
        sight.rule,
        exempt=[filled(wire.Exemption, each) for each in sight.rule.exempt],
        worse=[wire.Worse(severity=severity, when=when) for severity, when in sight.rule.worse],
        worst=Severity.ranked(sight.worst) if sight.worst else None,
    )


def trial_of(trial: Trial) -> wire.Trial:
    lines = []
    for line in trial.lines:
        examples = [
            filled(wire.TrialExample, example, about=wire.Ref(id=example.id, ref=ref_of(example.id), name=example.name))
            for example in line.examples
        ]
        lines.append(filled(wire.TrialLine, line, examples=examples))
    return filled(wire.Trial, trial, lines=lines)


def field_of(field: Field, words: tuple[str, ...]) -> wire.CatalogueField:
    return filled(wire.CatalogueField, field, words=words)


def risk_of(sight: RiskSight) -> wire.Risk:
    return filled(
        wire.Risk,
        sight,
        shares=[filled(wire.RiskShare, share.entry, share, entry=entry_ref(share.entry)) for share in sight.shares],
        over_time=[wire.RiskPoint(at=at, risk=risk) for at, risk in sight.over_time],
    )
