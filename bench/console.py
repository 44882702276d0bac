"""P9: what the console fetches before its first useful view, and how smoothly it scrolls through 100,000 rows."""

from __future__ import annotations

import json
import resource
import tempfile
from pathlib import Path
from typing import Any

from playwright.sync_api import Page, sync_playwright

from bench.holder import ADDRESS, PASSWORD, made
from openlatch.local.stack import Stack

__all__ = ["console"]

ROWS = 100_000
FLAGS = ["--no-sandbox", "--disable-gpu"]
# Goes on to the end of what is loaded until everything is.
LOAD = """
(wanted) => new Promise((resolve) => {
  const table = document.querySelector('[role=table]');
  const began = performance.now();
  const step = () => {
    const rows = Number(table.getAttribute('aria-rowcount'));
    if (rows >= wanted) return resolve({ rows, seconds: (performance.now() - began) / 1000 });
    table.scrollTop = rows * 51;
    setTimeout(step, 50);
  };
  step();
})
"""
# Scrolls on in every frame from the middle, and notes how long each frame took.
SCROLL = """
([by, lasts]) => new Promise((resolve) => {
  const table = document.querySelector('[role=table]');
  const frames = [];
  let top = table.scrollHeight / 2;
  let last = performance.now();
  const end = last + lasts;
  const step = (now) => {
    frames.push(now - last);
    last = now;
    if (now > end) return resolve(frames.slice(1));
    table.scrollTop = top += by;
    requestAnimationFrame(step);
  };
  requestAnimationFrame(step);
})
"""


def console() -> str:
    """Measure once: there is no smaller size of which the growth would say anything."""
    with (
        tempfile.TemporaryDirectory(prefix="openlatch-bench-", dir="/tmp") as folder,
        Stack(Path(folder) / "stack", fast=True, seeded=False) as stack,
        sync_playwright() as playwright,
    ):
        Path(folder).chmod(0o711)
        holder = made(stack, ROWS)
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(base_url=stack.url, viewport={"width": 1280, "height": 800})
        fetched = _fetched(page)
        page.goto("/inventory")
        page.wait_for_load_state("networkidle")
        if page.get_by_label("Workspace").is_visible():
            page.get_by_label("Workspace").fill(holder.slug)
        page.get_by_label("Address").fill(ADDRESS)
        page.get_by_label("Password").fill(PASSWORD)
        page.get_by_role("button", name="Sign in").click()
        page.get_by_role("row").nth(5).wait_for()
        page.wait_for_load_state("networkidle")
        before = sum(fetched.values())
        loaded = page.evaluate(LOAD, ROWS)
        reading = page.evaluate(SCROLL, [17, 10_000])
        wheel = page.evaluate(SCROLL, [300, 15_000])
        browser.close()
    return json.dumps(
        {
            "id": "P9",
            "what": "kilobytes before the first useful view; milliseconds of a frame, 99th percentile, while scrolling",
            "first_view_kb": round(before / 1024, 1),
            "reading_p99_ms": _p99(reading),
            "wheel_p99_ms": _p99(wheel),
            "wheel_worst_ms": round(max(wheel), 1),
            "rows": loaded["rows"],
            "loaded_seconds": round(loaded["seconds"], 1),
            "peak_mb": round(resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024),
        }
    )


def _fetched(page: Page) -> dict[str, int]:
    """The bytes of the console's own files as they travel, by request; fonts and data come on top."""
    kinds: dict[str, str] = {}
    sizes: dict[str, int] = {}
    network = page.context.new_cdp_session(page)
    network.send("Network.enable")

    def responded(event: dict[str, Any]) -> None:
        kinds[event["requestId"]] = event["type"]

    def finished(event: dict[str, Any]) -> None:
        if kinds.get(event["requestId"]) in ("Document", "Script", "Stylesheet"):
            sizes[event["requestId"]] = int(event["encodedDataLength"])

    network.on("Network.responseReceived", responded)
    network.on("Network.loadingFinished", finished)
    return sizes


def _p99(frames: list[float]) -> float:
    return round(sorted(frames)[int(len(frames) * 0.99)], 1)
