"""Letters over one connection, to a mail server that nobody here wrote, and that takes, refuses, drops and loses."""

from __future__ import annotations

import socket
from collections import Counter
from collections.abc import Iterator
from typing import Any

import pytest
from aiosmtpd.controller import Controller
from aiosmtpd.smtp import SMTP
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from openlatch.connectors.smtp import MailServer
from openlatch.core.telling.notices import Letter
from openlatch.errors import ProviderDown, ProviderRefused

FATES = ("take", "refuse", "busy", "away", "tired", "drop", "lose")
"""What the server does with a letter. After the last three that it takes, it does not stay on the line for the next."""
REFUSED, DOWN = {"refuse"}, {"busy", "away", "lose"}


class Whims:
    """Does with each letter what the receiver's address says."""

    def __init__(self) -> None:
        self.taken: Counter[str] = Counter()
        self.connections = 0

    async def handle_EHLO(  # noqa: N802 - the library's name
        self, server: SMTP, session: Any, envelope: Any, hostname: str, responses: list[str]
    ) -> list[str]:
        self.connections += 1
        session.host_name, session.leaves = hostname, ""
        return responses

    async def handle_RCPT(  # noqa: N802
        self, server: SMTP, session: Any, envelope: Any, address: str, options: list[str]
    ) -> str:
        if address.startswith("refuse"):
            return "550 5.1.1 nobody of that name"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server: SMTP, session: Any, envelope: Any) -> str:  # noqa: N802
        fate = envelope.rcpt_tos[0].partition(".")[0]
        if fate == "busy":
            return "451 4.3.2 try again later"
        if fate == "away":
            return "421 4.3.2 going away"
        self.taken[envelope.rcpt_tos[0]] += 1
        if fate == "lose":
            server.transport.abort()  # type: ignore[union-attr]
        session.leaves = fate
        return "250 OK"

    async def handle_NOOP(self, server: SMTP, session: Any, envelope: Any, arg: str) -> str:  # noqa: N802
        if session.leaves == "drop":
            server.transport.abort()  # type: ignore[union-attr]
        return "421 4.3.2 not any more" if session.leaves == "tired" else "250 OK"


@pytest.fixture(scope="module")
def whims() -> Iterator[tuple[Whims, str]]:
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    handler = Whims()
    controller = Controller(handler, hostname="127.0.0.1", port=port)
    controller.start()
    yield handler, f"smtp://127.0.0.1:{port}"
    controller.stop()


@given(fates=st.lists(st.sampled_from(FATES), min_size=1, max_size=12))
@settings(suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None, max_examples=40)
def test_each_letter_that_is_said_to_be_sent_was_taken_once_whatever_came_of_the_one_before(
    whims: tuple[Whims, str], fates: list[str]
) -> None:
    room, url = whims
    room.taken.clear()
    before = room.connections
    post = MailServer(url, "open-latch@kestrelridge.example")
    for number, fate in enumerate(fates):
        address = f"{fate}.{number}@kestrelridge.example"
        letter = Letter(id=f"letter-{number}", to=address, subject="Your access ended", text="It has.")
        expected = ProviderRefused if fate in REFUSED else ProviderDown if fate in DOWN else None
        if expected is None:
            post.send(letter)
        else:
            with pytest.raises(expected):
                post.send(letter)
        assert room.taken[address] == (fate in {"take", "tired", "drop", "lose"})
    post.leave()
    post.leave()
    parted = sum(fate in {"away", "tired", "drop", "lose"} for fate in fates)
    assert 1 <= room.connections - before <= 1 + parted, "one connection does for all, but where the server left it"
