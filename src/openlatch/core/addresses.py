"""Addresses that are close to a known one without being it: how the wrong person gets in, or someone pretends.

Two spellings of one address are equal (`normal_address`). Everything else that merely resembles a known address belongs
to someone else until a person says otherwise; it is matched to nobody and reported.
"""

from __future__ import annotations

import unicodedata
from collections.abc import Iterable, Mapping
from dataclasses import dataclass

from confusable_homoglyphs.confusables import confusables_data

from openlatch.core.model import normal_address

__all__ = ["Near", "Neighbours", "one_edit", "skeleton"]

_CAPITALS_TOO = {
    letter: alike[0]["c"]
    for letter, alike in confusables_data.items()
    if len(letter) == 1 and not letter.isascii() and alike[0]["c"].isascii()
}
_DRAWN_ALIKE = str.maketrans(
    # Whoever writes in capitals writes the small letter all the same, though it may be drawn otherwise.
    {letter.lower(): alike.lower() for letter, alike in _CAPITALS_TOO.items() if len(letter.lower()) == 1}
    | _CAPITALS_TOO
)
"""Letters of other scripts that are drawn like one of ours, each with that one: Unicode's own list (UTS 39)."""
_LOOKS = str.maketrans(
    {
        # What is drawn alike in one typeface or another, each brought to one letter.
        "I": "l",
        "1": "l",
        "|": "l",
        "0": "o",
        "O": "o",
        "5": "s",
        "S": "s",
        "2": "z",
        "8": "b",
        "B": "b",
    }
)
_SEEN_AS_ONE = (("rn", "m"), ("vv", "w"), ("cl", "d"))


@dataclass(frozen=True, slots=True)
class Near:
    """A known address or domain, and how another one comes close to it."""

    known: str
    how: str


def skeleton(text: str) -> str:
    """Return what a text looks like: two texts that are drawn alike have the same skeleton."""
    ours = unicodedata.normalize("NFC", text).translate(_DRAWN_ALIKE)
    plain = "".join(c for c in unicodedata.normalize("NFKD", ours) if not unicodedata.combining(c))
    looks = plain.translate(_LOOKS).casefold().translate(_LOOKS)
    for pair, each_text in _SEEN_AS_ONE:
        looks = looks.replace(pair, each_text)
    return looks


def one_edit(text: str, other: str) -> bool:
    """Return whether one letter more, less or another, or two neighbours swapped, makes one text of the other."""
    if text == other or abs(len(text) - len(other)) > 1:
        return False
    if len(text) > len(other):
        text, other = other, text
    start = next((n for n, (a, b) in enumerate(zip(text, other, strict=False)) if a != b), len(text))
    if len(text) < len(other):
        return text[start:] == other[start + 1 :]
    swapped = text[start + 1 : start + 2] + text[start : start + 1] == other[start : start + 2]
    return text[start + 1 :] == other[start + 1 :] or (swapped and text[start + 2 :] == other[start + 2 :])


class Neighbours:
    """Known addresses and domains, indexed so that what is close to one of them is found without trying all.

    `names` are those of known people, with an address of each.
    """

    def __init__(
        self, addresses: Iterable[str], domains: Iterable[str], names: Mapping[str, str] | None = None
    ) -> None:
        self._names = {name.casefold(): address for name, address in (names or {}).items()}
        self._addresses = {normal_address(a) for a in addresses if "@" in a}
        self._domains = {d.casefold() for d in domains}
        self._looks: dict[str, str] = {}
        self._without: dict[tuple[str, str], set[str]] = {}
        for address in sorted(self._addresses):
            local, _, domain = address.rpartition("@")
            self._looks.setdefault(skeleton(address), address)
            for less in _one_less(local):
                self._without.setdefault((less, domain), set()).add(address)

    def near(self, address: str, name: str = "") -> Near | None:
        """Return the known address or domain to which an address comes close, or None if to none, or if it is one.

        With `name`, a person who is known by that very name under another address of the same domain counts too.
        """
        normal = normal_address(address)
        if normal in self._addresses:
            return None
        local, at, domain = normal.rpartition("@")
        if not at:
            return None
        near = self._near_domain(address, domain) or self._near_address(address, normal, local, domain)
        known = self._names.get(name.casefold(), "")
        if near is None and known.rpartition("@")[2] == domain and known != normal:
            near = Near(known, f"{name} is known with the address")
        return near

    def _near_domain(self, address: str, domain: str) -> Near | None:
        if domain in self._domains:
            return None
        drawn = address.strip().rpartition("@")[2]
        for known in sorted(self._domains):
            if skeleton(drawn) == skeleton(known):
                return Near(known, "its domain looks like")
            if one_edit(domain, known):
                return Near(known, "its domain is one letter off")
            name, _, ending = known.rpartition(".")
            if domain.rpartition(".")[0] == name or domain == f"{ending}.{name}":
                return Near(known, "its domain has another ending than")
        return None

    def _near_address(self, address: str, normal: str, local: str, domain: str) -> Near | None:
        looks = self._looks.get(skeleton(address.strip()))
        if looks is not None and looks.rpartition("@")[2] == domain:
            return Near(looks, "it looks like")
        candidates: set[str] = set()
        for less in _one_less(local):
            candidates |= self._without.get((less, domain), set())
        texts = sorted(c for c in candidates if one_edit(local, c.rpartition("@")[0]))
        return Near(texts[0], "it is one letter off") if texts else None


def _one_less(local: str) -> set[str]:
    """A text, and what is left of it without any one letter: two texts one edit apart share one of these."""
    return {local, *(local[:n] + local[n + 1 :] for n in range(len(local)))}
