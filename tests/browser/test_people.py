"""Accounts in the browser: an invitation opens one, an owner shares a project, a viewer looks, whoever is logged out sees nothing."""

from __future__ import annotations

import shutil

import pytest

from tests.browser.conftest import printed, served
from tests.studio.update_samples import obj_file

pytestmark = pytest.mark.browser
GOOD = "a lamp over the quiet harbour"


@pytest.fixture(scope="module")
def studio(tmp_path_factory, ready):
    """An installation that keeps accounts, and the link of its first invitation."""
    data = shutil.copytree(ready["empty"](), tmp_path_factory.mktemp("people") / "data")
    link = printed(data, "invite", QUILT_ACCOUNTS="1")
    with served(data, QUILT_ACCOUNTS="1") as url:
        yield url, link.strip().rpartition("/")[2]


def opened(chromium):
    """A browser of one's own, with the ledger in sight."""
    context = chromium.new_context(viewport={"width": 1280, "height": 800}, reduced_motion="reduce")
    room = """localStorage.setItem("quilt-room", '{"table": {"model": "docked", "objectList": true}}')"""
    context.add_init_script(room)
    context.set_default_timeout(300_000)
    return context.new_page()


def test_people_are_invited_and_see_what_is_theirs(studio, chromium):
    url, word = studio
    first = opened(chromium)
    first.goto(url)
    first.get_by_role("button", name="Log in").wait_for()
    first.goto(f"{url}/join/{word}")
    first.get_by_label("Name").fill("mira")
    first.get_by_label("Password").fill("short")
    first.get_by_role("button", name="Make an account and join").click()
    first.get_by_text("too short").wait_for()
    first.get_by_label("Password").fill(GOOD)
    first.get_by_role("button", name="Make an account and join").click()
    first.get_by_label("Name of a new project").fill("Pier")
    first.get_by_role("button", name="Create").click()
    first.get_by_role("button", name="People").click()
    dialog = first.get_by_role("dialog")
    dialog.get_by_text("mira (you)").wait_for()
    dialog.get_by_label("Role of whoever is invited").select_option("viewer")
    dialog.get_by_label("For whom").fill("Jon")
    dialog.get_by_role("button", name="Make a link").click()
    link = dialog.get_by_label("Link of the invitation").input_value()
    dialog.get_by_text("Jon, as viewer").wait_for()
    # The last owner stays.
    dialog.get_by_label("Role of mira").select_option("viewer")
    first.get_by_text("one owner at least").wait_for()

    second = opened(chromium)
    second.goto(link)
    second.get_by_text("mira invites you to “Pier” as viewer.").wait_for()
    second.get_by_label("Name").fill("jon")
    second.get_by_label("Password").fill(GOOD)
    second.get_by_role("button", name="Make an account and join").click()
    # A viewer is not offered what would be refused.
    second.get_by_role("heading", name="No meshes are here yet").wait_for()
    second.get_by_text("view only").wait_for()
    assert not second.get_by_test_id("files").count()
    # With all that stands in the bar for accounts its last button is still in a small window.
    second.set_viewport_size({"width": 1024, "height": 700})
    box = second.get_by_role("button", name="Shortcuts").bounding_box()
    assert box is not None and box["x"] + box["width"] <= 1024
    second.set_viewport_size({"width": 1280, "height": 800})
    # They see one another, and what the other does comes by itself.
    first.keyboard.press("Escape")
    first.get_by_test_id("here").get_by_role("button", name="jon is here").wait_for()
    second.get_by_test_id("here").get_by_role("button", name="mira is here").wait_for()
    yard = {
        "name": "yard.obj",
        "mimeType": "text/plain",
        "buffer": obj_file(("crate", 0, 1), ("bench", 9, 2)),
    }
    first.get_by_test_id("files").set_input_files([yard])
    first.locator("[data-row='crate']").wait_for()
    second.locator("[data-row='crate']").wait_for()
    first.locator("[data-row='crate']").click()
    second.get_by_test_id("here").get_by_role("button", name="3 islands selected").click()
    second.get_by_text("3 selected").wait_for()
    # Notes are said about what is picked, answered, and closed.
    second.get_by_role("button", name="Notes to one another").click()
    notes = second.get_by_test_id("notes")
    notes.get_by_text("About crate").wait_for()
    notes.get_by_label("A new note").fill("Too coarse?")
    notes.get_by_role("button", name="Say it").click()
    notes.get_by_text("Too coarse?").wait_for()
    second.keyboard.press("Escape")
    first.get_by_role("button", name="Notes to one another, 1 open").click()
    theirs = first.get_by_test_id("notes").locator("[data-note]")
    theirs.get_by_role("button", name="answer").click()
    theirs.get_by_label("Answer").fill("On purpose.")
    theirs.get_by_role("button", name="Say it").click()
    theirs.get_by_text("On purpose.").wait_for()
    theirs.get_by_role("button", name="close").click()
    theirs.wait_for(state="detached")
    first.keyboard.press("Escape")
    second.goto(f"{url}/projects")
    second.get_by_role("button", name="Delete Pier").click()
    second.get_by_text("As viewer you cannot").wait_for()
    # A link is used once.
    third = chromium.new_context().new_page()
    third.goto(link)
    third.get_by_text("does not hold").wait_for()
    second.get_by_role("button", name="Log out").click()
    second.get_by_role("button", name="Log in").wait_for()
    second.get_by_label("Name").fill("jon")
    second.get_by_label("Password").fill("wrong")
    second.get_by_role("button", name="Log in").click()
    second.get_by_text("do not fit").wait_for()
    second.get_by_label("Password").fill(GOOD)
    second.get_by_role("button", name="Log in").click()
    second.get_by_text("You are jon.").wait_for()
    for page in (first, second, third):
        page.context.close()
