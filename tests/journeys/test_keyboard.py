"""The fifteen journeys by keyboard alone: nothing is clicked, and what is used is reached by tabbing, and seen."""

from __future__ import annotations

from collections.abc import Callable
from functools import partial

import pytest
from playwright.sync_api import Page

from openlatch.client import Client
from openlatch.demo.cast import PASSWORD
from openlatch.local.stack import Stack
from openlatch.wire import messages as wire
from tests.journeys.conftest import answer_path, enter
from tests.journeys.fifteen import JOURNEYS, Journey, Scene
from tests.journeys.hands import Keyboard


@pytest.mark.parametrize("journey", JOURNEYS, ids=lambda journey: journey.title)
def test_a_journey_is_made_by_keyboard_alone(
    journey: Journey, page: Page, client: Client, stack: Stack, spare: Callable[[], wire.Entry]
) -> None:
    scene = Scene(client, spare, partial(answer_path, stack))
    page.goto(journey.before(scene) if journey.before else journey.begin)
    if journey.who:
        enter(page, journey.who, PASSWORD)
        page.get_by_role("navigation", name="Places").wait_for()
    journey.play(Keyboard(page), scene)
