"""Weights by what textures hold, proposed on the demo and taken."""

from __future__ import annotations

import re

import pytest

from tests.browser.axe import violations
from tests.browser.pages import stage, task

pytestmark = pytest.mark.browser


def test_proposed_weights_are_taken_in_one_step_and_given_back(page):
    stage(page, "Even out")
    panel = task(page)
    panel.get_by_role("tab", name="Detail").click()
    panel.get_by_role("button", name="Compare textures").click()
    told = page.get_by_test_id("detailed")
    told.get_by_text(re.compile("Painted with .* texels")).wait_for()
    proposed = told.get_by_role("button", name=re.compile("^Accept all"))
    many = proposed.inner_text()
    assert violations(page) == []
    proposed.click()
    told.get_by_text("They have these weights.").wait_for()
    page.keyboard.press("Control+z")
    assert told.get_by_role("button", name=many).inner_text() == many
