"""Installed without the extra [service], the client and the command line work, and nothing of a server comes along."""

from __future__ import annotations

import subprocess
import sys
from importlib.metadata import distribution
from pathlib import Path

import pytest
from packaging.requirements import Requirement
from packaging.utils import canonicalize_name

ROOT = Path(__file__).parents[1]


def needed(name: str) -> set[str]:
    """The distributions that one needs, with what they need in turn, and no extras."""
    texts, left = set(), [name]
    while left:
        each_text = left.pop()
        if each_text in texts:
            continue
        texts.add(each_text)
        for text in distribution(each_text).requires or ():
            wanted = Requirement(text)
            if wanted.marker is None or wanted.marker.evaluate({"extra": ""}):
                left.append(canonicalize_name(wanted.name))
    return texts


@pytest.fixture(scope="module")
def bare(tmp_path_factory: pytest.TempPathFactory) -> Path:
    """A virtual environment with the bare package as its users get it; what it needs is linked, not fetched."""
    folder = tmp_path_factory.mktemp("bare")
    build = [sys.executable, "-m", "hatchling", "build", "-t", "wheel", "-d", str(folder)]
    subprocess.run(build, cwd=ROOT, check=True, capture_output=True)
    subprocess.run([sys.executable, "-m", "venv", "--without-pip", str(folder / "venv")], check=True)
    (packages,) = (folder / "venv" / "lib").glob("python*/site-packages")
    for name in needed("open-latch") - {"open-latch"}:
        of = distribution(name)
        for top in {file.parts[0] for file in of.files or () if file.parts[0] not in ("..", "__pycache__")}:
            (packages / top).symlink_to(Path(str(of.locate_file(top))))
    wheel = next(folder.glob("*.whl"))
    install = [sys.executable, "-m", "pip", "--python", str(folder / "venv/bin/python"), "install", "--quiet"]
    flags = ["--no-deps", "--no-index", "--no-compile", "--disable-pip-version-check"]
    subprocess.run([*install, *flags, str(wheel)], check=True)
    return folder / "venv" / "bin"


def test_what_is_installed_has_the_console_and_the_help_in_it(bare: Path) -> None:
    where = subprocess.run(
        [bare / "python", "-c", "import openlatch; print(openlatch.__path__[0])"],
        check=True,
        capture_output=True,
        text=True,
    ).stdout.strip()
    assert Path(where).is_relative_to(bare.parent)
    for page in ("console/index.html", "help/index.html"):
        assert (Path(where) / "web" / page).is_file()


def test_a_package_without_the_console_is_not_made(tmp_path: Path) -> None:
    copy = ["git", "clone", "--quiet", "--no-local", str(ROOT), str(tmp_path / "clone")]
    subprocess.run(copy, check=True)
    build = [sys.executable, "-m", "hatchling", "build", "-d", str(tmp_path)]
    built = subprocess.run(build, cwd=tmp_path / "clone", check=False, capture_output=True, text=True)
    assert "Make it first: make console" in built.stderr
    assert not list(tmp_path.glob("*.whl")) + list(tmp_path.glob("*.tar.gz"))


def test_the_command_line_and_the_client_work_without_a_server(bare: Path) -> None:
    helped = subprocess.run([bare / "openlatch", "--help"], check=True, capture_output=True, text=True).stdout
    assert "End all access of someone who is leaving" in helped
    code = (
        "import sys; from openlatch.client import Client; Client('http://x', 't').close(); print(sorted(sys.modules))"
    )
    loaded = subprocess.run([bare / "python", "-c", code], check=True, capture_output=True, text=True).stdout
    assert not {"flask", "sqlalchemy", "psycopg"} & set(loaded.split("'"))
    for absent in ("flask", "sqlalchemy"):
        assert subprocess.run([bare / "python", "-c", f"import {absent}"], check=False, capture_output=True).returncode


def test_a_command_that_runs_a_service_says_how_to_install_the_rest(bare: Path) -> None:
    said = subprocess.run([bare / "openlatch", "service", "serve"], check=False, capture_output=True, text=True)
    assert said.returncode == 1
    assert "open-latch[service]" in said.stderr
    completing = {"_OPENLATCH_COMPLETE": "bash_complete", "COMP_WORDS": "openlatch ser", "COMP_CWORD": "1"}
    offered = subprocess.run([bare / "openlatch"], check=False, capture_output=True, text=True, env=completing)
    assert (offered.stdout, offered.stderr) == ("plain,service\n", ""), "completing needs nothing that is not installed"
    offline = subprocess.run(
        [bare / "openlatch", "me", "show"], check=False, capture_output=True, text=True, env={"HOME": "/x"}
    )
    assert (offline.returncode, "Nobody is signed in" in offline.stderr) == (3, True)
