"""Drags on the demo, whose islands lie on one another, and on ten thousand islands."""

from __future__ import annotations

import pytest

from tests.browser.pages import (
    ask,
    at,
    drag,
    history,
    layout,
    open_project,
    poll,
    settled,
    stage,
    until,
    until_steps,
)

pytestmark = pytest.mark.browser

ROW = 100
PITCH = 1 / ROW
SIDE = 0.6 * PITCH
FIRST = 0.2 * PITCH


def many_squares() -> bytes:
    """One object of 100 rows of 100 square islands, 0.4 of a pitch apart."""
    lines = ["o Field"]
    for k in range(ROW * ROW):
        column, row = k % ROW, k // ROW
        for x, y in ((0, 0), (1, 0), (1, 1), (0, 1)):
            lines.append(f"v {2 * column + x} {2 * row + y} 0")
            lines.append(
                f"vt {column * PITCH + FIRST + SIDE * x:.6f} {row * PITCH + FIRST + SIDE * y:.6f}"
            )
        lines.append("f " + " ".join(f"{4 * k + c}/{4 * k + c}" for c in range(1, 5)))
    return "\n".join(lines).encode()


def picked_at(page, spots):
    """The first of some spots of the sheet where an island lies; it is picked."""
    for spot in spots:
        page.mouse.click(*at(page, *spot))
        settled(page)
        if page.locator("[data-number=x]").count():
            return spot
    raise AssertionError("there is no island")


def overlaps(page) -> str:
    return page.locator("[data-figure='overlaps'] [data-value]").inner_text()


def test_one_and_all_of_ten_thousand_islands_are_dragged(window, address):
    page = window
    made = ask(page, "/api/projects/", {"name": "many"})
    open_project(page, address, made["id"])
    page.get_by_test_id("files").set_input_files(
        {"name": "field.obj", "mimeType": "text/plain", "buffer": many_squares()}
    )
    page.locator("[data-row='Field']").wait_for()
    stage(page, "Arrange")
    page.get_by_role("button", name="Whole table").click()
    until(
        page,
        "() => document.querySelector(\"[data-figure='overlaps'] [data-value]\")?.textContent === '0'",
    )
    before = len(history(page))
    here = picked_at(page, [(0.5 + PITCH * k / 8, 0.5 + PITCH * k / 8) for k in range(8)])
    # Onto the tenth one beside it, without snapping.
    drag(page, here, (here[0] + 10 * PITCH, here[1]), key="Control")
    until(
        page,
        "() => document.querySelector(\"[data-figure='overlaps'] [data-value]\")?.textContent !== '0'",
    )
    until_steps(page, before + 1)
    found = layout(page)
    assert found["revision"]["verb"] == "move"
    page.get_by_label("Undo").click()
    until(
        page,
        "() => document.querySelector(\"[data-figure='overlaps'] [data-value]\")?.textContent === '0'",
    )
    page.get_by_test_id("table").focus()
    page.keyboard.press("Control+a")
    drag(page, here, (here[0], here[1] + 0.05), key="Control")
    # Five rows stick out above the sheet.
    until(
        page,
        "() => document.querySelector(\"[data-figure='outside'] [data-value]\")?.textContent === '500'",
    )
    until_steps(page, before + 1)
    page.get_by_label("Undo").click()
    until(
        page,
        "() => document.querySelector(\"[data-figure='outside'] [data-value]\")?.textContent === '0'",
    )
    assert overlaps(page) == "0"


def test_an_island_of_the_demo_is_dragged_and_put_back(page):
    stage(page, "Arrange")
    page.get_by_role("button", name="Whole table").click()
    spot = picked_at(page, [(0.1 + 0.02 * k, 0.5) for k in range(40)])
    x = page.locator("[data-number=x]").input_value()
    before = layout(page)["revision"]["id"]
    drag(page, spot, (spot[0] + 0.05, spot[1] + 0.1), key="Control")
    until(page, "(v) => document.querySelector('[data-number=x]').value !== v", x)
    moved = poll(page, lambda: layout(page)["revision"], lambda now: now["id"] != before, "moved")
    assert moved["verb"] == "move"
    page.get_by_label("Undo").click()
    until(page, "(v) => document.querySelector('[data-number=x]')?.value === v", x)
    assert layout(page)["revision"]["id"] == before
