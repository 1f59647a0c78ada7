"""Carry over: five painted files are dropped, the plan is read, textures come to the sheet and the model,
the wipe shows both, the files are read back."""

from __future__ import annotations

import io
import json
import struct
import zipfile

import numpy as np
import pytest
from PIL import Image

from tests.browser.pages import bring, open_project, pack_quickly, stage, task, until
from tests.core.painted import plain_device, png

pytestmark = pytest.mark.browser


@pytest.fixture
def painted(window, address):
    """A page with five painted files on one packed sheet."""
    page = window
    files = [(f"dev{k}.glb", plain_device(10 * k + 1, 64, 3)) for k in range(5)]
    made = bring(page, "painted", *files)
    open_project(page, address, made, "arrange")
    page.locator("[data-row='Device 41']").wait_for()
    pack_quickly(page, 15)
    page.locator("[data-figure='side table']").wait_for(state="detached")
    until(
        page,
        "() => document.querySelector(\"[data-figure='overlaps'] [data-value]\")?.textContent === '0'",
    )
    stage(page, "Merge")
    return page


def test_textures_are_merged_looked_at_and_handed_on(painted, tmp_path):
    page = painted
    shelf = page.get_by_test_id("shelf")
    shelf.get_by_text("Device 21", exact=True).wait_for()
    assert shelf.get_by_role("listitem").count() == 5
    # Four textures each today; occlusion, roughness and metal stay one.
    today = page.get_by_test_id("today").inner_text()
    assert "textures\t20\t4" in today and "materials\t5\t1" in today
    task(page).get_by_label("Textures").select_option("1024")
    until(
        page, "() => document.querySelector(\"[data-testid='today']\").innerText.includes('4.2 M')"
    )
    task(page).get_by_role("button", name="Preview at 512").click()
    page.get_by_test_id("merged").wait_for()
    assert task(page).get_by_role("button", name="Hand off …").count() == 0
    task(page).get_by_role("button", name="Merge", exact=True).click()
    task(page).get_by_role("button", name="Hand off …").wait_for()
    figures = page.get_by_test_id("carried-figures")
    assert "1024 × 1024 px" in figures.inner_text()
    page.get_by_role("radio", name="normal").click()
    image = page.get_by_test_id("merged").locator("img")
    assert "atlas_normal.png" in image.get_attribute("src")
    until(page, '() => document.querySelector("[data-testid=merged] img").naturalWidth === 1024')
    wipe = page.get_by_role("slider", name="Wipe between the merged texture and the islands")
    wipe.focus()
    for _ in range(10):
        page.keyboard.press("ArrowLeft")
    assert wipe.get_attribute("aria-valuenow") == "50"
    path = _handed_off(page, tmp_path)
    with zipfile.ZipFile(path) as archive:
        assert "textures/atlas_baseColor.png" in archive.namelist()
        pixels = np.asarray(Image.open(io.BytesIO(archive.read("textures/atlas_baseColor.png"))))
        assert pixels.shape == (1024, 1024, 3) and pixels.std() > 10
        for k in range(5):
            data = archive.read(f"dev{k}.glb")
            length = struct.unpack_from("<I", data, 12)[0]
            doc = json.loads(data[20 : 20 + length])
            assert [m["name"] for m in doc["materials"]] == ["atlas"]
            assert {i["uri"] for i in doc["images"]} <= {f"textures/{n}" for n in _names(archive)}
    # After the layout has changed the textures say that they are of another one.
    stage(page, "Merge")
    page.get_by_label("Undo").click()
    page.get_by_text("the layout has changed since").wait_for()


def _names(archive):
    return [n.removeprefix("textures/") for n in archive.namelist() if n.startswith("textures/")]


