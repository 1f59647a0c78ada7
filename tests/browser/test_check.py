"""Prove as a user works: look, step, fix, ignore, set rules, take the report."""

from __future__ import annotations

import io
import json
from pathlib import Path

import pytest
from PIL import Image

from tests.browser.pages import figure, proven, settled, stage, task

pytestmark = pytest.mark.browser


def count(page, kind: str) -> int:
    return int(page.locator(f"[data-kind='{kind}'] [data-count]").inner_text().replace(",", ""))


def wait_for_count(page, kind: str, want: int) -> None:
    page.wait_for_function(
        "([kind, want]) => (document.querySelector(`[data-kind='${kind}'] [data-count]`)?.textContent ?? '0') === want",
        arg=[kind, str(want)],
    )


@pytest.fixture
def check(page):
    stage(page, "Check")
    page.wait_for_selector("[data-verdict]")
    proven(page)
    return page


def test_findings_are_stepped_through_and_fixed(check):
    page = check
    assert task(page).locator("[data-verdict]").inner_text() == "Not ready to bake"
    assert "errors" in figure(page, "verdict")
    before = count(page, "mirrored")
    page.locator("[data-kind='mirrored'] button").first.click()
    card = page.locator("[data-finding]")
    first = card.get_attribute("data-finding")
    assert f"1 of {before}" in card.inner_text()
    assert "read backwards" in card.inner_text(), "it says why"
    page.keyboard.press("F3")
    assert card.get_attribute("data-finding") != first
    page.keyboard.press("Shift+F3")
    assert card.get_attribute("data-finding") == first
    assert "1 selected" in page.locator("[data-testid=table]").inner_text(), (
        "the finding is the selection"
    )
    page.keyboard.press("Escape")
    card.wait_for(state="detached")
    page.locator("[data-kind='mirrored'] button").first.click()
    card.wait_for()
    assert card.get_attribute("data-finding") == first
    card.get_by_role("button", name="Mirror back").click()
    wait_for_count(page, "mirrored", before - 1)
    assert card.get_attribute("data-finding") != first, "the next one comes up"
    page.get_by_label("Undo").click()
    wait_for_count(page, "mirrored", before)


def test_islands_far_away_are_moved_in_together(check):
    page = check
    page.locator("[data-kind='far away'] button").first.click()
    page.get_by_role("button", name="Move all in (2)").click()
    page.wait_for_selector("[data-kind='far away']", state="detached")
    page.wait_for_function(
        "() => document.querySelector(\"[data-figure='outside'] [data-value]\")?.textContent === '0'"
    )
    page.get_by_label("Undo").click()
    wait_for_count(page, "far away", 2)


def test_a_finding_is_ignored_with_a_reason_and_counted_again(check):
    page = check
    before = count(page, "hard edge")
    page.locator("[data-kind='hard edge'] button").first.click()
    card = page.locator("[data-finding]")
    card.get_by_role("button", name="Ignore…").click()
    assert card.get_by_role("button", name="Ignore with this reason").is_disabled(), (
        "a reason is needed"
    )
    page.get_by_label("Reason to ignore").fill("never seen from here")
    page.keyboard.press("Enter")
    wait_for_count(page, "hard edge", before - 1)
    task(page).get_by_role("tab", name="Rules").click()
    assert "never seen from here" in task(page).inner_text()
    task(page).get_by_role("button", name="Count again").click()
    task(page).get_by_role("tab", name="Findings").click()
    wait_for_count(page, "hard edge", before)


def test_rules_change_what_counts(check):
    page = check
    task(page).get_by_role("tab", name="Rules").click()
    page.get_by_label("Severity of Mirrored islands").select_option("off")
    task(page).get_by_role("tab", name="Findings").click()
    page.wait_for_selector("[data-kind='mirrored']", state="detached")
    task(page).get_by_role("tab", name="Rules").click()
    page.get_by_label("Severity of Mirrored islands").select_option("warning")
    page.get_by_label("Materials apart").fill("9000")
    page.keyboard.press("Enter")
    assert page.get_by_label("Materials apart").input_value() == "0", "what cannot be is not taken"
    page.get_by_label("Materials apart").fill("24")
    page.keyboard.press("Enter")
    task(page).get_by_role("tab", name="Findings").click()
    page.wait_for_selector("[data-kind='material gap']")
    task(page).get_by_role("tab", name="Rules").click()
    page.get_by_label("Materials apart").fill("0")
    page.keyboard.press("Enter")
    task(page).get_by_role("tab", name="Findings").click()
    page.wait_for_selector("[data-kind='material gap']", state="detached")
    wait_for_count(page, "mirrored", 16)


def middle_of(part) -> bytes:
    """What is seen of a part of the room, without what lies over it along its rim."""
    picture = Image.open(io.BytesIO(part.screenshot())).convert("RGB")
    width, height = picture.size
    return picture.crop((width // 3, height // 3, width * 2 // 3, height * 2 // 3)).tobytes()


@pytest.mark.painted
def test_every_view_has_a_legend_with_numbers_and_a_picture_of_its_own(check):
    page = check
    seen = []
    for view, said in {
        "density": "px/m",
        "stretch": "texels/m",
        "facing": "mirrored 16",
        "overlap": "texels",
        "material": "painted wall ",
        "tile": "1001 ",
    }.items():
        page.get_by_label("View as").select_option(view)
        legend = page.locator("[data-legend]")
        legend.wait_for()
        assert said in legend.inner_text()
        settled(page)
        seen.append([middle_of(page.get_by_test_id(part)) for part in ("table", "model")])
    for pictures in zip(*seen, strict=True):
        assert len(set(pictures)) == len(seen), "each is painted, and unlike the others"


def test_the_report_is_written_and_saved(check):
    page = check
    task(page).get_by_role("tab", name="Report").click()
    task(page).get_by_role("button", name="Write the report").click()
    link = task(page).get_by_role("link", name="JSON")
    link.wait_for()
    with page.expect_download() as waiting:
        link.click()
    values = json.loads(Path(waiting.value.path()).read_text(encoding="utf-8"))
    assert values["ready"] is False
    assert values["totals"]["overlap"] == 1, (
        "the islands of the demo lie in one heap, which is one finding"
    )
    (heap,) = [finding for finding in values["findings"] if finding["kind"] == "overlap"]
    assert "islands lie on one another" in heap["text"]
    with page.context.expect_page() as opened:
        task(page).get_by_role("link", name="Open the page").click()
    checked = opened.value
    checked.wait_for_load_state()
    assert "Not ready to bake" in checked.inner_text("h2 >> nth=0")
    assert checked.locator("figure img").evaluate("image => image.naturalWidth") > 500
    assert "Written for an earlier layout" not in task(page).inner_text()


def test_the_verdict_bar_leads_to_the_findings(check):
    page = check
    page.locator("[data-figure='outside']").click()
    card = page.locator("[data-finding]")
    card.wait_for()
    assert card.get_attribute("data-finding").startswith("far away / ")
    page.locator("[data-figure='verdict']").click()
    assert page.get_by_role("tab", name="Findings").get_attribute("aria-selected") == "true"
