"""A loop of its own for what is awaited, in a test that is not."""

from __future__ import annotations

import asyncio
from collections.abc import Coroutine
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

__all__ = ["awaited"]

T = TypeVar("T")


def awaited(doing: Coroutine[Any, Any, T]) -> T:
    """Return what it comes to. It runs in a thread, since a browser of an earlier test keeps its loop in this one."""
    with ThreadPoolExecutor(1) as thread:
        return thread.submit(asyncio.run, doing).result()
