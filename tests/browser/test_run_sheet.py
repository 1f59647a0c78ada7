"""The run sheet: what was done by hand is remembered as a line, goes out of date for a reason, and is brought up to date."""

from __future__ import annotations

import pytest

from tests.browser.pages import ask, bring, open_project, pack_quickly, stage, task, until
from tests.studio.update_samples import obj_file

pytestmark = pytest.mark.browser


def test_a_line_is_remembered_and_brought_up_to_date(window, address):
    page = window
    made = bring(page, "sheet", ("yard.obj", obj_file(("crate", 0, 1), ("bench", 9, 2))))
    open_project(page, address, made, "arrange")
    page.locator("[data-row='bench']").wait_for()
    pack_quickly(page, 6)
    until(
        page,
        "() => document.querySelector(\"[data-figure='overlaps'] [data-value]\")?.textContent === '0'",
    )
    page.get_by_text("no jobs").wait_for()
    stage(page, "Hand off")
    panel = task(page)
    panel.get_by_role("tab", name="Run sheet").click()
    panel.get_by_label("Name of the line").fill("Yard")
    panel.get_by_role("button", name="Remember this").click()
    line = page.locator("[data-line='Yard']")
    line.get_by_text("it has not run yet").wait_for()
    assert "pack" in line.inner_text() and "check" in line.inner_text()
    panel.get_by_role("button", name="Bring one line up to date").click()
    line.locator("[data-state='current']").wait_for()
    assert "errors" in line.inner_text()
    # Its results are stepped through: once more, and the one before is taken.
    page.get_by_text("no jobs").wait_for()
    line.get_by_role("button", name="Do Yard now").click()
    line.get_by_role("button", name="Earlier result of Yard").click()
    results = line.get_by_test_id("results")
    results.get_by_text("1 before the last").wait_for()
    results.get_by_alt_text("Layout before").wait_for()
    results.get_by_role("button", name="go back").first.click()
    results.get_by_text("now", exact=True).wait_for()
    page.keyboard.press("Control+z")
    line.locator("[data-state='current']").wait_for()
    # Another density is a reason.
    page.get_by_text("no jobs").wait_for()
    stage(page, "Even out")
    density = task(page).get_by_label("House density")
    density.fill("200")
    density.press("Enter")
    stage(page, "Hand off")
    line.get_by_text("→ 200").wait_for()
    line.get_by_role("button", name="Hold Yard").click()
    line.locator("[data-state='held']").wait_for()
    with page.expect_download() as waiting:
        panel.get_by_role("link", name="As a file", exact=True).click()
    assert waiting.value.suggested_filename == "run-sheet.toml"
    line.get_by_role("button", name="Take Yard out").click()
    line.wait_for(state="detached")
    # The file brings it back.
    panel.get_by_test_id("run-sheet-file").set_input_files(
        files=[
            {
                "name": "s.toml",
                "mimeType": "text/plain",
                "buffer": waiting.value.path().read_bytes(),
            }
        ]
    )
    line.get_by_role("button", name="Take Yard out").wait_for()


def test_a_watched_folder_brings_newer_versions(window, address, tmp_path):
    page = window
    made = ask(page, "/api/projects/", {"name": "watched"})
    open_project(page, address, made["id"])
    file = tmp_path / "yard.obj"
    file.write_bytes(obj_file(("crate", 0, 1)))
    page.get_by_test_id("files").set_input_files([str(file)])
    page.locator("[data-row='crate']").wait_for()
    watch = page.get_by_test_id("watch")
    watch.get_by_role("button", name="Watch a folder").click()
    watch.get_by_label("Folder to watch").fill(str(tmp_path / "nowhere"))
    watch.get_by_role("button", name="Watch", exact=True).click()
    page.get_by_text("There is no such folder.").wait_for()
    watch.get_by_label("Folder to watch").fill(str(tmp_path))
    watch.get_by_role("button", name="Watch", exact=True).click()
    watch.get_by_text("1 file is as it is there.").wait_for()
    file.write_bytes(obj_file(("crate", 0, 1), ("lamp", 9, 1)))
    page.locator("[data-row='lamp']").wait_for()
    page.get_by_test_id("brought-again").get_by_text("New: lamp.").wait_for()
    watch.get_by_role("button", name="end").click()
    watch.get_by_role("button", name="Watch a folder").wait_for()
