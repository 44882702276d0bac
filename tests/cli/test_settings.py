"""What holds for every command: profiles, the configuration file, quiet output, pipes, and names that are near."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from tests.harness.terminal import Terminal


@pytest.fixture
def config(tmp_path: Path, run: Terminal) -> Path:
    """The configuration file of whoever runs the commands."""
    path = tmp_path / "config.toml"
    run.environment["OPENLATCH_CONFIG"] = str(path)
    return path


def test_a_default_stands_in_the_file_for_all_commands_or_for_one(config: Path, run: Terminal) -> None:
    config.write_text(
        'output = "json"\nlimit = 2\n[entry.list]\nlimit = 3\ncolumns = "id"\n[order.list]\nstate = "stuck"\n'
    )
    assert len(run("account", "list").splitlines()) == 2
    assert len(run("entry", "list").splitlines()) == 3
    assert len(run("inventory").splitlines()) == 3, "a short way is the same command"
    assert len(run("account", "list", "--limit", "4").splitlines()) == 4, "what is typed comes first"
    config.write_text('[entry.list]\ncolumns = "id"\n')
    assert run("inventory", "--limit", "1").splitlines()[0].strip() == "id"


def test_what_an_option_says_against_another_is_its_opposite_in_the_file_too(config: Path, run: Terminal) -> None:
    lists = {}
    for said in ("flagged = true", "flagged = false", "not-flagged = true"):
        config.write_text(f'[entry.list]\noutput = "json"\n{said}\n')
        lists[said] = run("entry", "list", "--limit", "0").splitlines()
    assert lists["not-flagged = true"] == lists["flagged = false"]
    assert lists["flagged = true"]
    assert not set(lists["flagged = true"]) & set(lists["flagged = false"])


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ("limit = ", "is not TOML"),
        ("colour = true", "sets “colour”, which cannot be set for all commands"),
        ("[entry.list]\nlimits = 3", "sets “limits” for openlatch entry list, which has no such option"),
        ('[entry.list]\nlimit = "many"', "'many' is not a valid integer"),
    ],
)
def test_what_is_wrong_in_the_file_is_named_and_nothing_is_done(
    config: Path, run: Terminal, text: str, says: str
) -> None:
    config.write_text(text)
    assert says in " ".join(run("entry", "list", exits=2).split())


def test_quiet_leaves_the_answer_alone(run: Terminal) -> None:
    said = run("inventory", "--limit", "3")
    quiet = run("--quiet", "inventory", "--limit", "3")
    assert "openlatch" not in quiet
    assert "providers were read" in said
    assert said.startswith(quiet.rstrip())
    secret = run("-q", "token", "add", "for a program", "--read-only").strip()
    assert secret.startswith("latch.")
    assert len(secret.split()) == 1, "a script can use it as it is"


def test_in_a_pipe_a_line_is_as_long_as_it_has_to_be(run: Terminal) -> None:
    run.width = 0
    lines = run("-q", "inventory", "--limit", "5", "--wide").splitlines()
    assert len(lines) <= 1 + 5 * 3
    assert max(len(line) for line in lines) > 160


@pytest.mark.parametrize(
    ("typed", "meant"),
    [
        (("orders",), "openlatch order list"),
        (("revoke",), "openlatch entry end"),
        (("narrow",), "openlatch entry narrow"),
        (("whoami",), "openlatch me show"),
        (("invetory",), "openlatch inventory"),
        (("entry", "shwo"), "openlatch entry show"),
        (("policy", "rule"), "openlatch policy rules"),
        (("zzz",), "openlatch --help"),
    ],
)
def test_where_there_is_no_such_command_the_nearest_is_named(run: Terminal, typed: tuple[str, ...], meant: str) -> None:
    said = run(*typed, exits=2)
    assert f"There is no command “openlatch {' '.join(typed)}”" in said
    assert meant in said


def test_two_sign_ins_of_one_name_are_told_apart_by_profile(run: Terminal) -> None:
    kept = json.loads(run.kept.read_text())
    elsewhere = {"server": "https://other.example", "token": "x", "token_id": "y", "workspace": kept["workspace"]}
    other = {**elsewhere, "profile": "other"}
    run.kept.write_text(json.dumps({**kept, "profile": "home", "others": [other]}))
    assert "In use: other, at https://other.example." in run("profile", "use", "other")
    assert "owner of Kestrel Ridge" in run("--profile", "home", "me", "show")
    assert "There are: other, home." in run("--profile", "work", "me", "show", exits=3)
    assert "owner of Kestrel Ridge" in run("me", "show", OPENLATCH_PROFILE="home")
    assert "Signed out." in run("--profile", "home", "sign-out")
    assert json.loads(run.kept.read_text())["profile"] == "other"
