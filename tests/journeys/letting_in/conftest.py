"""Letting in and what-if, on a demo of their own: they tell exactly what there is, whatever others have changed."""

from __future__ import annotations

from collections.abc import Iterator

import pytest

from openlatch.local.stack import Stack
from tests.conftest import running_demo


@pytest.fixture(scope="package")
def stack(tmp_path_factory: pytest.TempPathFactory) -> Iterator[Stack]:
    """The demo, as it begins."""
    yield from running_demo(tmp_path_factory)
