"""Installed without the extra [service], the client and the command line work, and nothing of a server comes along."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[1]


@pytest.fixture(scope="module")
def bare(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A virtual environment with the bare package as its users get it."""
    folder = tmp_path_factory.mktemp("bare")
    build = [sys.executable, "-m", "hatchling", "build", "-t", "wheel", "-d", str(folder)]
    subprocess.run(build, cwd=ROOT, check=True, capture_output=True)
    subprocess.run([sys.executable, "-m", "venv", str(folder / "venv")], check=True)
    wheel = next(folder.glob("*.whl"))
    pip = [str(folder / "venv/bin/pip"), "install", "--quiet", "--disable-pip-version-check", str(wheel)]
    subprocess.run(pip, check=True)
    return folder / "venv" / "bin"


def test_the_command_line_and_the_client_work_without_a_server(bare: Path) -> None:
    helped = subprocess.run([bare / "openlatch", "--help"], check=True, capture_output=True, text=True).stdout
    assert "Take an access back" in helped
    code = (
        "import sys; from openlatch.client import Client; Client('http://x', 't').close(); print(sorted(sys.modules))"
    )
    loaded = subprocess.run([bare / "python", "-c", code], check=True, capture_output=True, text=True).stdout
    assert not {"flask", "sqlalchemy", "psycopg"} & set(loaded.split("'"))
    for absent in ("flask", "sqlalchemy"):
        assert subprocess.run([bare / "python", "-c", f"import {absent}"], check=False, capture_output=True).returncode


def test_a_command_that_runs_a_service_says_how_to_install_the_rest(bare: Path) -> None:
    said = subprocess.run([bare / "openlatch", "serve"], check=False, capture_output=True, text=True)
    assert said.returncode == 1
    assert "open-latch[service]" in said.stderr
    completing = {"_OPENLATCH_COMPLETE": "bash_complete", "COMP_WORDS": "openlatch ser", "COMP_CWORD": "1"}
    offered = subprocess.run([bare / "openlatch"], check=False, capture_output=True, text=True, env=completing)
    assert (offered.stdout, offered.stderr) == ("plain,serve\n", ""), "completing needs nothing that is not installed"
    offline = subprocess.run(
        [bare / "openlatch", "whoami"], check=False, capture_output=True, text=True, env={"HOME": "/x"}
    )
    assert (offline.returncode, "Nobody is signed in" in offline.stderr) == (3, True)
