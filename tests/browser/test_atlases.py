"""Several atlases, the list of steps and UV channels, as a user takes them."""

from __future__ import annotations

import pytest

from tests.browser.pages import bring, command, idle, open_project, stage, task, undo_all
from tests.core.meshes import plain_glb

pytestmark = pytest.mark.browser


def test_objects_move_to_an_atlas_of_their_own_and_back(page):
    undo_all(page)
    stage(page, "Arrange")
    page.locator("[data-row='Fog bell']").click()
    command(page, "new atlas of")
    tabs = page.get_by_role("tablist", name="Atlases").get_by_role("tab")
    page.wait_for_function(
        "document.querySelectorAll('[aria-label=Atlases] [role=tab]').length === 2"
    )
    page.wait_for_function("document.querySelectorAll('[data-row]').length === 1")
    assert tabs.nth(1).get_attribute("aria-selected") == "true"
    assert "props B" in tabs.nth(1).inner_text()
    tabs.nth(1).dblclick()
    page.get_by_label("New name of props B").fill("bell")
    page.keyboard.press("Enter")
    page.get_by_role("tab", name="bell").wait_for()
    tabs.nth(0).click()
    page.locator("[data-row='Signal winch']").wait_for()
    assert page.locator("[data-row='Fog bell']").count() == 0
    page.locator("[data-row='Signal winch']").click()
    command(page, "move to bell")
    page.locator("[data-row='Signal winch']").wait_for(state="detached")
    page.get_by_label("Delete bell").click()
    page.get_by_role("tablist", name="Atlases").wait_for(state="detached")
    stage(page, "Gather")
    task(page).get_by_text("In no atlas").wait_for()
    task(page).get_by_role("button", name="Bring all 2 here").click()
    page.get_by_text("18 objects · 221 islands").wait_for()
    undo_all(page)


def test_steps_are_looked_at_named_and_gone_back_to(page):
    undo_all(page)
    stage(page, "Even out")
    task(page).get_by_role("button", name="Even out").click()
    page.locator("[aria-label=Verdict][aria-busy=false]").wait_for()
    idle(page)
    page.keyboard.press("h")
    steps = page.get_by_role("dialog", name="Steps")
    evened = steps.locator("[data-step='even-out']").first
    evened.wait_for()
    page.wait_for_function(
        "document.querySelector(`[data-step='even-out']`).innerText.includes('128 px/m')"
    )
    assert "to 128 px/m" in evened.inner_text()
    steps.get_by_label("Name the step even out").first.click()
    page.keyboard.type("all even")
    page.keyboard.press("Enter")
    page.wait_for_function(
        "document.querySelector(`[data-step='even-out']`).innerText.includes('all even')"
    )
    steps.get_by_role("list").focus()
    page.keyboard.press("ArrowDown")
    with page.expect_response(
        lambda r: "/history/" in r.url and r.request.method == "POST"
    ) as answer:
        page.keyboard.press("Enter")
    assert answer.value.json()["redo"] == "even-out"
    page.wait_for_function("document.querySelector('[data-step=gather]').ariaCurrent === 'step'")
    page.keyboard.press("Escape")
    page.keyboard.press("Control+Shift+z")
    page.wait_for_function(
        "document.querySelector('[aria-label=Undo]').title.startsWith('Undo even out')"
    )
    undo_all(page)


def test_a_layout_can_be_written_to_another_channel(page):
    undo_all(page)
    stage(page, "Gather")
    written = task(page).get_by_label("Written to")
    written.wait_for()
    page.locator("[data-row='Lantern room']").click()
    task(page).get_by_text("Of the selected object").wait_for()
    options = written.locator("option").all_inner_texts()
    assert options[-1].endswith("(new)"), options
    undo_all(page)


def test_objects_are_laid_out_once_more_for_light(window, address):
    page = window
    open_project(page, address, bring(page, "lit", ("plate.glb", plain_glb())), "gather")
    page.locator("[data-row='Plate']").wait_for()
    page.get_by_label("Size of the tile for light").select_option("256")
    task(page).get_by_role("button", name="Lay out for light").click()
    page.get_by_role("tab", name="light").wait_for()
    page.locator("[data-row='Plate']").wait_for()
    # The usual padding of such a tile is there before anybody says one.
    padding = task(page).get_by_label("Padding")
    padding.wait_for()
    assert padding.input_value() == "2"
    page.get_by_role("tab", name="props A").click()
    page.locator("[data-row='Plate']").wait_for()
    page.keyboard.press("Control+z")
    page.get_by_role("tab", name="light").wait_for(state="detached")
