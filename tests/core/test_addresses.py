from __future__ import annotations

import pytest
from hypothesis import given
from hypothesis import strategies as st

from openlatch.core.addresses import Neighbours, one_edit, skeleton

KNOWN = Neighbours(
    ["tobias.quill@kestrelridge.example", "Orla.Finch@kestrelridge.example", "works@brightmere.example"],
    ["kestrelridge.example"],
)
WORDS = st.text("abcl1I", max_size=5)


def by_definition(text: str, other: str) -> bool:
    """Every text that one edit makes, and whether the other is among them."""
    letters = set(text + other)
    made = {text[:n] + text[n + 1 :] for n in range(len(text))}
    made |= {text[:n] + c + text[n:] for n in range(len(text) + 1) for c in letters}
    made |= {text[:n] + c + text[n + 1 :] for n in range(len(text)) for c in letters}
    made |= {text[:n] + text[n + 1] + text[n] + text[n + 2 :] for n in range(len(text) - 1)}
    return other in made and other != text


@given(WORDS, WORDS)
def test_one_edit_is_what_one_edit_makes(text: str, other: str) -> None:
    assert one_edit(text, other) == by_definition(text, other) == one_edit(other, text)


@pytest.mark.parametrize(
    ("address", "known"),
    [
        ("exchange@kestreIridge.example", "kestrelridge.example"),  # a capital I
        ("exchange@kestre1ridge.example", "kestrelridge.example"),
        ("exchange@kestrеlridge.example", "kestrelridge.example"),
        ("exchange@kestrelrıdgе.example", "kestrelridge.example"),
        ("exchange@кestrelrіdɡe.example", "kestrelridge.example"),
        ("exchange@𝗄estrelr𝒾dge.example", "kestrelridge.example"),
        ("exchange@kestrelrigde.example", "kestrelridge.example"),
        ("exchange@kestrelridge.test", "kestrelridge.example"),
        ("tobias.quil@kestrelridge.example", "tobias.quill@kestrelridge.example"),
        ("tobais.quill@kestrelridge.example", "tobias.quill@kestrelridge.example"),
        ("orIa.finch@kestrelridge.example", "orla.finch@kestrelridge.example"),
        ("vvorks@brightmere.example", "works@brightmere.example"),
    ],
)
def test_what_merely_resembles_a_known_address_is_found(address: str, known: str) -> None:
    near = KNOWN.near(address)
    assert near is not None
    assert near.known == known


@pytest.mark.parametrize(
    "address",
    [
        "TOBIAS.QUILL@kestrelridge.example",
        "maren.ashdown@kestrelridge.example",
        "exchange@lakeside-institute.example",
        "@maren-kr",
        "",
    ],
)
def test_what_is_known_or_altogether_different_is_not(address: str) -> None:
    assert KNOWN.near(address) is None


@given(st.lists(WORDS.filter(bool), max_size=6), WORDS.filter(bool))
def test_the_index_finds_exactly_what_trying_all_finds(known: list[str], local: str) -> None:
    addresses = {f"{word.casefold()}@x.example" for word in known}
    near = Neighbours(addresses, ["x.example"]).near(f"{local}@x.example")
    close = [
        a
        for a in addresses
        if one_edit(local.casefold(), a.rpartition("@")[0]) or skeleton(f"{local}@x.example") == skeleton(a)
    ]
    assert (near is not None) == (bool(close) and f"{local.casefold()}@x.example" not in addresses)
