"""Control over the packer, as a user takes it: locks, bundles, tiles, stacks, drafts, presets."""

from __future__ import annotations

import pytest

from tests.browser.pages import idle, pack_quickly, part, pressed, settled, stage, task, undo

pytestmark = pytest.mark.browser


def test_locks_are_set_from_panel_list_palette_and_table_and_undone(page):
    stage(page, "Arrange")
    row = page.locator("[data-row='Fog bell']")
    row.click()
    part(page, "Islands")
    task(page).get_by_role("button", name="Lock place").click()
    pressed(page, "Lock place of Fog bell")
    page.get_by_label("Lock size of Fog bell").click()
    pressed(page, "Lock size of Fog bell")
    page.keyboard.press("Control+k")
    page.get_by_role("textbox", name="Command").fill("lock rot")
    page.keyboard.press("Enter")
    pressed(page, "Lock rotation of Fog bell")
    box = page.get_by_test_id("table").bounding_box()
    page.keyboard.press("f")
    settled(page)
    page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2, button="right")
    menu = page.get_by_role("menu", name="Islands")
    menu.wait_for()
    assert menu.get_by_role("menuitem").count() > 3
    page.keyboard.press("Escape")
    undo(page, 3)
    pressed(page, "Lock place of Fog bell", False)


def test_a_row_of_the_object_list_has_the_menu_of_its_islands(page):
    stage(page, "Arrange")
    row = page.locator("[data-row='Signal winch']")
    row.click(button="right")
    menu = page.get_by_role("menu", name="Islands")
    menu.wait_for()
    assert "12 selected" in page.get_by_test_id("table").inner_text()
    menu.get_by_role("menuitem", name="Bundle", exact=True).click()
    part(page, "Islands")
    task(page).get_by_role("button", name="Take bundle apart").wait_for()
    row.click(button="right")
    menu.wait_for()
    page.keyboard.press("Escape")
    page.wait_for_function("document.activeElement.dataset.row === 'Signal winch'")
    assert menu.count() == 0
    undo(page)


def test_tiles_are_added_islands_sent_and_packed_there(page):
    stage(page, "Arrange")
    part(page, "Tiles")
    task(page).get_by_role("button", name="Add a tile").click()
    page.wait_for_selector("[data-tile='1002']")
    page.get_by_label("Width of tile 1002").select_option("1024")
    settled(page)
    page.get_by_label("Height of tile 1002").select_option("1024")
    settled(page)
    page.locator("[data-row='Fog bell']").click()
    part(page, "Islands")
    task(page).get_by_role("button", name="Send to tile 1002").click()
    settled(page)
    part(page, "Pack")
    pack_quickly(page, 221)
    part(page, "Tiles")
    page.wait_for_function(
        "(() => { const t = document.querySelector(\"[data-tile='1002']\"); return t && parseInt(t.innerText.match(/(\\d+) islands/)?.[1] ?? '0') >= 15; })()"
    )
    assert page.locator("[data-figure='outside'] [data-value]").inner_text() == "0"
    assert page.locator("[data-figure='overlaps'] [data-value]").inner_text() == "0"
    page.get_by_label("Remove tile 1002").click()
    page.wait_for_selector("[data-tile='1002']", state="detached")
    page.wait_for_function(
        "document.querySelector(\"[data-figure='outside'] [data-value]\").textContent !== '0'"
    )
    undo(page)
    page.wait_for_selector("[data-tile='1002']")
    undo(page, 5)
    page.wait_for_selector("[data-tile='1002']", state="detached")


def test_stacks_are_found_and_made(page):
    stage(page, "Arrange")
    part(page, "Stacks")
    first = task(page).get_by_role("button", name="Stack", exact=True).first
    first.click()
    task(page).get_by_role("button", name="Take off", exact=True).first.wait_for()
    undo(page)
    task(page).get_by_role("button", name="Take off", exact=True).first.wait_for(state="detached")
    shapes = task(page).get_by_role("button", name="Stack", exact=True).count()
    task(page).get_by_role("button", name=f"Stack all {shapes} shapes").click()
    task(page).get_by_role("button", name="Stack", exact=True).first.wait_for(state="detached")
    assert task(page).get_by_role("button", name="Take off", exact=True).count() == shapes
    undo(page)
    task(page).get_by_role("button", name="Take off", exact=True).first.wait_for(state="detached")


def test_drafts_are_compared_laid_over_kept_and_thrown_away(page):
    stage(page, "Arrange")
    part(page, "Pack")
    task(page).get_by_text("quick", exact=True).click()
    head = page.locator("[data-figure='coverage'] [data-value]").inner_text()
    for number in (1, 2):
        task(page).get_by_role("button", name="Pack as draft").click()
        task(page).get_by_role("button", name=f"Drafts ({number})").wait_for()
        idle(page)
    assert page.locator("[data-figure='coverage'] [data-value]").inner_text() == head
    page.get_by_role("button", name="Drafts (2)").click()
    sheet = page.get_by_role("dialog", name="Drafts")
    for box in sheet.get_by_text("compare", exact=True).all():
        box.click()
    sheet.get_by_alt_text("Right draft").wait_for()
    sheet.get_by_role("button", name="Lay over").first.click()
    page.get_by_role("button", name="Take the draft's outlines away").click()
    page.get_by_test_id("table").focus()
    page.keyboard.press("d")
    sheet.get_by_role("button", name="Keep").first.click()
    page.wait_for_function(
        "(before) => document.querySelector(\"[data-figure='coverage'] [data-value]\").textContent !== before",
        arg=head,
    )
    page.get_by_label("Undo").click()
    page.wait_for_function(
        "(before) => document.querySelector(\"[data-figure='coverage'] [data-value]\").textContent === before",
        arg=head,
    )
    page.get_by_test_id("table").focus()
    page.keyboard.press("d")
    sheet.get_by_label("Throw draft").first.click()
    task(page).get_by_role("button", name="Drafts (1)").wait_for()


def test_settings_are_kept_as_a_preset_and_the_plan_is_shown(page):
    stage(page, "Arrange")
    part(page, "Pack")
    task(page).get_by_label("Padding").fill("12")
    task(page).get_by_label("Padding").press("Enter")
    task(page).get_by_label("Save as preset").click()
    task(page).get_by_label("Name of the preset").fill("roomy")
    page.keyboard.press("Enter")
    task(page).get_by_label("Padding").fill("2")
    task(page).get_by_label("Padding").press("Enter")
    task(page).get_by_label("Preset", exact=True).select_option("")
    task(page).get_by_label("Preset", exact=True).select_option("roomy")
    assert task(page).get_by_label("Padding").input_value() == "12"
    part(page, "Plan")
    task(page).get_by_text("4096").wait_for()
    task(page).get_by_text("BC7").first.click()
    assert task(page).get_by_text("MB").first.is_visible()
