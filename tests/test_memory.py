"""What a process took for something large, its machine has again afterwards."""

from __future__ import annotations

import gc
import platform
import weakref
from collections.abc import Sequence

import pytest

from openlatch import memory


@pytest.mark.skipif(platform.libc_ver()[0] != "glibc", reason="another C library keeps what it likes")
def test_what_was_taken_for_something_large_is_given_back() -> None:
    memory.give_back()
    before = memory.taken()
    many = [[number, str(number)] for number in range(2_000_000)]
    most = memory.taken()
    del many
    memory.give_back()
    assert most - before > memory.MUCH
    assert memory.taken() - before < (most - before) / 4


class Circle:
    """Something that only refers to itself."""

    def __init__(self) -> None:
        self.itself = self


def test_what_is_made_after_it_was_said_to_look_seldom_is_let_go_of_all_the_same() -> None:
    memory.seldom()
    frozen = gc.get_freeze_count()
    made = Circle()
    gone = weakref.ref(made)
    memory.seldom()
    assert gc.get_freeze_count() <= frozen, "only what was loaded at first is never looked through"
    del made
    gc.collect()
    assert gone() is None


MB = 1 << 20


def looks(monkeypatch: pytest.MonkeyPatch, story: Sequence[tuple[float, int, int]]) -> list[float]:
    """When it is looked for what to give back, of a process that takes so much at an instant, and so much after it."""
    sizes: list[int] = []
    looked: list[float] = []
    clock = [0.0]
    monkeypatch.setattr(memory, "taken", lambda: sizes.pop(0) * MB)
    monkeypatch.setattr("gc.collect", lambda: looked.append(clock[0]))
    giving = memory._Giving()
    for at, before, after in story:
        clock[:], sizes[:] = [at], [before, after]
        giving.back(at)
    return looked


def test_for_a_little_nothing_is_looked_for(monkeypatch: pytest.MonkeyPatch) -> None:
    assert looks(monkeypatch, [(0, 130, 130), (100, 180, 0), (200, 194, 0), (300, 60, 0), (400, 130, 130)]) == [0, 400]


def test_what_is_in_use_at_first_is_looked_for_again_and_more_seldom_where_nothing_comes_of_it(
    monkeypatch: pytest.MonkeyPatch,
) -> None:
    kept = [(float(at), 600, 600) for at in range(10, 1000)]
    assert looks(monkeypatch, [(0, 130, 130), *kept]) == [0, 10, 70, 190, 430, 910]
    freed = [(float(at), 200, 190) for at in range(71, 200)]
    assert looks(monkeypatch, [(0, 130, 130), *kept[:60], (70, 600, 200), *freed]) == [0, 10, 70, 130]
