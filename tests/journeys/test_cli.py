"""The command line as people type it and as programs read it."""

from __future__ import annotations

import json
import re
import shlex
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest

from openlatch.demo.cast import DOMAIN, PASSWORD
from openlatch.local.stack import Stack
from openlatch.wire import messages as wire
from tests.journeys.conftest import Terminal

ROOT = Path(__file__).parents[2]
Spare = Callable[[], wire.Entry]


def test_the_examples_of_the_readme_and_the_guide_work_as_they_stand(
    stack: Stack, run: Terminal, spare: Spare, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.chdir(tmp_path)  # examples write files
    sign_in = ("--address", f"maren.ashdown@{DOMAIN}", "--password", PASSWORD)
    for page in ("README.md", "docs/guide/start.md", "docs/guide/api.md"):
        text = (ROOT / page).read_text().replace("7Q4K-BRM2", spare().ref).replace("http://127.0.0.1:8480", stack.url)
        for line in re.findall(r"^\$ openlatch (.*)$", text, re.MULTILINE):
            words = shlex.split(line)
            assert run(*words, *(sign_in[2:] if words[0] == "sign-in" else ()))
        kept = json.loads(run.kept.read_text())
        ended = re.findall(r'end\("([^"]+)"', text)
        again = text.replace(ended[0], spare().ref) if ended else text
        for code in re.findall(r"^```python\n(.*?)^```", again, re.MULTILINE | re.DOTALL):
            names = {"server": kept["server"], "token": kept["token"]}
            # A thread of its own, as a program has: in that of the tests a browser may be driven already.
            with ThreadPoolExecutor(1) as program:
                program.submit(exec, code, names).result()
