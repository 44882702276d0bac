"""What an evaluation changes among the stored flags, those that someone lives with among them."""

from __future__ import annotations

from datetime import datetime, timedelta
from uuid import UUID

from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.rules.flags import Acceptance, Finding, Flag, compare
from openlatch.words import Severity, Subject
from tests.factories import NOW, entry, ids

subjects = [entry().id for _ in range(4)]
keys = st.tuples(st.sampled_from(["a", "b"]), st.sampled_from(subjects))
severities = st.sampled_from(list(Severity))
findings = st.dictionaries(keys, st.tuples(severities, st.sampled_from(['{"n":1}', '{"n":2}'])), max_size=8)
acceptances = st.none() | st.builds(
    lambda days, severity: Acceptance("Maren Ashdown", NOW, NOW + timedelta(days=days), "for now", severity),
    st.integers(-2, 2),
    severities,
)


def flag(key: tuple[str, UUID], pair: tuple[Severity, str], accepted: Acceptance | None, new: UUID) -> Flag:
    return Flag(new, key[0], Subject.ENTRY, key[1], *pair, "said before", 1, NOW, acceptance=accepted)


@given(findings, findings, st.lists(acceptances, min_size=8, max_size=8))
def test_comparing_leaves_exactly_what_holds_now_and_only_what_is_still_accepted(
    before: dict[tuple[str, UUID], tuple[Severity, str]],
    now: dict[tuple[str, UUID], tuple[Severity, str]],
    accepted: list[Acceptance | None],
) -> None:
    new = ids()
    standing = [
        flag(key, pair, acceptance, new()) for (key, pair), acceptance in zip(before.items(), accepted, strict=False)
    ]
    holding = [Finding(rule, Subject.ENTRY, on, *found) for (rule, on), found in now.items()]
    differences = compare(standing, holding, now=NOW, policy=2, reason=lambda f: "said now")
    left = {f.id: f for f in standing if f not in differences.cleared} | {f.id: f for f in differences.changed}
    stands = {(f.rule, f.subject_id): (f.severity, f.facts) for f in left.values()}
    stands |= {(f.rule, f.subject_id): (f.severity, f.facts) for f, _ in differences.raised}
    assert stands == now
    for f in left.values():
        assert f.acceptance is None or _still(f, f.acceptance, NOW)
        was = next(each_flag for each_flag in standing if each_flag.id == f.id).acceptance
        came_back = was is not None and not _still(f, was, NOW)
        assert (f in differences.back) == came_back
        assert f.reason == ("said now" if (f.severity, f.facts) != before[f.rule, f.subject_id] else "said before")
    assert all(f in differences.changed for f in differences.back)


def _still(f: Flag, accepted: Acceptance, now: datetime) -> bool:
    return now < accepted.until and f.severity.rank <= accepted.severity.rank


def test_comparing_what_has_not_changed_changes_nothing() -> None:
    key = ("a", subjects[0])
    the_flag = flag(key, (Severity.LOW, "{}"), None, subjects[1])
    same = [Finding("a", Subject.ENTRY, subjects[0], Severity.LOW, "{}")]
    differences = compare([the_flag], same, now=NOW, policy=2, reason=lambda f: "other words")
    assert (differences.raised, differences.changed, differences.cleared, differences.back) == ((), (), (), ())
