"""What all tests share: how hypothesis searches, one PostgreSQL a run, and what is copied from it."""

from __future__ import annotations

import contextlib
import logging
from collections import Counter
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
import structlog
from hypothesis import HealthCheck, Phase, settings
from xdist.scheduler import LoadScopeScheduling

from openlatch.cli.connection import Carrier
from openlatch.client import Client
from openlatch.connecting import http, outgoing
from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.demo.seed import SLUG
from openlatch.local.stack import LOOPBACK, Stack
from openlatch.wire import messages as wire
from tests.harness import demo
from tests.harness.acts import Desk, Spares
from tests.harness.databases import Databases, started
from tests.harness.furniture import Furniture
from tests.harness.ridge import Ridge
from tests.harness.terminal import Terminal

# No deadline: no test here says anything about speed. Nightly runs make many more examples up.
settings.register_profile(
    "ours", max_examples=50, deadline=None, suppress_health_check=[HealthCheck.too_slow], print_blob=True
)
settings.register_profile("nightly", settings.get_profile("ours"), max_examples=1000)
# A mutant is judged by the same examples as every other, and dies of the first one that fails.
_quick = {"max_examples": 25, "derandomize": True, "phases": [Phase.explicit, Phase.generate]}
settings.register_profile("mutants", settings.get_profile("ours"), **_quick)
settings.load_profile("ours")
# What the service would tell whoever runs it is not what is tested.
# Nobody waits for a clock in this process.
http.pause = lambda _: None
# The servers and stand-ins of tests are on this machine.
outgoing.permit(outgoing.Permitted(outgoing.networks(LOOPBACK)))
structlog.configure(wrapper_class=structlog.make_filtering_bound_logger(logging.CRITICAL))

_STARTED = pytest.StashKey[contextlib.ExitStack]()
_DATABASES = pytest.StashKey[Databases]()


# One PostgreSQL a run: started by whoever leads it, and shared with the processes in which tests run side by side.


def _databases(config: pytest.Config) -> Databases:
    if _DATABASES not in config.stash:
        given = getattr(config, "workerinput", {}).get("databases")
        if given is not None:
            config.stash[_DATABASES] = Databases.from_text(given)
        else:
            folder: Path = config._tmp_path_factory.mktemp("run")  # type: ignore[attr-defined]
            _open(folder)
            config.stash[_STARTED] = contextlib.ExitStack()
            config.stash[_DATABASES] = config.stash[_STARTED].enter_context(started(folder))
    return config.stash[_DATABASES]


@pytest.hookimpl(optionalhook=True)
def pytest_configure_node(node: Any) -> None:
    """Hand every process of a run the same databases."""
    node.workerinput["databases"] = _databases(node.config).to_text()


def pytest_unconfigure(config: pytest.Config) -> None:
    if _STARTED in config.stash:
        config.stash[_STARTED].close()


def pytest_terminal_summary(terminalreporter: Any) -> None:
    """Say how many minutes the tests of each folder took, in all processes together, with what they set up."""
    minutes: Counter[str] = Counter()
    for reports in terminalreporter.stats.values():
        for report in reports:
            if isinstance(report, pytest.TestReport):
                minutes["/".join(report.nodeid.partition("::")[0].split("/")[:2])] += report.duration / 60
    told = ", ".join(f"{folder} {spent:.1f}" for folder, spent in minutes.most_common())
    terminalreporter.write_line(f"minutes: {told}")


NEED_STACK = (
    "tests/journeys/",
    "tests/local/test_stack",
    *(f"tests/connectors/test_{real}" for real in ("imap", "postgres", "ssh")),
)


class ByModule(LoadScopeScheduling):
    """Tests of one module stay together, and so do all that need a running stack, the one or their own."""

    def _split_scope(self, nodeid: str) -> str:
        return "stack" if nodeid.startswith(NEED_STACK) else nodeid.partition("::")[0]


