"""P7: the exact difference that one changed statement makes in a document of 1,000, against one of 100."""

from __future__ import annotations

import random
from dataclasses import replace
from datetime import time
from functools import partial
from ipaddress import ip_network

from bench.measure import growth, line, side_by_side
from openlatch.core.hours import Window
from openlatch.core.providers.sharing import ANYONE, Document, Selector, Statement
from openlatch.core.what_if.exposure import Someone, difference
from openlatch.words import Power

__all__ = ["exposure_difference"]

SIZES = (100, 300, 1000)
ROUNDS = 15
POWERS = tuple(Power)[:5]


def exposure_difference() -> str:
    """Measure at three sizes, and everything replaced at the largest."""
    made = {size: _case(size) for size in SIZES}
    pairs = {
        size: side_by_side(partial(difference, *made[size]), lambda: difference(*made[SIZES[0]]), ROUNDS)
        for size in SIZES
    }
    before, _, known = made[SIZES[-1]]
    other = _document(SIZES[-1], random.Random(2))
    whole = side_by_side(lambda: difference(before, other, known, budget=0), lambda: difference(*made[SIZES[0]]), 3)
    what = f"exact difference of one statement changed among {SIZES[-1]}, against one among {SIZES[0]}"
    exponent = growth(SIZES, [pairs[size].seconds for size in SIZES])
    return line("P7", what, pairs[SIZES[-1]], SIZES, exponent, everything_replaced_seconds=round(whole.seconds, 3))


def _case(size: int) -> tuple[Document, Document, tuple[Someone, ...]]:
    chance = random.Random(size)
    before = _document(size, chance)
    place = size // 2
    changed = replace(before.statements[place], powers=frozenset({Power.VIEW, Power.ADMIT}))
    statements = (*before.statements[:place], changed, *before.statements[place + 1 :])
    teams = [Selector("party", f"t{n}") for n in range(size // 5)]
    known = tuple(
        Someone(
            f"p{n}",
            frozenset(
                {ANYONE, Selector("domain", f"d{n % 20}.example"), Selector("party", f"p{n}"), *chance.sample(teams, 2)}
            ),
        )
        for n in range(size)
    )
    return before, replace(before, statements=statements), known


def _document(size: int, chance: random.Random) -> Document:
    return Document("d", "a", "folder", "Europe/London", tuple(_statement(size, chance) for _ in range(size)))


def _statement(size: int, chance: random.Random) -> Statement:
    """Mostly about parties and teams, a few about anyone; a third with networks, a third with hours."""
    kind = chance.choices(("party", "team", "domain", "anyone"), (60, 25, 12, 3))[0]
    to = {
        "party": Selector("party", f"p{chance.randrange(size)}"),
        "team": Selector("party", f"t{chance.randrange(size // 5)}"),
        "domain": Selector("domain", f"d{chance.randrange(20)}.example"),
        "anyone": ANYONE,
    }[kind]
    networks = tuple(
        ip_network(f"10.{chance.randrange(64)}.{chance.randrange(256)}.0/{chance.choice((16, 20, 24))}", strict=False)
        for _ in range(2)
    )
    window = Window(frozenset(chance.sample(range(7), 3)), time(chance.randrange(24)), time(chance.randrange(24)))
    return Statement(
        chance.random() < 0.9,
        frozenset({to}),
        frozenset(chance.sample(POWERS, 2)),
        networks if chance.random() < 0.33 else None,
        (window,) if chance.random() < 0.33 else None,
    )
