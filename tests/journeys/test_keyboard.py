"""The fifteen journeys by keyboard alone: nothing is clicked, and what is used is reached by tabbing, and seen."""

from __future__ import annotations

import re
from collections.abc import Callable

import pytest
from playwright.sync_api import Page

from openlatch.client import Client
from openlatch.demo.cast import PASSWORD
from openlatch.local.stack import Stack
from openlatch.wire import messages as wire
from tests.journeys.conftest import enter, letter_to
from tests.journeys.fifteen import JOURNEYS, Journey, Scene
from tests.journeys.hands import Keyboard


@pytest.mark.parametrize("journey", JOURNEYS, ids=lambda journey: journey.title)
def test_a_journey_is_made_by_keyboard_alone(
    journey: Journey, page: Page, client: Client, stack: Stack, spare: Callable[[], wire.Entry]
) -> None:
    def letter(address: str, about: str) -> str:
        found = re.search(r"http\S+?(/answer/\S+)", letter_to(stack, address, about))
        assert found is not None
        return found[1]

    scene = Scene(client, spare, letter)
    page.goto(journey.before(scene) if journey.before else journey.begin)
    if journey.who:
        enter(page, journey.who, PASSWORD)
        page.get_by_role("navigation", name="Places").wait_for()
    journey.play(Keyboard(page), scene)
