"""start: CPU seconds of starting the command line and the service, against importing what they are made of."""

from __future__ import annotations

import json
import os
import resource
import subprocess
import sys
import tempfile
from collections.abc import Mapping, Sequence
from pathlib import Path

from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.demo.seed import SLUG
from openlatch.local.stack import Stack

__all__ = ["start"]

ROUNDS = 9
CLIENT = "import click, httpx, pydantic"
SERVER = "import flask, sqlalchemy"


def start() -> str:
    """Measure in turns, so that a slow moment of the machine hits all; the least of each counts."""
    with tempfile.TemporaryDirectory() as folder:
        home = Path(folder)
        home.chmod(0o711)
        environment = os.environ | {"OPENLATCH_SIGN_IN": str(home / "sign-in.json")}
        environment.pop("PYTHONDONTWRITEBYTECODE", None)
        with Stack(home / "stack", fast=True) as stack:
            line = [sys.executable, "-m", "openlatch.cli"]
            who = ["--workspace", SLUG, "--address", f"maren.ashdown@{DOMAIN}", "--password", PASSWORD]
            _run([*line, "sign-in", stack.url, *who], environment)
            commands = {
                "client libraries": [sys.executable, "-c", CLIENT],
                "version": [*line, "--version"],
                "inventory": [*line, "inventory", "--limit", "20"],
                "server libraries": [sys.executable, "-c", SERVER],
                "wiring": [sys.executable, "-c", "import openlatch.wiring"],
            }
            seconds = dict.fromkeys(commands, float("inf"))
            for _ in range(ROUNDS):
                for name, command in commands.items():
                    seconds[name] = min(seconds[name], _run(command, environment))
    least = {name: round(found, 3) for name, found in seconds.items()}
    ratios = {
        "version": round(seconds["version"] / seconds["client libraries"], 2),
        "inventory": round(seconds["inventory"] / seconds["client libraries"], 2),
        "wiring": round(seconds["wiring"] / seconds["server libraries"], 2),
    }
    what = "CPU seconds of a command, and of what it is made of"
    return json.dumps({"id": "start", "what": what, "ratio": ratios["version"], "ratios": ratios, "seconds": least})


def _run(command: Sequence[str], environment: Mapping[str, str]) -> float:
    """CPU seconds of one process."""
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    subprocess.run(command, env=environment, check=True, stdout=subprocess.DEVNULL, stdin=subprocess.DEVNULL)
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime
