"""The rehearsal: a coarse and a fine plate are dropped, their maps come to the sheet and the model, a fault leads to its spot."""

from __future__ import annotations

import numpy as np
import pytest

from tests.browser.pages import ask, open_project, stage, task, until
from tests.core.bake_findings_samples import glb
from tests.core.high_poly import each_apart, plane, surface
from tests.core.visibility_samples import box

pytestmark = pytest.mark.browser


@pytest.fixture
def plates(window, address):
    page = window
    made = ask(page, "/api/projects/", {"name": "plates"})
    open_project(page, address, made["id"])
    fine = plane(30, lambda x, y: 0.01 * np.sin(20 * x))
    low = {
        "name": "low.glb",
        "mimeType": "model/gltf-binary",
        "buffer": glb(**{"Plate, low": plane(2)}),
    }
    high = {"name": "high.glb", "mimeType": "model/gltf-binary", "buffer": glb(**{"Plate, high": surface(fine.points, uv=fine.uv * 0.1 + 3)})}  # fmt: skip
    page.get_by_test_id("files").set_input_files([low, high])
    page.locator("[data-row='Plate, low']").wait_for()
    stage(page, "Check")
    task(page).get_by_role("tab", name="Test bake").click()
    return page


def test_a_test_bake_is_looked_at_and_its_faults_are_walked(plates):
    page = plates
    panel = task(page)
    panel.get_by_label("Size").select_option("512")
    # Rays that are too short for the wave: a fault to walk to.
    reach = panel.get_by_label("Ray distance")
    reach.fill("0.004")
    reach.press("Enter")
    panel.get_by_text("curvature", exact=True).click()
    panel.get_by_role("button", name="Test bake").click()
    facts = page.get_by_test_id("baked")
    facts.wait_for()
    assert "Plate, high onto Plate, low" in facts.inner_text()
    page.get_by_alt_text("normal map").wait_for()
    maps = page.get_by_test_id("maps")
    maps.get_by_role("radio", name="curvature").click()
    page.get_by_alt_text("curvature map").wait_for()
    assert "black" in facts.inner_text()
    # The light turns, and the model is drawn anew.
    light = page.get_by_test_id("look-at-maps").get_by_role("slider", name="Light from")
    light.focus()
    light.press("ArrowRight")
    until(
        page,
        "() => document.querySelector(\"[data-testid='look-at-maps']\").innerText.includes('45°')",
    )
    # The fine mesh stands left of the wipe; the difference of both is an image of its own.
    page.get_by_test_id("look-at-maps").get_by_text("Left of it the high poly mesh").click()
    page.get_by_test_id("look-at-maps").get_by_text("left 50 %").wait_for()
    maps.get_by_role("radio", name="difference").click()
    page.get_by_alt_text("difference map").wait_for()
    assert "Off from the high poly mesh by" in facts.inner_text()
    with page.expect_download() as waiting:
        facts.get_by_role("link", name="Maps as zip").click()
    assert waiting.value.suggested_filename.endswith(".zip")
    facts.get_by_role("button", name="in the list").click()
    row = page.locator("[data-kind='missed rays']")
    row.get_by_role("button").first.click()
    page.locator("[data-finding]").get_by_text("would do").wait_for()


def test_the_ray_distance_is_painted(plates):
    page = plates
    panel = task(page)
    panel.get_by_role("button", name="Paint the ray distance").click()
    sheet = page.get_by_test_id("paint-distances")
    box = sheet.bounding_box()
    with page.expect_response(lambda answer: "purpose=reach" in answer.url and answer.request.method == "POST"):  # fmt: skip
        page.mouse.move(box["x"] + 20, box["y"] + 20)
        page.mouse.down()
        page.mouse.move(box["x"] + 120, box["y"] + 80, steps=4)
        page.mouse.up()
    panel.get_by_text("One tile is painted.").wait_for()
    # Without a pick there is nothing to fill, and that is said; with one its texels are as dark as was asked for.
    panel.get_by_role("button", name="Fill the selected islands").click()
    page.get_by_text("Nothing is selected to be filled.").wait_for()
    page.locator("[data-row='Plate, low']").click()
    with page.expect_response(lambda answer: "purpose=reach" in answer.url and answer.request.method == "POST"):  # fmt: skip
        panel.get_by_role("button", name="Fill the selected islands").click()
    grey = sheet.locator("canvas").evaluate("c => c.getContext('2d').getImageData(c.width / 2, c.height / 2, 1, 1).data[0]")  # fmt: skip
    assert grey == 64
    panel.get_by_role("button", name="Take the painting away").click()
    panel.get_by_text("One tile is painted.").wait_for(state="detached")


def test_what_is_never_visible_gets_less_weight_when_that_is_accepted(window, address):
    page = window
    made = ask(page, "/api/projects/", {"name": "crate"})
    open_project(page, address, made["id"])
    outer, inner = box()[0], box(0.5)[0]
    uv = each_apart(outer)
    crate = glb(Crate=surface(outer, uv=uv), Kernel=surface(inner, uv=uv + 1))
    page.get_by_test_id("files").set_input_files(
        [{"name": "crate.glb", "mimeType": "model/gltf-binary", "buffer": crate}]
    )
    page.locator("[data-row='Kernel']").wait_for()
    stage(page, "Even out")
    panel = task(page)
    panel.get_by_role("tab", name="Visibility").click()
    panel.get_by_role("button", name="Measure visibility").click()
    found = page.get_by_test_id("looked-around")
    found.get_by_text("Never visible (12)").wait_for()
    panel.get_by_role("button", name="View as visibility").click()
    page.locator("[data-legend]").get_by_text("never visible").wait_for()
    found.get_by_role("button", name="Accept all 12").click()
    found.get_by_text("Never visible").wait_for(state="detached")
    # The weight is a step like all others: it can be taken back.
    page.keyboard.press("Control+z")
    found.get_by_text("Never visible (12)").wait_for()
    # Or they get no texels at all.
    found.get_by_role("button", name="Leave out").click()
    found.get_by_text("Never visible").wait_for(state="detached")
