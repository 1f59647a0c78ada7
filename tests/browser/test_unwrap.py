"""Objects that come without UVs: flattened with one click, laid out anew as a try, undone."""

from __future__ import annotations

import pytest

from tests.browser.pages import ask, layout, open_project, settled, stage, task, until

pytestmark = pytest.mark.browser

CUBE = [(x, y, z) for z in (0, 1) for y in (0, 1) for x in (0, 1)]
SIDES = ["1 3 4 2", "5 6 8 7", "1 2 6 5", "3 7 8 4", "1 5 7 3", "2 4 8 6"]


@pytest.fixture
def bare(window, address):
    """A page on a project of its own with a cube that has no UVs."""
    page = window
    made = ask(page, "/api/projects/", {"name": "bare"})
    open_project(page, address, made["id"])
    lines = ["o Crate", *(f"v {x} {y} {z}" for x, y, z in CUBE), *(f"f {side}" for side in SIDES)]
    page.get_by_test_id("files").set_input_files(
        {"name": "crate.obj", "mimeType": "text/plain", "buffer": "\n".join(lines).encode()}
    )
    page.locator("[data-row='Crate']").wait_for()
    return page


def figure(page, name: str) -> str:
    return page.locator(f"[data-figure='{name}'] [data-value]").inner_text()


def test_a_bare_object_is_flattened_with_one_click_and_undone(bare):
    stage(bare, "Gather")
    bare.get_by_test_id("to-flatten").get_by_role("button", name="Unwrap 1 object").click()
    row = bare.get_by_test_id("flattened").get_by_role("row", name="Crate")
    row.wait_for()
    assert row.inner_text().split() == ["Crate", "1", "2.9", "1.000"]
    until(
        bare,
        "() => document.querySelector(\"[data-figure='no UVs'] [data-value]\").textContent === '0 objects'",
    )
    assert figure(bare, "side table") == "1"
    found = layout(bare)
    assert found["revision"]["verb"] == "unwrap"
    assert [row["verb"] for row in found["objects"]] == ["unwrapped"]
    bare.get_by_label("Undo").click()
    until(
        bare,
        "() => document.querySelector(\"[data-figure='no UVs'] [data-value]\").textContent === '1 object'",
    )


def test_another_way_of_cutting_is_tried_beside_the_present_one_and_kept(bare):
    stage(bare, "Unwrap")
    task(bare).get_by_role("button", name="Unwrap 1 object").click()
    bare.get_by_test_id("flattened").get_by_role("row", name="Crate").wait_for()
    first = layout(bare)["revision"]["id"]
    bare.locator("[data-figure='side table']").get_by_text("1", exact=True).wait_for()
    settled(bare)
    bare.get_by_test_id("table").focus()
    bare.keyboard.press("Control+a")
    task(bare).get_by_text("selected (1)").click()
    task(bare).get_by_label("Islands", exact=True).select_option("angle")
    task(bare).get_by_role("button", name="As a draft").click()
    bare.get_by_text("The last draft").wait_for()
    assert layout(bare)["revision"]["id"] == first
    bare.get_by_test_id("table").focus()
    bare.keyboard.press("d")
    bare.get_by_role("dialog", name="Drafts").get_by_role("button", name="Keep").first.click()
    until(
        bare,
        "() => document.querySelector(\"[data-figure='side table'] [data-value]\")?.textContent === '6'",
    )
    assert layout(bare)["objects"][0]["islands"] == 6


def test_look_alikes_get_the_layout_of_one(bare):
    stage(bare, "Unwrap")
    task(bare).get_by_role("button", name="Unwrap 1 object").click()
    bare.get_by_test_id("flattened").get_by_role("row", name="Crate").wait_for()
    lines = [
        "o Twin",
        *(f"v {-2 * x} {2 * y} {2 * z}" for x, y, z in CUBE),
        *(f"f {side}" for side in SIDES),
    ]
    stage(bare, "Gather")
    bare.get_by_test_id("files").set_input_files(
        {"name": "twin.obj", "mimeType": "text/plain", "buffer": "\n".join(lines).encode()}
    )
    bare.locator("[data-figure='no UVs']").get_by_text("1 object").wait_for()
    stage(bare, "Unwrap")
    bare.get_by_test_id("table").focus()
    bare.keyboard.press("Control+a")
    task(bare).get_by_role("tab", name="Look-alikes").click()
    task(bare).get_by_role("button", name="Give its layout to all look-alikes").click()
    bare.get_by_text("The layout went to Twin.").wait_for()
    until(
        bare,
        "() => document.querySelector(\"[data-figure='no UVs'] [data-value]\").textContent === '0 objects'",
    )
    assert [row["verb"] for row in layout(bare)["objects"]] == ["unwrapped", "copied"]
