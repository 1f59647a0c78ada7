"""The whole path, as a user walks it: look, even out, pack, look again, take out."""

from __future__ import annotations

import io
import zipfile

import pytest

from quilt_core.formats import read_scene
from quilt_core.measure import measure
from quilt_core.scene import concatenate, island_set
from quilt_core.scene.placement import identity
from tests.browser.pages import (
    ask,
    changed,
    dock_model,
    figure,
    pack_quickly,
    poll,
    settled,
    stage,
    task,
    undo_all,
)
from tests.core.meshes import QUAD_OBJ

pytestmark = pytest.mark.browser


def test_the_whole_path_on_the_demo(page):
    overlaps = figure(page, "overlaps")
    assert int(overlaps) > 100

    stage(page, "Even out")
    before = figure(page, "density")
    task(page).get_by_role("button", name="Even out").click()
    assert changed(page, "density", before) == "128 – 128"
    spread = float(figure(page, "coverage"))

    stage(page, "Arrange")
    overlaps = figure(page, "overlaps")
    assert int(overlaps) > 0
    pack_quickly(page, 221)
    assert changed(page, "overlaps", overlaps) == "0"
    packed = float(figure(page, "coverage"))
    assert packed > spread
    assert float(figure(page, "smallest gap")) >= 8.0
    assert figure(page, "outside") == "0"

    page.get_by_label("Undo").click()
    changed(page, "overlaps", "0")
    assert float(figure(page, "coverage")) == spread
    page.keyboard.press("Control+Shift+Z")
    changed(page, "overlaps", overlaps)
    assert float(figure(page, "coverage")) == packed

    stage(page, "Hand off")
    # The demo is painted: its textures are of the layouts that the files came with.
    told = page.get_by_test_id("handed-textures")
    told.get_by_text("objects are painted for another layout").wait_for()
    assert task(page).get_by_role("button", name="Export all as zip").is_disabled()
    with page.expect_download() as waiting:
        told.get_by_role("button", name="Layout only").click()
    archive = zipfile.ZipFile(waiting.value.path())
    scenes = [
        read_scene(name, archive.read(name)) for name in ("lighthouse.glb", "yard.obj", "lamps.glb")
    ]
    sets = [island_set(o, 0, 1.0) for scene in scenes for o in scene.objects]
    islands = concatenate(sets)
    figures = measure(islands, identity(islands.count), 2048, 2048)
    assert islands.count == 221
    assert len(figures.overlaps.pairs) == 0
    assert figures.gap.pixels >= 8 - 1e-3
    assert 100 * figures.coverage == pytest.approx(packed, abs=0.06)
    assert {"layout.1001.png", "layout.1001.svg", "yard.mtl", "wood_colour.png"} <= set(
        archive.namelist()
    )


def test_picking_is_one_selection_in_list_table_and_model(page):
    row = page.locator("[data-row='Tower wall']")
    row.click()
    assert row.get_attribute("aria-selected") == "true"
    assert "13 selected" in page.get_by_test_id("table").inner_text()
    page.keyboard.press("Escape")
    assert row.get_attribute("aria-selected") == "false"
    dock_model(page)
    box = page.get_by_test_id("model").bounding_box()
    page.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] * 0.55)
    page.wait_for_function(
        "document.querySelector('[data-testid=table]').innerText.includes('1 selected')"
    )
    page.get_by_label("Find an object").fill("lamp")
    assert page.locator("[data-row]").count() == 2


def test_views_theme_help_and_the_house_density_by_keyboard(page):
    page.get_by_label("View as").select_option("density")
    assert "px/m" in page.locator("[data-legend]").inner_text()
    slider = page.get_by_role("slider", name="House density")
    slider.focus()
    before = slider.get_attribute("aria-valuetext")
    page.keyboard.press("ArrowRight")
    assert slider.get_attribute("aria-valuetext") != before
    page.keyboard.press("ArrowLeft")
    page.get_by_label("Night theme").click()
    assert "dark" in page.evaluate("document.documentElement.className")
    page.get_by_label("Paper theme").click()
    page.locator("body").press("?")
    assert page.get_by_role("dialog").get_by_text("Undo").is_visible()


def test_a_new_project_bad_files_and_good_ones(page):
    page.get_by_title("All projects").click()
    page.get_by_label("Name of a new project").fill("Pier")
    page.get_by_role("button", name="Create").click()
    # One place for files, and nothing else.
    page.get_by_role("heading", name="Drop meshes here").wait_for()
    assert page.get_by_role("toolbar", name="Verdict").count() == 0
    page.get_by_role("link", name="Open the example project").wait_for()
    page.get_by_test_id("files").set_input_files(
        {"name": "bad.obj", "mimeType": "text/plain", "buffer": b"v 0 0 0\nf 1 2 3\n"}
    )
    alert = page.get_by_role("alert")
    alert.get_by_text("asks for vertex 2").wait_for()
    assert "bad.obj, line 2" in alert.inner_text()
    assert page.get_by_role("heading", name="Drop meshes here").is_visible()
    page.get_by_label("Close this message").click()
    body = io.BytesIO()
    with zipfile.ZipFile(body, "w") as archive:
        archive.writestr("props.obj", QUAD_OBJ)
    page.get_by_test_id("files").set_input_files(
        {"name": "props.zip", "mimeType": "application/zip", "buffer": body.getvalue()}
    )
    page.locator("[data-row='Left plate']").wait_for()
    page.locator("[aria-label=Verdict][aria-busy=false]").wait_for()
    assert figure(page, "overlaps") == "2"


