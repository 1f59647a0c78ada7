"""Islands taken by hand: real drags, distances read back from the server, steps undone."""

from __future__ import annotations

import re

import pytest

from tests.browser.pages import (
    at,
    bring,
    command,
    drag,
    gap_is,
    history,
    layout,
    number,
    open_project,
    settled,
    stage,
    until,
    until_present,
    until_steps,
    until_verb,
)

pytestmark = pytest.mark.browser

CORNERS = {"A": (0.1, 0.1), "B": (0.4, 0.1), "C": (0.7, 0.6)}
SIDE = 0.15


def squares() -> bytes:
    """Three objects of one square island each."""
    lines = []
    for k, (name, (u, v)) in enumerate(CORNERS.items()):
        lines.append(f"o {name}")
        for x, y in ((0, 0), (1, 0), (1, 1), (0, 1)):
            lines.append(f"v {3 * k + x} {y} 0")
            lines.append(f"vt {u + SIDE * x} {v + SIDE * y}")
        lines.append("f " + " ".join(f"{4 * k + c}/{4 * k + c}" for c in range(1, 5)))
    return "\n".join(lines).encode()


@pytest.fixture
def table(window, address):
    """A page on a project of its own with three squares."""
    page = window
    made = bring(page, "squares", ("squares.obj", squares()))
    open_project(page, address, made, "arrange")
    page.locator("[data-row='C']").wait_for()
    page.get_by_role("button", name="Whole table").click()
    page.wait_for_selector("[data-figure='smallest gap']")
    return page


def middle(name: str) -> tuple[float, float]:
    u, v = CORNERS[name]
    return u + SIDE / 2, v + SIDE / 2


def test_a_drag_snaps_to_exactly_the_padding_and_undo_takes_it_back(table):
    u, v = middle("A")
    # 0.4 is where B begins; some texels short of touching it.
    drag(table, (u, v), (u + 0.4 - 0.1 - SIDE - 0.006, v + 0.02))
    gap_is(table, "8.0")
    found = layout(table)
    assert found["figures"]["gap_px"] == pytest.approx(8, abs=0.05)
    assert found["figures"]["gap_px"] >= 8 - 1e-3
    assert found["revision"]["verb"] == "move"
    table.get_by_label("Undo").click()
    until(table, "() => document.querySelector(\"[data-number=x]\")?.value === '204.8'")
    gap = 2048 * (0.4 - 0.1 - SIDE)
    gap_is(table, f"{gap:.1f}")


def test_escape_puts_everything_back(table):
    before = layout(table)["revision"]["id"]
    u, v = middle("A")
    drag(table, (u, v), (u + 0.2, v + 0.3), drop=False)
    assert number(table, "x") != pytest.approx(204.8, abs=1)
    table.keyboard.press("Escape")
    assert number(table, "x") == pytest.approx(204.8, abs=0.06)
    table.mouse.up()
    assert layout(table)["revision"]["id"] == before


def test_keys_nudge_and_typed_numbers_come_true_on_the_server(table):
    table.mouse.click(*at(table, *middle("C")))
    table.get_by_test_id("table").focus()
    for _ in range(3):
        table.keyboard.press("ArrowRight")
    table.keyboard.press("Shift+ArrowUp")
    until(table, "() => document.querySelector('[data-number=x]').value === '1436.6'")
    x, y = 2048 * 0.7 + 3, 2048 * 0.6 + 8
    assert (number(table, "x"), number(table, "y")) == pytest.approx((x, y), abs=0.06)
    steps = len(history(table))
    wide = table.locator("[data-number=wide]")
    wide.fill("*0.5")
    wide.press("Enter")
    until(table, "() => document.querySelector('[data-number=wide]').value === '153.6'")
    command(table, "quarter turn to the left")
    until(table, "() => document.querySelector('[data-number=turn]').value === '90.0'")
    until_steps(table, steps + 2)
    found = layout(table)
    assert found["figures"]["island_density"][2] == pytest.approx(SIDE * 2048 / 2, rel=1e-6)
    assert [row["verb"] for row in history(table)[-3:]] == ["move", "size", "turn"]


def test_a_locked_island_stays_and_the_others_go(table):
    before = len(history(table))
    table.locator("[data-row='A']").click()
    table.keyboard.press("l")
    steps = before + 1
    until_steps(table, steps)
    table.get_by_test_id("table").focus()
    u, v = middle("A")
    drag(table, (u, v), (u + 0.3, v + 0.3))
    assert number(table, "x") == pytest.approx(204.8, abs=0.06)
    table.keyboard.press("Control+a")
    drag(table, middle("B"), (middle("B")[0], middle("B")[1] + 0.2), key="Alt")
    until(table, "() => document.querySelector('[data-figure=overlaps]') !== null")
    until_steps(table, steps + 1)
    assert history(table)[-1]["what"].startswith("2 islands")


