"""Accessibility by axe-core (WCAG 2.2 AA and best practice): no violation on any stage, panel, dialog
or theme.

Rules: https://www.w3.org/TR/WCAG22/, as axe-core tests them.
"""

from __future__ import annotations

import pytest

from tests.browser.axe import violations
from tests.browser.pages import command, settled, stage, task

pytestmark = pytest.mark.browser

PAGES = {
    "Gather": (),
    "Unwrap": (),
    "Even out": ("Visibility", "Detail"),
    "Arrange": ("Islands", "Tiles", "Stacks", "Plan"),
    "Check": ("Rules", "Report"),
    "Merge": (),
    "Hand off": (),
}


def test_every_stage_and_page_of_its_panel(page):
    for name, tabs in PAGES.items():
        stage(page, name)
        settled(page)
        assert violations(page) == [], name
        for tab in tabs:
            task(page).get_by_role("tab", name=tab).click()
            settled(page)
            assert violations(page) == [], tab


@pytest.mark.parametrize(
    ("width", "height", "theme"), [(1024, 700, "night"), (853, 533, "paper"), (640, 400, "night")]
)
def test_small_windows_and_zoom(page, width, height, theme):
    """1280 x 800 at 150 % and at 200 % are 853 x 533 and 640 x 400 (WCAG 2.2, 1.4.4 and 1.4.10): nothing is cut, all is in reach."""
    if theme == "night":
        page.get_by_label("Night theme").click()
        page.wait_for_selector("html.dark")
    page.set_viewport_size({"width": width, "height": height})
    for name in PAGES:
        stage(page, name)
        parts = page.get_by_role("tablist", name="Parts of the room").get_by_role("tab")
        # The panel is the first of the parts; the others are much the same in all stages but two.
        every = parts.count() if name in ("Arrange", "Merge") else 1
        for k in range(max(every, 1)):
            if parts.count():
                parts.nth(k).click()
            settled(page)
            assert violations(page) == [], (name, k)
            assert page.evaluate(SIDEWAYS) == [], (name, k)


SIDEWAYS = """() => [document.documentElement, ...document.querySelectorAll("header, [aria-label=Task] *, [aria-label=Verdict]")]
  .filter((e) => e.scrollWidth > e.clientWidth + 1 && ["auto", "scroll"].includes(getComputedStyle(e).overflowX)
    || e.getBoundingClientRect().right > innerWidth + 1)
  .map((e) => e.tagName + " " + (e.getAttribute("aria-label") || e.className) + " " + e.getBoundingClientRect().right)"""
"""What scrolls to the side, or reaches beyond the window."""


def test_what_unfolds_in_merge(page):
    stage(page, "Merge")
    page.get_by_test_id("shelf").get_by_role("button", name="Textures of brass").click()
    task(page).get_by_role("button", name="Names, formats, profile").click()
    settled(page)
    assert violations(page) == []
    task(page).get_by_role("button", name="Edit profiles …").click()
    page.get_by_test_id("profiles").wait_for()
    settled(page)
    assert violations(page) == []


def test_the_room_at_first_with_something_picked(page):
    page.evaluate("() => localStorage.removeItem('quilt-room')")
    page.evaluate("() => localStorage.setItem('quilt-room', '{}')")
    page.reload()
    page.wait_for_selector("[data-figure=overlaps]")
    stage(page, "Arrange")
    page.keyboard.press("Control+a")
    settled(page)
    assert violations(page) == []


def test_dialogs_and_night(page):
    for key in ("?", "h", "d", "Control+k"):
        page.keyboard.press(key)
        settled(page)
        assert violations(page) == [], key
        page.keyboard.press("Escape")
        settled(page)
        if key in "hd":
            page.keyboard.press(key) if page.get_by_role("dialog").count() else None
    command(page, "night theme")
    page.wait_for_selector("html.dark")
    assert violations(page) == []


def test_the_list_of_projects(page):
    page.get_by_title("All projects").click()
    page.get_by_text("Even texel density, tight layouts").wait_for()
    settled(page)
    assert violations(page) == []
