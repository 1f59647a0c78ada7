"""How the room is divided: the table comes first, parts fold away, and sizes are remembered."""

from __future__ import annotations

import pytest

from tests.browser.pages import stage

pytestmark = pytest.mark.browser


@pytest.fixture
def fresh(address, chromium):
    """A page of somebody who was never here."""
    context = chromium.new_context(
        viewport={"width": 1280, "height": 800}, reduced_motion="reduce", bypass_csp=True
    )
    page = context.new_page()
    page.goto(address + "/project/1")
    page.wait_for_selector("[data-figure=overlaps]")
    yield page
    context.close()


def size(page, test_id: str) -> tuple[float, float]:
    box = page.get_by_test_id(test_id).bounding_box()
    return box["width"], box["height"]


def test_in_arrange_the_sheet_is_six_hundred_px_high(fresh):
    stage(fresh, "Arrange")
    width, height = size(fresh, "table")
    # What “Whole sheet” leaves of the table for a square sheet and the side table beside it.
    assert min((width - 18) / 1.5, height - 38) >= 600
    assert fresh.get_by_test_id("object-list-strip").is_visible()
    assert size(fresh, "model")[0] < 300
    stage(fresh, "Check")
    assert fresh.get_by_test_id("object-list").is_visible()


def test_parts_fold_away_and_come_back_as_they_were(fresh):
    stage(fresh, "Arrange")
    fresh.get_by_label("Unfold Objects").click()
    fresh.get_by_test_id("object-list").wait_for()
    seam = fresh.get_by_role("separator", name="Height of the object list")
    before = int(seam.get_attribute("aria-valuenow"))
    seam.focus()
    fresh.keyboard.press("Shift+ArrowUp")
    assert int(seam.get_attribute("aria-valuenow")) == before + 40
    fresh.get_by_label("Dock the model").click()
    edge = fresh.get_by_role("separator", name="Width of the model").bounding_box()
    fresh.mouse.move(edge["x"] + 5, edge["y"] + 200)
    fresh.mouse.down()
    fresh.mouse.move(edge["x"] - 95, edge["y"] + 200, steps=4)
    fresh.mouse.up()
    assert size(fresh, "model")[0] == pytest.approx(430, abs=4)
    fresh.get_by_label("Fold the panel away").click()
    fresh.get_by_label("Unfold the panel: Arrange").wait_for()
    fresh.reload()
    fresh.wait_for_selector("[data-figure=overlaps]")
    stage(fresh, "Arrange")
    assert size(fresh, "model")[0] == pytest.approx(430, abs=4)
    assert fresh.get_by_label("Unfold the panel: Arrange").is_visible()
    stage(fresh, "Even out")
    assert fresh.locator("section[aria-label=Task]").is_visible(), "the other stages keep their own"


def test_one_key_gives_the_table_everything(fresh):
    stage(fresh, "Arrange")
    before = size(fresh, "table")
    fresh.get_by_test_id("table").focus()
    fresh.keyboard.press("t")
    fresh.get_by_label("Unfold the panel: Arrange").wait_for()
    assert size(fresh, "table")[0] > before[0] + 180
    fresh.keyboard.press("t")
    fresh.locator("section[aria-label=Task]").wait_for()
    assert size(fresh, "table") == before