@pytest.hookimpl(optionalhook=True)
def pytest_xdist_make_scheduler(config: pytest.Config, log: Any) -> ByModule:
    return ByModule(config, log)


def _open(folder: Path) -> None:
    """Let the database's own user walk down to a folder."""
    for parent in (folder, *folder.parents[:2]):
        parent.chmod(0o711)


@pytest.fixture(scope="session")
def databases(request: pytest.FixtureRequest) -> Databases:
    return _databases(request.config)


# In this process


@pytest.fixture(scope="module")
def ridge(databases: Databases, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Ridge]:
    """The demo as it was read, for one module of tests, each of which takes entries of its own."""
    with demo.ridge(databases, tmp_path_factory.mktemp("ridge")) as made:
        yield made


@pytest.fixture
def apart(databases: Databases, tmp_path: Path) -> Iterator[Ridge]:
    """The demo as it was read, for one test that changes what others of its module look at."""
    with demo.ridge(databases, tmp_path) as made:
        yield made


@pytest.fixture(scope="module")
def furnished(databases: Databases, tmp_path_factory: pytest.TempPathFactory) -> Iterator[Ridge]:
    """The demo with one of each thing on top, which `things` names."""
    with demo.ridge(databases, tmp_path_factory.mktemp("furnished"), demo.furnished) as made:
        yield made


@pytest.fixture(scope="module")
def things(databases: Databases, furnished: Ridge) -> Furniture:
    """What there is in the furnished demo."""
    return demo.furniture(databases)


@pytest.fixture(scope="module")
def blank(databases: Databases) -> Iterator[Ridge]:
    """The product on an empty database, in which tests found workspaces of their own."""
    with demo.blank(databases) as made:
        yield made


@pytest.fixture
def client(ridge: Ridge) -> Iterator[Client]:
    """The owner of Kestrel Ridge, signed in."""
    with ridge.client() as signed_in:
        yield signed_in


@pytest.fixture
def desk(ridge: Ridge) -> Iterator[Desk]:
    """The stand-in for Ticket Desk."""
    desk = Desk(ridge, transport=ridge.transport)
    yield desk
    desk.close()


@pytest.fixture(scope="module")
def _spares() -> Spares:
    return Spares()


@pytest.fixture
def spare(client: Client, _spares: Spares) -> Callable[[], wire.Entry]:
    """Return a guide's or a visitor desk's entry on Bookings that no other test of the module has had."""
    return lambda: _spares.take(client)


@pytest.fixture
def run(ridge: Ridge, tmp_path: Path) -> Terminal:
    """The owner's terminal."""
    terminal = Terminal(tmp_path, Carrier(ridge.transport, ridge.pause))
    address = ("--address", f"maren.ashdown@{DOMAIN}", "--password", PASSWORD)
    assert "as Maren Ashdown (owner)" in terminal("sign-in", ridge.url, "--workspace", SLUG, *address)
    return terminal


# With everything running


@pytest.fixture(scope="session")
def stack(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Stack]:
    """The demo as `make demo` begins it, everything read; all journeys share it, and each takes entries of its own."""
    folder: Path = tmp_path_factory.mktemp("stack")
    _open(folder)
    with Stack(folder, fast=True) as running:
        with sign_in(running) as client:
            # Those that know people by no more than a login come last: whoever is first says what someone is called.
            for late in (False, True):
                some = [p for p in client.providers() if not p.by_hand and (p.connector in demo.LOGINS) is late]
                for reading in [client.read(str(provider.id)) for provider in some]:
                    last = list(client.follow_reading(reading.id))[-1]
                    assert last.state == "complete", last.trouble
        yield running


def sign_in(stack: Stack, who: str = "maren.ashdown", scope: str = "change") -> Client:
    """Sign one of Kestrel Ridge's people in to a running stack."""
    address = f"{who}@{DOMAIN}"
    return Client.sign_in(stack.url, workspace=SLUG, address=address, password=PASSWORD, scope=scope, days=1)[0]
