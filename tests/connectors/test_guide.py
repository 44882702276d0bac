"""The example in the guide “write a connector” is complete: it is run as it stands there, from an entry point."""

from __future__ import annotations

import re
import subprocess
import sys
from pathlib import Path
from uuid import uuid4

from openlatch.core.inventory.reconcile import Held, reconcile
from openlatch.core.providers.observation import complaints
from tests.factories import NOW, PROVIDER, ids

GUIDE = Path(__file__).parents[2] / "docs" / "guide" / "connectors.md"
SHEET = """\
boathouse: Orla Finch <orla.finch@kestrelridge.example>
boathouse: Brightmere Electrical <works@brightmere.example>
mast: Ivo Marsh <ivo.marsh@kestrelridge.example>
"""
USE = """
import json, sys
from openlatch.core.inventory.reconcile import Observation
from openlatch.words import ReadingOutcome
from openlatch.wiring import connectors

sheet = connectors()["sign-out-sheet"]({"file": sys.argv[1]}, "")
(page,) = sheet.pages()
entry = next(e for e in page.entries if "Brightmere" in e.party)
said = [sheet.end(entry.key, entry.party, "1").already, sheet.end(entry.key, entry.party, "1").already]
left = [e.key for e in sheet.look(entry.party).entries]
print(json.dumps([sorted(connectors()), page.total, said, left]))
"""


def block(kind: str) -> str:
    found = re.findall(rf"```{kind}\n(.*?)```", GUIDE.read_text(), re.DOTALL)
    assert len(found) == 1
    return str(found[0])


def test_the_guides_connector_is_found_by_its_entry_point_reads_ends_and_proves(tmp_path: Path) -> None:
    (tmp_path / "sign_out_sheet.py").write_text(block("python"))
    line = re.search(r"^sign-out-sheet = .*$", block("toml"), re.MULTILINE)
    assert line is not None
    installed = tmp_path / "sign_out_sheet-1.dist-info"
    installed.mkdir()
    (installed / "METADATA").write_text("Metadata-Version: 2.1\nName: sign-out-sheet\nVersion: 1\n")
    (installed / "entry_points.txt").write_text(f"[openlatch.connectors]\n{line[0].replace(chr(34), '')}\n")
    sheet = tmp_path / "sheet.txt"
    sheet.write_text(SHEET)
    ran = subprocess.run(
        [sys.executable, "-c", USE, str(sheet)],
        env={"PYTHONPATH": str(tmp_path), "PATH": "/usr/bin:/bin"},
        capture_output=True,
        text=True,
        check=False,
    )
    assert ran.returncode == 0, ran.stderr
    assert ran.stdout.strip().endswith("3, [false, true], []]")
    assert '"sign-out-sheet"' in ran.stdout
    assert sheet.read_text() == SHEET.replace("boathouse: Brightmere Electrical <works@brightmere.example>\n", "")


def test_what_the_guides_connector_sees_can_be_reconciled(tmp_path: Path) -> None:
    made: dict[str, type] = {}
    exec(block("python"), made)
    sheet = tmp_path / "sheet.txt"
    sheet.write_text(SHEET)
    seen = made["SignOutSheet"]({"file": str(sheet)}, str(uuid4())).look("nobody")
    assert complaints(seen) == ()
    assert len(reconcile(Held(PROVIDER), seen, now=NOW, new_id=ids()).new_parties) == 3
