"""A mail server that is away for a day: everybody is told everything once it is back, once."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Iterator
from contextlib import contextmanager

import pytest

from openlatch.core.telling.notices import Letter, Notice
from openlatch.errors import ProviderDown
from openlatch.operations.telling import notices
from tests.harness.ridge import Ridge


@contextmanager
def away(ridge: Ridge, monkeypatch: pytest.MonkeyPatch) -> Iterator[Counter[str]]:
    """The mail server does not answer; counted is how often each letter was tried."""
    tried: Counter[str] = Counter()

    def send(letter: Letter) -> None:
        tried[letter.id] += 1
        raise ProviderDown("The mail server does not answer.", next_step="Try again later.")

    with monkeypatch.context() as patched:
        patched.setattr(ridge.post, "send", send)
        yield tried


def failing(ridge: Ridge) -> float:
    """How many pieces of news are measured as not taken."""
    (number,) = (value for name, _, value in ridge.store.measured(ridge.clock.now) if name == "letters_failing")
    return number


def test_what_could_not_be_sent_for_a_day_is_sent_once_the_mail_server_is_back(
    apart: Ridge, monkeypatch: pytest.MonkeyPatch
) -> None:
    apart.drain()
    apart.post.letters.clear()
    with away(apart, monkeypatch) as tried:
        for hour in range(24):
            with apart.call() as call:
                notices.write(call, f"p{hour % 3}@birch.example", "", Notice(f"told:{hour}", f"News-{hour}", "", "/"))
            for _ in range(12):
                apart.clock.go_on(minutes=5)
                apart.drain()
    assert tried
    assert failing(apart) > 0
    assert max(tried.values()) < 40, "a server that is away is not asked all the time"
    apart.clock.go_on(hours=4)
    apart.drain()
    said = Counter(word for letter in apart.post.letters for word in re.findall(r"News-\d+", letter.text))
    assert failing(apart) == 0
    assert said == Counter(f"News-{hour}" for hour in range(24))
