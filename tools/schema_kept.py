"""Keep a demo as this version leaves it, for the tests that later versions are upgraded with: once a release.

Writes tests/store/upgrades/REVISION.sql.xz: what `pg_dump` says of the demo's database, its vault's key before it.
"""

from __future__ import annotations

import lzma
import subprocess
import tempfile
import time
from pathlib import Path

from openlatch.local.postgres import programs
from openlatch.local.stack import Stack

KEPT = Path(__file__).parents[1] / "tests" / "store" / "upgrades"
SETTLED = 25
"""Seconds in which a worker has read everything and looked at it."""


def main() -> None:
    with tempfile.TemporaryDirectory(prefix="openlatch-kept-", dir="/tmp") as folder:
        Path(folder).chmod(0o711)
        with Stack(Path(folder) / "stack", fast=True) as stack:
            time.sleep(SETTLED)
            command = [programs() / "pg_dump", "--no-owner", "--no-privileges", "--no-comments", stack.product_url()]
            dump = subprocess.run(command, check=True, capture_output=True).stdout
            revision, _ = stack.service.store.migrate()
            file = KEPT / f"{revision}.sql.xz"
            file.write_bytes(lzma.compress(f"-- {stack.secret('key')}\n".encode() + dump, preset=9))


if __name__ == "__main__":
    main()
