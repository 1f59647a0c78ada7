"""Mending by hand: seams drawn on the model and the table, faces split off and joined again, islands
eased, a try looked at beside the layout and kept."""

from __future__ import annotations

import pytest

from tests.browser.pages import ask, layout, open_project, stage, task, until
from tests.studio.edit_samples import sheet_obj

pytestmark = pytest.mark.browser


@pytest.fixture
def sheet(window, address):
    """A page in Mend on a project of its own with a sheet of 4 x 4 quads in one island."""
    page = window
    made = ask(page, "/api/projects/", {"name": "sheet"})
    open_project(page, address, made["id"])
    page.get_by_test_id("files").set_input_files(
        {"name": "sheet.obj", "mimeType": "text/plain", "buffer": sheet_obj()}
    )
    page.locator("[data-row='Sheet']").wait_for()
    stage(page, "Unwrap")
    page.get_by_label("Whole table").click()
    settled(page)
    return page


def settled(page) -> None:
    """Until the view stands still: the address follows it a little later."""
    until(
        page,
        """() => {
            const now = new URL(location.href).searchParams.get('at');
            if (now === null || window.lastAt !== now) { window.lastAt = now; window.lastAtSince = performance.now(); return false; }
            return performance.now() - window.lastAtSince > 900;
        }""",
    )


def at(page, u: float, v: float) -> tuple[float, float]:
    """Where a UV of the only sheet is on the screen; the address says what the view shows."""
    box = page.get_by_test_id("table").bounding_box()
    until(page, "() => new URL(location.href).searchParams.has('at')")
    x, y, shown = (
        float(part)
        for part in page.evaluate("new URL(location.href).searchParams.get('at')").split(",")
    )
    px = min(box["width"], box["height"]) / shown
    return box["x"] + box["width"] / 2 + (u - x) * px, box["y"] + box["height"] / 2 - (v - y) * px


def pick(page, what: str) -> None:
    page.get_by_role("toolbar", name="What is selected").get_by_role("button", name=what).click()


def picked(page, words: str) -> None:
    page.get_by_test_id("picked").get_by_text(words, exact=True).wait_for()


def told(page, words: str) -> None:
    page.get_by_role("status").get_by_text(words).wait_for()


def islands(page) -> list[int]:
    return [row["islands"] for row in layout(page)["objects"]]


def test_a_seam_is_drawn_by_hand_and_the_island_flattened_along_it(sheet):
    task(sheet).get_by_role("tab", name="Seams").click()
    pick(sheet, "Edges")
    # A double click on the line between the second and third column takes its loop.
    x, y = at(sheet, 0.3, 0.25)
    sheet.mouse.dblclick(x, y)
    picked(sheet, "4 edges selected")
    outlook = sheet.get_by_test_id("outlook")
    assert "1 → 2 islands" in outlook.inner_text() and "All can lie flat." in outlook.inner_text()
    task(sheet).get_by_role("button", name="Unwrap along them").click()
    told(sheet, "Unwrap along: 2 islands.")
    until(
        sheet,
        "() => document.querySelector(\"[data-figure='side table'] [data-value]\")?.textContent === '2'",
    )
    assert islands(sheet) == [2, 1]
    sheet.get_by_label("Undo").click()
    until(sheet, "() => !document.querySelector(\"[data-figure='side table']\")")
    assert islands(sheet) == [1, 1]


def test_faces_are_split_off_joined_again_and_the_island_eased(sheet):
    task(sheet).get_by_role("tab", name="Edit").click()
    pick(sheet, "Faces")
    x, y = at(sheet, 0.15, 0.15)
    sheet.mouse.click(x, y)
    picked(sheet, "1 face selected")
    x, y = at(sheet, 0.25, 0.15)
    sheet.keyboard.down("Shift")
    sheet.mouse.click(x, y)
    sheet.keyboard.up("Shift")
    picked(sheet, "2 faces selected")
    task(sheet).get_by_role("button", name="Split off").click()
    told(sheet, "Split off: 1 part cut off.")
    assert islands(sheet) == [2, 1]
    task(sheet).get_by_role("tab", name="Seams").click()
    task(sheet).get_by_role("button", name="Round faces").click()
    picked(sheet, "2 faces, 6 edges selected")
    task(sheet).get_by_role("button", name="Join", exact=True).click()
    told(sheet, "Join: joined along")
    assert islands(sheet) == [1, 1]
    task(sheet).get_by_role("tab", name="Edit").click()
    task(sheet).get_by_role("button", name="Clear").click()
    pick(sheet, "Vertices")
    x, y = at(sheet, 0.3, 0.3)
    sheet.mouse.click(x - 4, y - 4)
    picked(sheet, "1 vertex selected")
    sheet.mouse.move(x, y)
    sheet.mouse.down()
    sheet.mouse.move(x + 10, y + 4, steps=3)
    sheet.mouse.up()
    told(sheet, "Move vertices: 1 vertex moved.")
    pick(sheet, "Islands")
    task(sheet).get_by_role("tab", name="Seams").click()
    task(sheet).get_by_role("button", name="Clear").click()
    task(sheet).get_by_role("tab", name="Edit").click()
    x, y = at(sheet, 0.15, 0.15)
    sheet.mouse.click(x, y)
    picked(sheet, "1 island selected")
    task(sheet).get_by_role("button", name="Reduce stretch", exact=True).click()
    told(sheet, "4.000 (4 is none)")