def test_two_tabs_edit_at_once_and_both_see_the_other(table, address, chromium):
    other = table.context.new_page()
    other.goto(table.url)
    other.locator("[data-row='C']").wait_for()
    stage(other, "Arrange")
    other.get_by_role("button", name="Whole table").click()
    u, v = middle("C")
    drag(other, (u, v), (u, v + 0.1), key="Alt")
    until_steps(other, 3)
    steps = len(history(table))
    # This page has not looked since; its edit touches another island and is taken.
    # The other one hears of it late: what it asks for meanwhile gets no answer.
    news = re.compile(r"/api/(projects|atlases)/\d+/$")
    other.route(news, lambda route: None)
    u, v = middle("A")
    drag(table, (u, v), (u, v + 0.3), key="Alt")
    until_steps(table, steps + 1)
    found = layout(table)
    placements = table.evaluate(
        "async (id) => [...new Float32Array(await (await fetch(`/api/revisions/${id}/placements/`)).arrayBuffer())]",
        found["revision"]["id"],
    )
    assert placements[5] == pytest.approx(0.3, abs=0.01)
    assert placements[17] == pytest.approx(0.1, abs=0.01), "no lost update"
    # The same island from a step that is no longer the newest is refused, and put back.
    u, v = middle("A")
    with other.expect_response(lambda r: r.url.endswith("/move/")) as refused:
        drag(other, (u, v), (u + 0.1, v), key="Alt")
    assert refused.value.status == 409
    other.unroute(news)
    other.get_by_text("It has changed since").wait_for()
    other.locator("[data-row='A']").click()
    until(other, "() => document.querySelector('[data-number=y]')?.value > '800'")
    other.close()


def test_ctrl_and_an_arrow_settle_what_is_picked(table):
    table.mouse.click(*at(table, *middle("C")))
    table.get_by_test_id("table").focus()
    table.keyboard.press("Control+ArrowLeft")
    until(table, "() => document.querySelector('[data-number=x]')?.value === '4.0'")
    table.keyboard.press("Control+ArrowDown")
    # Onto A, which reaches up to 0.25 of the sheet.
    until(table, "() => document.querySelector('[data-number=y]')?.value === '520.0'")
    gap_is(table, "8.0")
    assert layout(table)["figures"]["gap_px"] == pytest.approx(8, abs=1e-3)


def box_of(page, island: int) -> tuple[float, float, float, float]:
    """Lowest and highest px of a square on the sheet, as the server has it."""
    found = layout(page)
    row = page.evaluate(
        "async (id) => [...new Float32Array(await (await fetch(`/api/revisions/${id}/placements/`)).arrayBuffer())]",
        found["revision"]["id"],
    )[6 * island : 6 * island + 6]
    u, v = list(CORNERS.values())[island]
    ends = [
        (row[0] * x + row[1] * y + row[2], row[3] * x + row[4] * y + row[5])
        for x, y in ((u, v), (u + SIDE, v + SIDE))
    ]
    xs, ys = zip(*ends, strict=True)
    return 2048 * min(xs), 2048 * min(ys), 2048 * max(xs), 2048 * max(ys)


def test_neighbours_make_room_and_undo_leads_back_to_the_first_step(table):
    first = len(history(table))
    u, v = middle("A")
    drag(table, (u, v), (u + 0.2, v), key="Alt")
    until(
        table,
        "() => document.querySelector('[data-figure=overlaps] [data-value]').textContent === '2'",
    )
    table.keyboard.press("o")
    gap_is(table, "8.0")
    found = layout(table)["figures"]
    assert found["gap_px"] == pytest.approx(8, abs=1e-3) and found["overlapping"] == 0
    for left in (1, 0):
        table.get_by_label("Undo").click()
        until_present(table, first + left)
    until(table, "() => document.querySelector('[data-number=x]').value === '204.8'")
    for done in (1, 2):
        table.get_by_label("Redo").click()
        until_present(table, first + done)
    gap_is(table, "8.0")


