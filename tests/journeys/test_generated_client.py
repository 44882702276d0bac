"""A client that a generator of others makes from the API's description does what the README shows."""

from __future__ import annotations

import importlib
import json
import re
import subprocess
import sys
from collections.abc import Callable
from pathlib import Path
from types import ModuleType

import pytest

from openlatch.client import Client
from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.demo.seed import SLUG
from openlatch.local.stack import Stack
from openlatch.web.app import description
from openlatch.wire import messages as wire
from tests.harness.routes import ROUTES

TAKING_FILES = {
    re.sub(r"<(?:[^:>]+:)?([^>]+)>", r"{\1}", route.rule)
    for route in ROUTES
    if route.takes and "application/json" not in route.takes
}
Spare = Callable[[], wire.Entry]


@pytest.fixture(scope="module")
def generated(tmp_path_factory: pytest.TempPathFactory) -> ModuleType:
    """The package that openapi-python-client makes of the description."""
    folder = tmp_path_factory.mktemp("generated")
    (folder / "openapi.json").write_text(json.dumps(description()), "utf-8")
    (folder / "config.yml").write_text("post_hooks: []\n", "utf-8")
    command = [str(Path(sys.executable).with_name("openapi-python-client")), "generate", "--path", "openapi.json"]
    command += ["--config", "config.yml", "--meta", "none", "--output-path", "latch_api"]
    made = subprocess.run(command, cwd=folder, capture_output=True, text=True, check=True)
    # Files are of kinds that it knows nothing about; nothing else is left out.
    left_out = set(re.findall(r"WARNING parsing (\w+) (\S+) within", made.stderr))
    assert left_out == {("POST", path) for path in TAKING_FILES} | {
        ("GET", "/log/copy"),
        ("GET", "/prints/{print_ref}/file"),
    }
    sys.path.insert(0, str(folder))
    return importlib.import_module("latch_api")


def test_it_lists_plans_ends_and_follows(generated: ModuleType, stack: Stack, spare: Spare) -> None:
    def call(tag: str, operation: str) -> ModuleType:
        return importlib.import_module(f"latch_api.api.{tag}.{operation}")

    models = importlib.import_module("latch_api.models")
    look = call("orders", "get_order")
    ours, made = Client.sign_in(stack.url, workspace=SLUG, address=f"maren.ashdown@{DOMAIN}", password=PASSWORD)
    latch = generated.AuthenticatedClient(base_url=f"{stack.url}/api/v1", token=made.secret)
    with ours, latch:
        found = call("entries", "list_entries").sync(client=latch, flagged=True, outside=True)
        assert found.items
        assert all(entry.flags and entry.party.outside for entry in found.items)
        ref = spare().ref
        plan = call("entries", "plan_end").sync(ref, client=latch)
        body = models.NewOrder(entry=ref, reason="Finished in spring", digest=plan.digest)
        order = call("orders", "create_order").sync(client=latch, body=body)
        *_, last = ours.follow(order.ref, within=60)
        seen = look.sync(order.ref, client=latch)
        assert (seen.state, seen.receipt.showed) == ("proved", last.receipt and last.receipt.showed)
        wrong = call("entries", "get_entry").sync("no-such-one", client=latch)
        assert (type(wrong).__name__, wrong.code) == ("Problem", "not-found")
