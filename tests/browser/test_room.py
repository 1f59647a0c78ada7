"""How the room is divided: the table comes first, parts fold away, and sizes are remembered."""

from __future__ import annotations

import pytest

from tests.browser.pages import stage

pytestmark = pytest.mark.browser


@pytest.fixture
def fresh(address, chromium):
    """A page of somebody who was never here."""
    context = chromium.new_context(
        viewport={"width": 1280, "height": 800}, reduced_motion="reduce", bypass_csp=True
    )
    page = context.new_page()
    page.goto(address + "/project/1")
    page.wait_for_selector("[data-figure=overlaps]")
    yield page
    context.close()


def size(page, test_id: str) -> tuple[float, float]:
    box = page.get_by_test_id(test_id).bounding_box()
    return box["width"], box["height"]


def test_in_arrange_the_sheet_is_six_hundred_px_high(fresh):
    stage(fresh, "Arrange")
    width, height = size(fresh, "table")
    # What “Whole sheet” leaves of the table for a square sheet and the side table beside it.
    assert min((width - 18) / 1.5, height - 38) >= 600
    assert fresh.get_by_test_id("object-list-strip").is_visible()
    assert size(fresh, "model")[0] < 300
    stage(fresh, "Check")
    assert fresh.get_by_test_id("object-list").is_visible()


def test_parts_fold_away_and_come_back_as_they_were(fresh):
    stage(fresh, "Arrange")
    fresh.get_by_label("Unfold Objects").click()
    fresh.get_by_test_id("object-list").wait_for()
    seam = fresh.get_by_role("separator", name="Height of the object list")
    before = int(seam.get_attribute("aria-valuenow"))
    seam.focus()
    fresh.keyboard.press("Shift+ArrowUp")
    assert int(seam.get_attribute("aria-valuenow")) == before + 40
    fresh.get_by_label("Dock the model").click()
    edge = fresh.get_by_role("separator", name="Width of the model").bounding_box()
    fresh.mouse.move(edge["x"] + 5, edge["y"] + 200)
    fresh.mouse.down()
    fresh.mouse.move(edge["x"] - 95, edge["y"] + 200, steps=4)
    fresh.mouse.up()
    assert size(fresh, "model")[0] == pytest.approx(430, abs=4)
    fresh.get_by_label("Fold the panel away").click()
    fresh.get_by_label("Unfold the panel: Arrange").wait_for()
    fresh.reload()
    fresh.wait_for_selector("[data-figure=overlaps]")
    stage(fresh, "Arrange")
    assert size(fresh, "model")[0] == pytest.approx(430, abs=4)
    assert fresh.get_by_label("Unfold the panel: Arrange").is_visible()
    stage(fresh, "Even out")
    assert fresh.locator("section[aria-label=Task]").is_visible(), "the other stages keep their own"


def test_one_key_gives_the_table_everything(fresh):
    stage(fresh, "Arrange")
    before = size(fresh, "table")
    fresh.get_by_test_id("table").focus()
    fresh.keyboard.press("t")
    fresh.get_by_label("Unfold the panel: Arrange").wait_for()
    assert size(fresh, "table")[0] > before[0] + 180
    fresh.keyboard.press("t")
    fresh.locator("section[aria-label=Task]").wait_for()
    assert size(fresh, "table") == before


TRADE = (
    "unwrap,pack,flip,rotate 90,texel density,bake,export,cage,udim,select overlapping,straighten,stitch,weld,merge,"
    "transfer,relax,seam,zoom,align,invert,isolate,normal map,import,rename,delete,duplicate,padding,mip,tile size,"
    "house density,Lantern room,overlap"
)


def test_the_palette_finds_commands_settings_and_things_by_trade_words(fresh):
    fresh.keyboard.press("Control+k")
    typed = fresh.get_by_role("textbox", name="Command")
    lost = []
    for word in TRADE.split(","):
        typed.fill(word)
        if not fresh.get_by_role("option").count():
            lost.append(word)
    assert not lost
    # A setting's field gets the focus, wherever it stands.
    for words, label in (("padding of pack", "Padding"), ("house density", "House density")):
        typed.fill(words)
        typed.press("Enter")
        fresh.wait_for_function(
            "(label) => document.activeElement?.labels?.[0]?.textContent === label", arg=label
        )
        fresh.keyboard.press("Control+k")


def test_the_server_goes_and_comes_back(fresh):
    before = fresh.locator("[data-figure='overlaps'] [data-value]").inner_text()
    stage(fresh, "Even out")
    fresh.locator("[data-row='Tower wall']").click()
    fresh.context.set_offline(True)
    fresh.keyboard.press("l")
    told = fresh.get_by_test_id("connection")
    told.get_by_text("Not connected").wait_for()
    told.get_by_text("1 change waits").wait_for()
    fresh.locator("[data-row='Lantern room']").click()
    fresh.keyboard.press("l")
    told.get_by_text("2 changes wait").wait_for()
    # Work goes on: the room is there, and what was last heard.
    assert fresh.locator("[data-figure='overlaps'] [data-value]").inner_text() == before
    stage(fresh, "Arrange")
    fresh.context.set_offline(False)
    told.wait_for(state="detached")
    fresh.wait_for_function("document.documentElement.dataset.waiting === '0'")
    steps = fresh.request.get(fresh.url.split("/project")[0] + "/api/projects/1/history/").json()
    verbs = [step["verb"] for step in steps["steps"]]
    assert verbs.count("lock place") == 2
    fresh.get_by_label("Undo").click()
    fresh.get_by_label("Undo").click()