def test_a_pack_can_be_stopped_and_its_best_is_kept(page):
    undo_all(page)
    page.wait_for_function(
        "document.querySelector(`[data-figure='overlaps'] [data-value]`)?.textContent === '218'"
    )
    stage(page, "Even out")
    before = figure(page, "density")
    task(page).get_by_text("average").first.click()
    task(page).get_by_role("button", name="Even out").click()
    changed(page, "density", before)
    stage(page, "Arrange")
    task(page).get_by_text("thorough").click()
    overlaps = figure(page, "overlaps")
    task(page).get_by_role("button", name="Pack 221 islands").click()
    page.get_by_text("% full ·").first.wait_for()
    task(page).get_by_role("button", name="Stop, keep the best").click()
    assert changed(page, "overlaps", overlaps) == "0"
    task(page).get_by_role("button", name="Pack 221 islands").wait_for()
    assert task(page).get_by_label("Padding").input_value() == "16"


def test_the_verdict_leads_to_offenders_one_by_one(page):
    page.locator("[data-figure='mirrored']").click()
    page.wait_for_function(
        "document.querySelector('[data-testid=table]').innerText.includes('1 selected')"
    )
    page.locator("[data-figure='no UVs']").click()
    assert page.locator("[data-row]").count() == 1
    assert page.locator("[data-row='Mooring stone']").inner_text().count("left out") == 1
    page.locator("[data-figure='no UVs']").click()
    assert page.locator("[data-row]").count() > 3


def test_the_object_list_by_keyboard(page):
    row = page.locator("[data-row='Tower wall']")
    row.focus()
    page.keyboard.press("ArrowRight")
    page.locator("[data-row='TO·1']").wait_for()
    page.keyboard.press("ArrowDown")
    page.keyboard.press("Space")
    assert page.locator("[data-row='TO·1']").get_attribute("aria-selected") == "true"
    page.keyboard.press("Control+a")
    page.wait_for_function(
        "document.querySelector('[data-testid=table]').innerText.includes('221 selected')"
    )
    page.keyboard.press("Control+i")
    page.wait_for_function(
        "!document.querySelector('[data-testid=table]').innerText.includes('selected')"
    )
    page.keyboard.press("Alt+6")
    task(page).get_by_role("tab", name="Findings").wait_for()


def test_bad_settings_in_fields_are_not_taken(page):
    stage(page, "Arrange")
    field = task(page).get_by_label("Padding")
    for text in ("-3", "many", ""):
        field.fill(text)
        field.press("Enter")
        assert field.input_value() == "16", "as is usual at 2048"
    width = task(page).get_by_label("Tile width")
    width.fill("9")
    width.press("Enter")
    assert width.input_value() == "2048"


def test_the_page_works_under_its_own_policy(address, chromium):
    """The other tests bypass the policy, as waiting by evaluated strings needs it out of the
    way."""
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
    page = context.new_page()
    said: list[str] = []
    page.on("console", lambda message: said.append(message.text))
    page.on("pageerror", lambda error: said.append(str(error)))
    page.goto(address + "/project/1")
    page.wait_for_selector("[data-figure=overlaps]")
    page.get_by_label("View as").select_option("checker")
    page.get_by_role("button", name="Whole table").click()
    settled(page)
    context.close()
    assert [text for text in said if "Content Security Policy" in text or "violates" in text] == []


def test_after_a_pack_the_slip_says_what_sets_the_density(page):
    stage(page, "Arrange")
    step = ask(page, "/api/projects/1/history/")["head"]
    pack_quickly(page, 221)
    # Asked before the pack has made its step it would be about the layout before.
    poll(
        page, lambda: ask(page, "/api/projects/1/history/")["head"], lambda head: head != step, "packed"
    )  # fmt: skip
    task(page).get_by_role("button", name="What limits the density?").click()
    told = task(page).locator("[data-limit]")
    told.locator("[data-fix]").first.wait_for()
    assert "What limits the density" in told.inner_text()
    assert "px/m" in told.locator("[data-fix]").first.inner_text()
    told.locator("[data-fix='padding']").get_by_role("button", name="Set").click()
    assert task(page).get_by_label("Padding").input_value() == "8"
    page.get_by_label("Undo").click()
