"""Writes what the product is made of as a bill of materials (CycloneDX 1.6, JSON), from the two lock files alone.

python tools/bill.py > bill.json
"""

from __future__ import annotations

import base64
import json
import re
import sys
import tomllib
from collections.abc import Iterator
from pathlib import Path
from typing import Any
from urllib.parse import quote

__all__ = ["bill"]

ROOT = Path(__file__).parents[1]
PYTHON = re.compile(r"^([a-z0-9._-]+)==(\S+)((?:[ ;][^\\]*)?\\?)$", re.IGNORECASE)
HASH = re.compile(r"--hash=sha256:([0-9a-f]{64})")


def _component(kind: str, name: str, version: str, hashes: list[dict[str, str]]) -> dict[str, Any]:
    purl = f"pkg:{kind}/{quote(name, safe='/')}@{version}"
    return {"type": "library", "bom-ref": purl, "name": name, "version": version, "purl": purl, "hashes": hashes}


def _python(lock: str) -> Iterator[dict[str, Any]]:
    """Each package of requirements.lock. Its hashes are those of all files of it that may be installed."""
    for block in re.split(r"\n(?=\S)", lock):
        found = PYTHON.match(block.splitlines()[0]) if block.strip() else None
        if found is not None:
            hashes = [{"alg": "SHA-256", "content": one} for one in HASH.findall(block)]
            yield _component("pypi", found[1], found[2], hashes)


def _console(lock: dict[str, Any]) -> Iterator[dict[str, Any]]:
    """Each package of the console's lock file."""
    for path, package in lock["packages"].items():
        if path:
            kind, _, digest = package.get("integrity", "").partition("-")
            content = base64.b64decode(digest).hex()
            hashes = [{"alg": "SHA-512", "content": content}] if kind == "sha512" else []
            yield _component("npm", path.rpartition("node_modules/")[2], package["version"], hashes)


def bill() -> dict[str, Any]:
    """Return the bill of materials: one component for each package and version, sorted."""
    project = tomllib.loads((ROOT / "pyproject.toml").read_text())["project"]
    every = [
        *_python((ROOT / "requirements.lock").read_text()),
        *_console(json.loads((ROOT / "console" / "package-lock.json").read_text())),
    ]
    return {
        "bomFormat": "CycloneDX",
        "specVersion": "1.6",
        "version": 1,
        "metadata": {
            "component": {"type": "application", "name": project["name"], "version": project.get("version", "0")},
        },
        "components": sorted({one["bom-ref"]: one for one in every}.values(), key=lambda one: one["bom-ref"]),
    }


if __name__ == "__main__":
    json.dump(bill(), sys.stdout, indent=2)
    sys.stdout.write("\n")
