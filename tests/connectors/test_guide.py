"""The connectors that the guide builds are complete: they are run as they stand there, with their tests."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path

import pytest

GUIDE = Path(__file__).parents[2] / "docs" / "guide" / "writing-connectors.md"
USE = """
from openlatch.wiring import connectors

found = connectors()
print(*sorted(name for name in found if found[name].__module__ in ("sign_out_sheet", "loan_desk")))
print(found["of-tomorrow"].about.speaks)
try:
    found["of-tomorrow"]({}, "")
except Exception as error:
    print(type(error).__name__, error)
"""


def test_both_connectors_of_the_guide_pass_its_tests_and_are_found_by_their_entry_points(tmp_path: Path) -> None:
    text = GUIDE.read_text()
    blocks = re.findall(r"```python\n# (\w+\.py)\n(.*?)```", text, re.DOTALL)
    assert [name for name, _ in blocks] == [
        "sign_out_sheet.py",
        "test_sign_out_sheet.py",
        "loan_desk.py",
        "test_loan_desk.py",
    ]
    for name, code in blocks:
        (tmp_path / name).write_text(code)
    tomorrow = (tmp_path / "loan_desk.py").read_text().replace("made_for = 1", "made_for = 2")
    (tmp_path / "tomorrow.py").write_text(tomorrow)
    points = re.findall(r"^(?:sign-out-sheet|loan-desk) = .*$", text, re.MULTILINE)
    assert len(points) == 2
    points.append('of-tomorrow = "tomorrow:LoanDesk"')
    installed = tmp_path / "ours-1.dist-info"
    installed.mkdir()
    (installed / "METADATA").write_text("Metadata-Version: 2.1\nName: ours\nVersion: 1\n")
    (installed / "entry_points.txt").write_text(
        "[openlatch.connectors]\n" + "".join(point.replace('"', "") + "\n" for point in points)
    )
    ran = _tested(tmp_path, "-rs")
    assert ran.returncode == 0, ran.stdout + ran.stderr
    skipped = set(re.findall(r"SKIPPED .*: (.*)", ran.stdout))
    assert {text for text in skipped if "DeskTrial" in text} == set()
    assert "its abilities do not give this kind of access" in skipped
    assert int(re.findall(r"(\d+) passed", ran.stdout)[0]) >= 25
    ran = _run(tmp_path, "-c", USE)
    names, speaks, refused = ran.stdout.splitlines()
    assert names == "loan-desk sign-out-sheet", ran.stderr
    why = "is made for version 2 of the interface for connectors, and this Open Latch has 1"
    assert speaks == f"nothing here: it {why}"
    assert refused.startswith(f"Invalid The connector “of-tomorrow” {why}. Nothing was added.")


@pytest.mark.parametrize(
    ("right", "wrong"),
    [
        ('raise ProviderDown(f"{self._file} cannot', 'return []\n            raise ProviderDown(f"{self._file} cannot'),
        ("already=kept == before", "already=False"),
        ("if line != entry]", "if line.partition(':')[0] != entry.partition(':')[0]]"),
        ("for line in dict.fromkeys(self._lines())", "for line in self._lines()"),
        ("lists=frozenset({Kind.DELEGATE}), ends", "lists=frozenset({Kind.GRANT}), ends"),
        ("ObservedEntry(line, key, who,", "ObservedEntry(who, key, who,"),
        ('checked("sign-out-sheet", self.about, settings)', "pass"),
        ("made_for = 1", "made_for = 0"),
        ('self._file.write_text("".join(f"{line}\\n" for line in kept))', "pass"),
    ],
)
def test_a_connector_that_is_wrong_does_not_pass(tmp_path: Path, right: str, wrong: str) -> None:
    blocks = dict(re.findall(r"```python\n# (\w+\.py)\n(.*?)```", GUIDE.read_text(), re.DOTALL))
    code = blocks["sign_out_sheet.py"]
    assert code.count(right) == 1
    (tmp_path / "sign_out_sheet.py").write_text(code.replace(right, wrong))
    (tmp_path / "test_sign_out_sheet.py").write_text(blocks["test_sign_out_sheet.py"])
    ran = _tested(tmp_path)
    assert ran.returncode == 1, ran.stdout
    assert " failed" in ran.stdout


def _tested(folder: Path, *words: str) -> subprocess.CompletedProcess[str]:
    """What pytest says of a folder; it has one of its own for what it makes, and leaves that of this run alone."""
    base = f"--basetemp={folder / 'made'}"
    return _run(folder, "-m", "pytest", "-q", *words, base, "-p", "no:cacheprovider", "-W", "error", str(folder))


def _run(folder: Path, *words: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [sys.executable, *words],
        cwd=folder,
        env={"PYTHONPATH": str(folder), "PATH": "/usr/bin:/bin"},
        capture_output=True,
        text=True,
        check=False,
    )