def test_an_island_slips_in_where_the_pointer_is(table):
    table.mouse.click(*at(table, *middle("C")))
    table.mouse.move(*at(table, 0.325, 0.175))
    table.keyboard.press("Shift+I")
    until_verb(table, "fit-into-gaps")
    # Between A and B there are 0.15 of the sheet, too few for the square and two paddings.
    low_x, low_y, high_x, high_y = box_of(table, 2)
    away = abs((low_x + high_x) / 2 - 2048 * 0.325) + abs((low_y + high_y) / 2 - 2048 * 0.175)
    assert high_x - low_x == pytest.approx(SIDE * 2048, abs=0.01)
    assert 150 < away < 2048 * (SIDE + 0.03)
    assert layout(table)["figures"]["gap_px"] >= 8 - 1e-3


def test_islands_are_fitted_into_a_region_that_is_drawn(table):
    table.locator("[data-row='A']").click()
    table.locator("[data-row='C']").click(modifiers=["Control"])
    table.get_by_role("toolbar", name="Tools").get_by_role("button", name="Pack here").click()
    table.mouse.move(*at(table, 0.1, 0.5))
    table.get_by_text("draw where the selected islands shall go").wait_for()
    drag(table, (0.1, 0.5), (0.44, 0.95))
    until_verb(table, "pack-here")
    for island in (0, 2):
        low_x, low_y, high_x, high_y = box_of(table, island)
        assert low_x >= 0.1 * 2048 - 8 and high_x <= 0.44 * 2048 + 8
        assert low_y >= 0.5 * 2048 - 8 and high_y <= 0.95 * 2048 + 8
    assert layout(table)["figures"]["gap_px"] >= 8 - 1e-3
    assert (
        table.get_by_role("button", name="Move", exact=True).get_attribute("aria-pressed") == "true"
    )


def test_the_next_one_hangs_at_the_pointer_until_it_is_laid_down(table):
    table.locator("[data-row='C']").click()
    table.get_by_test_id("table").focus()
    table.keyboard.press("Backspace")
    table.wait_for_selector("[data-figure='side table']")
    table.keyboard.press("Escape")
    table.mouse.move(*at(table, 0.6, 0.6))
    table.keyboard.press("n")
    table.mouse.move(*at(table, 0.5, 0.7))
    x, y = at(table, 0.5, 0.7)
    table.mouse.click(x, y)
    table.wait_for_selector("[data-figure='side table']", state="detached")
    low_x, low_y, high_x, high_y = box_of(table, 2)
    assert (low_x + high_x) / 2 == pytest.approx(1024, abs=25)
    assert (low_y + high_y) / 2 == pytest.approx(0.7 * 2048, abs=25)


def test_a_line_round_islands_picks_them(table):
    table.get_by_test_id("table").focus()
    table.keyboard.press("2")
    table.mouse.move(*at(table, 0.05, 0.05))
    table.mouse.down()
    for u, v in ((0.6, 0.05), (0.6, 0.3), (0.05, 0.3)):
        table.mouse.move(*at(table, u, v), steps=6)
    table.mouse.up()
    assert "2 selected" in table.get_by_test_id("table").inner_text()
    table.keyboard.press("Escape")
    assert (
        table.get_by_role("button", name="Move", exact=True).get_attribute("aria-pressed") == "true"
    )


def test_the_address_leads_to_the_same_spot(table):
    table.locator("[data-row='C']").click()
    table.keyboard.press("f")
    until(table, "() => /stage=arrange&at=0.73.*selected=/.test(location.search)")
    here = table.url
    stage(table, "Check")
    until(table, "() => location.search.includes('stage=check')")
    table.go_back()
    table.wait_for_url(here)
    table.get_by_role("toolbar", name="Tools").wait_for()
    other = table.context.new_page()
    for go in (lambda: other.goto(here), other.reload):
        go()
        until(other, "() => document.querySelector('[data-number=x]')?.value === '1433.6'")
        # A look at something else and back writes the address anew: what was asked for is shown.
        stage(other, "Check")
        until(other, "() => location.search.includes('stage=check')")
        stage(other, "Arrange")
        other.wait_for_url(here)
    other.close()


def test_a_shortcut_can_be_changed(table):
    table.keyboard.press("?")
    row = table.get_by_role("button", name="Change the key of Drafts")
    row.click()
    table.keyboard.press("q")
    table.get_by_role("button", name="Change the key of Drafts: Q").wait_for()
    table.keyboard.press("Escape")
    table.get_by_role("dialog").wait_for(state="detached")
    table.keyboard.press("d")
    settled(table)
    assert table.get_by_role("dialog").count() == 0
    table.keyboard.press("q")
    table.get_by_text("Drafts", exact=True).first.wait_for()
