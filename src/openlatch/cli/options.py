"""Options that several commands share."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, TypeVar

import click

__all__ = ["at_least_risk", "together"]

F = TypeVar("F", bound=Callable[..., Any])


def together(options: Sequence[Callable[[F], F]]) -> Callable[[F], F]:
    """Return several options as one decorator, in the order in which help shows them."""

    def give(function: F) -> F:
        for option in reversed(options):
            function = option(function)
        return function

    return give


at_least_risk = click.option("--risk", type=click.IntRange(0, 100), default=0, help="Only this risk or more.")