def drag(page, *places) -> None:
    """Press at the first UV, go to the others, let go."""
    page.mouse.move(*at(page, *places[0]))
    page.mouse.down()
    for place in places[1:]:
        page.mouse.move(*at(page, *place), steps=4)
    page.mouse.up()


def test_faces_are_picked_with_lasso_and_brush_and_eased_with_it(sheet):
    task(sheet).get_by_role("tab", name="Edit").click()
    pick(sheet, "Faces")
    sheet.get_by_role("radio", name="Lasso").click()
    # Round the middles of three of the four squares in the corner.
    drag(sheet, (0.07, 0.07), (0.29, 0.07), (0.29, 0.18), (0.2, 0.2), (0.2, 0.33), (0.07, 0.33))
    picked(sheet, "3 faces selected")
    sheet.get_by_role("radio", name="Brush").click()
    drag(sheet, (0.15, 0.45), (0.45, 0.45))
    picked(sheet, "7 faces selected")
    sheet.keyboard.down("Control")
    drag(sheet, (0.15, 0.45), (0.25, 0.45))
    sheet.keyboard.up("Control")
    picked(sheet, "5 faces selected")
    task(sheet).get_by_text("Reduce stretch with the brush").click()
    drag(sheet, (0.25, 0.25), (0.35, 0.25))
    told(sheet, "Reduce stretch:")
    # Seams of the file's own channel: this sheet has none but its border.
    task(sheet).get_by_role("tab", name="Seams").click()
    task(sheet).get_by_role("button", name="Seams of UV 1").click()
    told(sheet, "no seams on this object")


def test_a_try_is_looked_at_beside_the_layout_and_kept(sheet):
    task(sheet).get_by_role("tab", name="Seams").click()
    pick(sheet, "Path")
    settled(sheet)
    for u, v in ((0.3, 0.1), (0.3, 0.5)):
        x, y = at(sheet, u, v)
        sheet.mouse.click(x + 3, y + (4 if v > 0.3 else -4))
    picked(sheet, "4 edges selected")
    before = layout(sheet)["revision"]["id"]
    task(sheet).get_by_role("button", name="As a draft").click()
    told(sheet, "A draft, see Drafts. Unwrap along: 2 islands.")
    task(sheet).get_by_role("button", name="Drafts…").click()
    sheet.get_by_role("dialog", name="Drafts").get_by_role("button", name="Look").click()
    looked = sheet.get_by_role("dialog", name="A draft")
    looked.wait_for()
    sheet.get_by_test_id("before-table").wait_for()
    sheet.get_by_test_id("before-model").wait_for()
    rows = [row.inner_text().split("\t") for row in looked.get_by_role("row").all()]
    assert [row[1].strip() for row in rows[1:]] == ["1", "2"]
    assert layout(sheet)["revision"]["id"] == before
    assert task(sheet).get_by_role("button", name="Unwrap along them").is_disabled()
    looked.get_by_role("button", name="Keep it").click()
    until(
        sheet,
        "() => document.querySelector(\"[data-figure='side table'] [data-value]\")?.textContent === '2'",
    )
    assert islands(sheet) == [2, 1]


def test_seams_are_drawn_on_the_model_too(page):
    stage(page, "Unwrap")
    task(page).get_by_role("tab", name="Seams").click()
    pick(page, "Edges")
    box = page.get_by_test_id("model").bounding_box()
    page.mouse.click(box["x"] + 0.55 * box["width"], box["y"] + 0.6 * box["height"])
    picked(page, "1 edge selected")
    assert "island" in page.get_by_test_id("outlook").inner_text()
    # The same edge again takes it away.
    page.mouse.click(box["x"] + 0.55 * box["width"], box["y"] + 0.6 * box["height"])
    picked(page, "Nothing is selected.")
