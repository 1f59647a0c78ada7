"""A newer version of a file is brought in at a press: what is still there keeps its place, the rest is told."""

from __future__ import annotations

import pytest

from tests.browser.pages import ask, open_project, pack_quickly, stage, task, until
from tests.studio.update_samples import obj_file

pytestmark = pytest.mark.browser


def test_a_newer_version_takes_the_place_of_a_file(window, address):
    page = window
    made = ask(page, "/api/projects/", {"name": "again"})
    open_project(page, address, made["id"])
    first = obj_file(("crate", 0, 1), ("bench", 9, 2))
    page.get_by_test_id("files").set_input_files(
        [{"name": "yard.obj", "mimeType": "text/plain", "buffer": first}]
    )
    page.locator("[data-row='bench']").wait_for()
    stage(page, "Arrange")
    pack_quickly(page, 6)
    until(
        page,
        "() => document.querySelector(\"[data-figure='overlaps'] [data-value]\")?.textContent === '0'",
    )
    page.get_by_text("no jobs").wait_for()
    stage(page, "Gather")
    task(page).get_by_role("button", name="Bring a newer yard.obj").click()
    second = obj_file(("crate", 0, 1), ("lamp", 20, 1))
    page.get_by_test_id("newer").set_input_files(
        [{"name": "yard.obj", "mimeType": "text/plain", "buffer": second}]
    )
    news = page.get_by_test_id("brought-again")
    news.get_by_text("New: lamp.").wait_for()
    assert "Gone: bench." in news.inner_text() and "1 object keeps its place." in news.inner_text()
    page.locator("[data-row='lamp']").wait_for()
    assert page.locator("[data-row='bench']").count() == 0
    page.keyboard.press("Control+z")
    page.locator("[data-row='bench']").wait_for()
