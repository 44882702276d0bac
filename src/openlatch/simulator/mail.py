"""A mail server that keeps what it is handed, and misbehaves on demand: python -m openlatch.simulator.mail FOLDER PORT.

Every mail becomes a file in the folder, named by when it came. A file `faults.json` there can hold `busy` (true: it
asks to be tried again later), `refuse` (a list of addresses that it knows nothing of) and `lose` (true: it takes a
mail, and the line breaks before it says so).
"""

from __future__ import annotations

import argparse
import asyncio
import contextlib
import itertools
import json
from pathlib import Path
from typing import Any

from aiosmtpd.smtp import SMTP

__all__ = ["Mailroom", "main"]


class Mailroom:
    """What the server does with a mail."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        folder.mkdir(parents=True, exist_ok=True)
        self._numbers = itertools.count(len(list(folder.glob("*.eml"))) + 1)

    def _faults(self) -> dict[str, Any]:
        file = self._folder / "faults.json"
        document: dict[str, Any] = json.loads(file.read_text()) if file.exists() else {}
        return document

    async def handle_RCPT(  # noqa: N802 - the library's name
        self, server: SMTP, session: Any, envelope: Any, address: str, options: list[str]
    ) -> str:
        """Take a receiver, unless told not to."""
        if address in self._faults().get("refuse", []):
            return "550 5.1.1 nobody of that name"
        envelope.rcpt_tos.append(address)
        return "250 OK"

    async def handle_DATA(self, server: SMTP, session: Any, envelope: Any) -> str:  # noqa: N802
        """Keep a mail, unless told not to."""
        faults = self._faults()
        if faults.get("busy"):
            return "451 4.3.2 try again later"
        number = next(self._numbers)
        half = self._folder / f"{number:05d}.half"
        half.write_bytes(envelope.content)
        half.rename(half.with_suffix(".eml"))
        if faults.get("lose"):
            server.transport.abort()  # type: ignore[union-attr]
        return "250 OK"


async def _serve(folder: Path, port: int) -> None:
    room = Mailroom(folder)
    loop = asyncio.get_running_loop()
    server = await loop.create_server(lambda: SMTP(room, enable_SMTPUTF8=True, hostname="mail"), "127.0.0.1", port)
    async with server:
        await server.serve_forever()


def main() -> None:
    """Run until ended."""
    parser = argparse.ArgumentParser(prog="openlatch.simulator.mail", description="Keeps what it is handed.")
    parser.add_argument("folder", type=Path)
    parser.add_argument("port", type=int)
    given = parser.parse_args()
    with contextlib.suppress(KeyboardInterrupt):
        asyncio.run(_serve(given.folder, given.port))


if __name__ == "__main__":
    main()
