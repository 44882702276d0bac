"""Identifiers sort by time, and their short form survives being read aloud."""

from datetime import UTC, datetime, timedelta

from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.ids import normal_ref, ref_of, uuid7

instants = st.integers(0, 10**13).map(lambda millis: datetime(1970, 1, 1, tzinfo=UTC) + timedelta(milliseconds=millis))
bits = st.integers(0, 2**74 - 1)


@given(instants, bits, bits)
def test_a_later_id_is_larger_and_all_of_them_are_version_7(now: datetime, number: int, other: int) -> None:
    early, late = uuid7(now, number), uuid7(now + timedelta(milliseconds=1), other)
    assert early < late
    assert (early.version, early.variant) == (7, "specified in RFC 4122")


@given(instants, bits)
def test_a_ref_is_read_back_whatever_its_case_hyphen_and_look_alikes(now: datetime, random: int) -> None:
    ref = ref_of(uuid7(now, random))
    assert normal_ref(ref) == ref
    assert normal_ref(f" {ref.lower().replace('-', '').replace('0', 'o').replace('1', 'l')} ") == ref


@given(st.text(max_size=12))
def test_whatever_is_typed_is_a_ref_in_its_one_spelling_or_none(text: str) -> None:
    each_text = normal_ref(text)
    assert each_text is None or normal_ref(each_text) == each_text
