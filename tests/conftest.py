"""What all tests share: how hypothesis searches, and one whole stack for those that need a running product."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest
from hypothesis import HealthCheck, settings

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.demo.seed import SLUG
from openlatch.local.stack import Stack

# No deadline: no test here says anything about speed.
settings.register_profile("ours", deadline=None, suppress_health_check=[HealthCheck.too_slow], print_blob=True)
settings.load_profile("ours")


@pytest.fixture(scope="session")
def stack(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Stack]:
    """The demo, running, shared by all journeys; each of them takes entries of its own."""
    yield from running_demo(tmp_path_factory)


def running_demo(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Stack]:
    """The demo as `make demo` begins it, everything read, until it is not needed any more."""
    folder: Path = tmp_path_factory.mktemp("stack")
    for parent in (folder, *folder.parents[:2]):
        parent.chmod(0o711)  # the database's own user has to walk down to its folder
    with Stack(folder, fast=True) as running:
        with sign_in(running) as client:
            # Those that know people by no more than a login come last: whoever is first says what somebody is called.
            logins = {"imap", "ssh", "postgres"}
            for late in (False, True):
                some = [p for p in client.providers() if not p.by_hand and (p.connector in logins) is late]
                for reading in [client.read(str(provider.id)) for provider in some]:
                    last = list(client.follow_reading(reading.id))[-1]
                    assert last.state == "complete", last.trouble
        yield running


@pytest.fixture
def client(stack: Stack) -> Iterator[Client]:
    """The owner of Kestrel Ridge, signed in."""
    with sign_in(stack) as signed_in:
        yield signed_in


def sign_in(stack: Stack, who: str = "maren.ashdown", scope: str = "change") -> Client:
    """Sign one of Kestrel Ridge's people in."""
    address = f"{who}@{DOMAIN}"
    return Client.sign_in(stack.url, workspace=SLUG, address=address, password=PASSWORD, scope=scope, days=1)[0]
