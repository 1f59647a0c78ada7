"""Sizes, units, bands, budgets, sets of images and what differs, as a user takes them."""

from __future__ import annotations

import base64
import io

import pytest
from PIL import Image

from tests.browser.pages import dock_model, figure, idle, part, poll, settled, stage, task, undo

pytestmark = pytest.mark.browser


def test_densities_are_shown_in_the_unit_of_the_project_and_judged_by_its_band(page):
    stage(page, "Even out")
    house = page.get_by_label("House density")
    before = float(house.first.input_value())
    page.get_by_label("Densities in").select_option("px/cm")
    page.wait_for_selector("[data-figure='density']:has-text('px/cm')")
    assert float(house.first.input_value()) == pytest.approx(before / 100)
    low, high = (float(w.replace(",", "")) for w in figure(page, "density").split(" – "))
    page.get_by_label("At least, px/cm").fill(str(low / 2))
    page.get_by_label("At least, px/cm").press("Enter")
    page.get_by_label("At most, px/cm").fill(str(high * 2))
    page.get_by_label("At most, px/cm").press("Enter")
    task(page).get_by_text("0 of 221 islands are outside the house band").wait_for()
    page.get_by_label("At most, px/cm").fill("")
    page.get_by_label("At most, px/cm").press("Enter")
    task(page).get_by_text("0 of 221").wait_for(state="detached")
    undo(page, 4)
    page.wait_for_selector("[data-figure='density']:has-text('px/m')")


def test_the_factor_between_two_selected_objects_is_told(page):
    stage(page, "Even out")
    page.locator("[data-row='Fog bell']").click()
    page.locator("[data-row='Signal winch']").click(modifiers=["Control"])
    said = page.get_by_test_id("density factor").inner_text()
    assert "Fog bell" in said and "Signal winch" in said and said.endswith("times.")


def test_a_file_gets_another_unit_later(page):
    stage(page, "Gather")
    row = page.locator("[data-row='Fog bell']")
    assert " m" in row.inner_text() and " cm" not in row.inner_text()
    page.get_by_label("Unit of yard.obj").select_option("0.01")
    page.wait_for_selector("[data-row='Fog bell']:has-text(' cm')")
    idle(page)
    undo(page)
    page.wait_for_function(
        "!document.querySelector(\"[data-row='Fog bell']\").textContent.includes(' cm')"
    )


def test_tiles_within_a_budget_are_proposed_and_taken_and_what_differs_is_told(page):
    stage(page, "Arrange")
    part(page, "Plan")
    page.get_by_label("Memory of all maps").fill("100")
    page.get_by_role("button", name="Propose tiles").click()
    page.get_by_test_id("proposal").first.wait_for()
    assert page.get_by_test_id("proposal").count() >= 5
    taken = page.locator("button[aria-label^='Take ']").last
    name = taken.get_attribute("aria-label")
    count = int(name.split()[1])
    taken.click()
    part(page, "Tiles")
    page.wait_for_function("n => document.querySelectorAll('[data-tile]').length === n", arg=count)
    idle(page)
    page.get_by_role("button", name="Steps").click()
    steps = page.get_by_role("dialog", name="Steps")
    steps.get_by_role("button", name="What differs from the step gather").click()
    told = steps.get_by_role("region", name="What differs")
    told.get_by_text("is new").first.wait_for()
    steps.get_by_role("button", name="Close").last.click()
    page.keyboard.press("Escape")
    undo(page)


DROP = """([names, data, where]) => {
  const transfer = new DataTransfer();
  const bytes = Uint8Array.from(atob(data), (c) => c.charCodeAt(0));
  for (const name of names) transfer.items.add(new File([bytes], name, { type: "image/png" }));
  const table = document.querySelector(`[data-testid='${where}']`);
  const box = table.getBoundingClientRect();
  for (const kind of ["dragover", "drop"])
    table.dispatchEvent(new DragEvent(kind, { bubbles: true, cancelable: true, dataTransfer: transfer,
      clientX: box.x + box.width / 2, clientY: box.y + box.height / 2 }));
}"""


def image_of(*colour):
    out = io.BytesIO()
    Image.new("RGB", (32, 32), colour).save(out, "PNG")
    return base64.b64encode(out.getvalue()).decode()


def colours(page):
    """How many points of the model have each colour, seen from the window."""
    shot = Image.open(io.BytesIO(page.get_by_test_id("model").screenshot())).convert("RGB")
    return {colour: count for count, colour in shot.getcolors(1 << 24)}


@pytest.mark.painted
def test_the_model_wears_an_image_and_a_texture_goes_on_across_seams(page):
    stage(page, "Arrange")
    dock_model(page)
    page.evaluate(DROP, [["violet.png"], image_of(150, 40, 230), "model"])
    page.get_by_label("Repeats over a tile").wait_for()
    assert page.get_by_label("View as").input_value() == "own image"

    def violet():
        settled(page)
        return sum(n for (r, g, b), n in colours(page).items() if b > 2 * g and b > r > g)

    poll(page, violet, lambda n: n > 2000, "violet")
    page.get_by_label("Repeats over a tile").fill("4")
    page.get_by_label("Repeats over a tile").press("Enter")
    page.locator("[data-row='Gallery rail']").click()
    with page.expect_request("**/continue-across/") as asked:
        page.keyboard.press("Control+k")
        page.keyboard.type("Continue across seams")
        page.keyboard.press("Enter")
    assert asked.value.post_data_json["repeats"] == [4, 4]
    page.get_by_text("laid against neighbours").wait_for()
    idle(page)
    undo(page)
    page.get_by_role("button", name="Take off violet.png").click()
    poll(page, violet, lambda n: n < 2000, "taken off")
    page.get_by_label("View as").select_option("object")


def test_a_numbered_set_of_images_lies_behind_its_tiles(page):
    stage(page, "Arrange")
    part(page, "Tiles")
    task(page).get_by_role("button", name="Add a tile").click()
    page.wait_for_selector("[data-tile='1002']")
    data = image_of(200, 60, 40)
    page.evaluate(DROP, [["rust.1001.png", "rust.1002.png"], data, "table"])
    page.get_by_text("2 images lie behind their tiles.").wait_for()
    page.evaluate(DROP, [["rust.1001.png", "rust.1011.png"], data, "table"])
    page.get_by_text("There is no tile for rust.1011.png").wait_for()
    settled(page)
