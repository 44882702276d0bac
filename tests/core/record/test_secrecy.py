"""What looks like a secret is recognised, and what people write every day is not."""

from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.record.secrecy import holds_secret, names_secret, tells_secret

CANARIES = ("Gr4phite!Weasel7", "xK9#mQ2$vL8pR", "tok_9fJ2kLmN0pQrS7uVwX!", "Zq7-Wx9_Ty3@kLm")


@pytest.mark.parametrize(
    "heading",
    ["Password", "pw", "Mailbox password", "API key", "api_key", "PIN", "Passwort", "Recovery codes", "secret"],
)
def test_headings_that_say_so_are_secret(heading: str) -> None:
    assert names_secret(heading)


@pytest.mark.parametrize(
    "heading", ["Who", "key", "Key", "Passed on", "Account", "Level", "Spinning class", "Secretary", "Until", "Opinion"]
)
def test_headings_that_only_sound_like_it_are_not(heading: str) -> None:
    assert not names_secret(heading)


@pytest.mark.parametrize("text", ["pw is fish", "Password: fish42", "the PIN = 1234", "passwort lautet x", *CANARIES])
def test_cells_that_hold_one_are_recognised(text: str) -> None:
    assert holds_secret(text)
    assert holds_secret(f"Helps on Saturdays, {text}")


@pytest.mark.parametrize(
    "text",
    [
        "Helps at the gate on Saturdays",
        "orla.finch@kestrelridge.example",
        "https://chart.example/A1?b=2",
        "2027-03-31",
        "0190f3a2-7c1e-7b44-9d55-4f1e2a3b4c5d",
        "7Q4K-BRM2",
        "Dr Amara Levy-Østergaard",
        "asked by Tobias, 12 May 2026",
        "SHA256:29mHOKhw9OblgVh6Er8sqO+NAavdk2dhQlaBw1WVWPo",
        "knows the password",
        "McDonald-O’Reilly",
        "Antirrhinum2026",
    ],
)
def test_what_people_write_every_day_is_not(text: str) -> None:
    assert not holds_secret(text)


@given(
    st.lists(
        st.sampled_from(
            ["the", "gate", "on", "Saturdays", "since", "May", "2026", "Orla", "Finch", "pays", "for", "it"]
        ),
        max_size=12,
    )
)
def test_no_words_put_together_become_one(words: list[str]) -> None:
    assert not holds_secret(" ".join(words))
    assert not tells_secret(" ".join(words))
