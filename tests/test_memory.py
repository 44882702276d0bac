"""What a process took for something large, its machine has again afterwards."""

from __future__ import annotations

import platform

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


def test_for_a_little_nothing_is_looked_for(monkeypatch: pytest.MonkeyPatch) -> None:
    sizes = iter([300 << 20, 200 << 20, (200 << 20) + memory.MUCH, 100 << 20, 180 << 20, 100 << 20])
    looked: list[int] = []
    giving = memory._Giving()
    monkeypatch.setattr(memory, "taken", lambda: next(sizes))
    monkeypatch.setattr("gc.collect", lambda: looked.append(1))
    giving.back()  # it takes 300 MB, and keeps 200 of them
    assert len(looked) == 1
    giving.back()  # not much more than those
    giving.back()  # less: from there on it counts
    assert len(looked) == 1
    giving.back()
    assert len(looked) == 2