def test_textures_are_given_written_and_compared(painted, tmp_path):
    page = painted
    shelf = page.get_by_test_id("shelf")
    shelf.get_by_role("button", name="Textures of Paint").first.click()
    # The normal map shows a height instead, and comes back as it came.
    roles = shelf.get_by_role("listitem").first.get_by_role("combobox")
    assert roles.count() == 5
    normal = next(r for r in roles.all() if r.input_value() == "normal")
    normal.select_option("height")
    until(page, "() => [...document.querySelectorAll('[data-testid=shelf] select')].some((s) => s.value === 'height')")  # fmt: skip
    shelf.get_by_role("button", name="Textures as they came").click()
    until(page, "() => ![...document.querySelectorAll('[data-testid=shelf] select')].some((s) => s.value === 'height')")  # fmt: skip
    task(page).get_by_role("button", name="Names, formats, profile").click()
    task(page).get_by_role("button", name="Edit profiles …").click()
    dialog = page.get_by_test_id("profiles")
    dialog.get_by_label("Name of texture 1").fill("a b")
    dialog.get_by_text("Give each texture a name of its own").wait_for()
    dialog.get_by_label("Name of texture 1").fill("mix")
    dialog.get_by_label("red of mix").select_option("smoothness")
    dialog.get_by_role("button", name="Take emission out").click()
    dialog.get_by_label("Name", exact=True).fill("quay")
    dialog.get_by_role("button", name="Save and use").click()
    dialog.wait_for(state="detached")
    assert task(page).get_by_label("Also as").input_value() == "quay"
    task(page).get_by_label("Textures").select_option("512")
    task(page).get_by_role("button", name="Merge", exact=True).click()
    task(page).get_by_role("button", name="Hand off …").wait_for()
    assert "3 more in the folder “quay”" in page.get_by_test_id("carried-figures").inner_text()
    page.get_by_role("radio", name="difference").click()
    page.get_by_text("of 255 steps in the middle").wait_for()
    wipe = page.get_by_role("slider", name="Wipe on the model")
    wipe.focus()
    for _ in range(6):
        page.keyboard.press("ArrowRight")
    assert wipe.get_attribute("aria-valuenow") == "30"
    page.get_by_test_id("paint-wipe").get_by_text("as painted").wait_for()
    with zipfile.ZipFile(_handed_off(page, tmp_path)) as archive:
        names = {n for n in archive.namelist() if n.startswith("textures/quay/")}
        assert names == {f"textures/quay/atlas_{role}.png" for role in ("mix", "normal", "orm")}


def test_picture_sets_are_drawn_and_a_picture_lies_behind(painted, tmp_path):
    page = painted
    stage(page, "Hand off")
    part = page.get_by_test_id("texture-set")
    part.get_by_text("ids, one flat colour each").click()
    part.get_by_label("Separate by").select_option("island")
    part.get_by_role("button", name="Draw").click()
    link = part.get_by_role("link", name="2 as zip")
    link.wait_for()
    with page.expect_download() as coming:
        link.click()
    coming.value.save_as(tmp_path / "set.zip")
    with zipfile.ZipFile(tmp_path / "set.zip") as archive:
        assert sorted(archive.namelist()) == ["set_id.png", "set_layers.ora"]
        ids = np.asarray(Image.open(io.BytesIO(archive.read("set_id.png"))))
    assert len(np.unique(ids[ids[..., 3] > 0], axis=0)) == 15
    stage(page, "Arrange")
    task(page).get_by_role("tab", name="Tiles").click()
    page.get_by_label("Image behind tile 1001").set_input_files(
        {"name": "labels.png", "mimeType": "image/png", "buffer": png(np.full((64, 64, 3), 90, np.uint8))}
    )  # fmt: skip
    pixels = page.get_by_test_id("tile-image")
    pixels.wait_for()
    page.get_by_label("How strong the image behind tile 1001 is").select_option("0.2")
    until(page, "() => document.querySelector(\"[data-testid='tile-image']\").style.opacity === '0.2'")  # fmt: skip
    page.get_by_role("button", name="Take the image behind tile 1001 away").click()
    pixels.wait_for(state="detached")


def test_objects_are_dragged_between_atlases_in_the_plan(painted):
    page = painted
    task(page).get_by_role("button", name="Shared textures").click()
    plan = page.get_by_test_id("share-plan")
    column = plan.get_by_test_id("plan-column")
    column.get_by_text("Device 21").wait_for()
    # A quick pack tells how full the sheet would be.
    column.get_by_text("5 → 1").first.wait_for()
    column.get_by_text("packing …").wait_for(state="detached")
    assert "materials\n\n5 → 1" in column.inner_text()
    plan.get_by_role("button", name="Atlas", exact=True).click()
    column.nth(0).get_by_role("button", name="Device 21").drag_to(column.nth(1))
    column.nth(1).get_by_text("Device 21").wait_for()
    # By keyboard: an arrow moves it on.
    column.nth(0).get_by_role("button", name="Device 31").press("ArrowRight")
    until(page, "() => document.querySelectorAll(\"[data-testid='plan-column']\")[1].innerText.includes('2 → 1')")  # fmt: skip
    assert "20 → 8 textures" in plan.get_by_test_id("plan-together").inner_text()
    column.nth(1).get_by_label("Name of the atlas").fill("Far side")
    plan.get_by_role("button", name="Share out like this").click()
    plan.wait_for(state="detached")
    page.get_by_role("tab", name="Far side").or_(page.get_by_text("Far side")).first.wait_for()
    page.keyboard.press("Control+z")
    page.get_by_text("Far side").wait_for(state="detached")


def _handed_off(page, folder):
    """The zip of Hand off, which has the merged textures."""
    task(page).get_by_role("button", name="Hand off …").click()
    page.get_by_test_id("handed-textures").get_by_text("merged textures of").wait_for()
    with page.expect_download() as coming:
        task(page).get_by_role("button", name="Export all as zip").click()
    coming.value.save_as(folder / "handed-off.zip")
    return folder / "handed-off.zip"
