"""What is given along for running it says nothing that the product does not know."""

from __future__ import annotations

import re
from typing import Any

import pytest
from click import Context
from ruamel.yaml import YAML

from openlatch.cli import main
from openlatch.wiring import Settings
from tests.test_habits import ROOT

UNITS = sorted((ROOT / "deploy/systemd").glob("*.service"))
CONTAINER = ROOT / "deploy/container"
COMPOSE: dict[str, Any] = YAML(typ="safe").load(CONTAINER / "compose.yaml")
OURS = {name: one for name, one in COMPOSE["services"].items() if one["image"] == "open-latch"}
SETTINGS = {f"OPENLATCH_{name.upper()}" for name in Settings.model_fields}
SERVICE = set(main.get_command(Context(main), "service").commands)  # type: ignore[union-attr]


def options(unit: str) -> dict[str, list[str]]:
    """The lines of a unit's section on the service, by what they set."""
    found: dict[str, list[str]] = {}
    for name, value in re.findall(r"^(\w+)=(.*)$", unit.partition("[Service]")[2].partition("[Install]")[0], re.M):
        found.setdefault(name, []).append(value)
    return found


@pytest.mark.parametrize("unit", UNITS, ids=lambda unit: unit.name)
def test_a_unit_starts_a_command_that_there_is(unit: Any) -> None:
    (start,) = options(unit.read_text())["ExecStart"]
    program, group, command = start.split()
    assert program.endswith("/bin/openlatch")
    assert group == "service"
    assert command in SERVICE


def test_all_units_are_held_as_tight() -> None:
    apart = ("ExecStart", "TimeoutStopSec")
    tight = [{k: v for k, v in options(unit.read_text()).items() if k not in apart} for unit in UNITS]
    assert len(tight) == 2
    assert tight[0] == tight[1]
    assert len(tight[0]) > 15


@pytest.mark.parametrize("name", OURS)
def test_a_container_starts_a_command_that_there_is_with_settings_that_there_are(name: str) -> None:
    (command,) = OURS[name]["command"]
    assert command in SERVICE
    assert set(OURS[name]["environment"]) <= SETTINGS
    assert OURS[name]["read_only"], "nothing is kept in it"
    assert OURS[name]["cap_drop"] == ["ALL"]


def test_the_owners_login_is_for_the_change_of_schema_alone() -> None:
    assert {name for name, one in OURS.items() if "OPENLATCH_OWNER_URL" in one["environment"]} == {"migrate"}
    assert all("openlatch_owner" not in one["environment"]["OPENLATCH_DATABASE_URL"] for one in OURS.values())
    for name in OURS.keys() - {"migrate"}:
        assert OURS[name]["depends_on"] == {"migrate": {"condition": "service_completed_successfully"}}


def test_only_the_web_is_reached_and_only_from_the_machine_itself() -> None:
    ports = {name: one["ports"] for name, one in COMPOSE["services"].items() if "ports" in one}
    assert ports == {
        "web": [f"127.0.0.1:{Settings.model_fields['port'].default}:{Settings.model_fields['port'].default}"]
    }


def test_every_password_has_to_be_given_and_every_login_is_made() -> None:
    text = (CONTAINER / "compose.yaml").read_text("utf-8")
    needed = set(re.findall(r"\$\{(\w+):\?\}", text))
    assert {name for name in re.findall(r"\$\{(\w+)", text) if "PASSWORD" in name or "KEYS" in name} == needed
    logins = (CONTAINER / "logins.sh").read_text("utf-8")
    users = set(re.findall(r"postgresql://(\w+):", text))
    assert users == set(re.findall(r"create role (\w+) login", logins))
    assert set(re.findall(r"\$(OPENLATCH_\w+)", logins)) <= set(COMPOSE["services"]["database"]["environment"])


def test_the_image_is_made_of_what_there_is_and_runs_as_nobody_in_particular() -> None:
    lines = (CONTAINER / "Containerfile").read_text("utf-8").splitlines()
    said = [line.split(maxsplit=1) for line in lines if re.match(r"[A-Z]+ ", line)]
    copied = [value.split()[0] for word, value in said if word == "COPY"]
    assert [name for name in copied if not name.startswith("dist/")] == ["requirements.lock"]
    assert (ROOT / "requirements.lock").is_file()
    words = [word for word, _ in said]
    assert words.index("USER") > max(place for place, word in enumerate(words) if word == "RUN")
    assert dict(said)["CMD"] == '["serve"]'
    assert '"service"' in dict(said)["ENTRYPOINT"]
