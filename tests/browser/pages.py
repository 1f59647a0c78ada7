"""What the tests do on a page, and what they read off it."""

from __future__ import annotations

import time

from playwright.sync_api import FormData


def settled(page) -> None:
    """Until the page waits for no answer, has drawn what came, and nothing on it moves."""
    page.wait_for_function(
        """() => new Promise((done) => {
          const moves = (a) => a.playState === "running" && a.effect.getComputedTiming().endTime !== Infinity;
          const still = () => document.documentElement.dataset.waiting === "0" && !document.getAnimations().some(moves);
          requestAnimationFrame(() => requestAnimationFrame(() => done(still())));
        })"""
    )


def poll(page, found, wanted, what: str):
    """What `found` answers, once `wanted` says yes to it; each is asked on the page's own time."""
    until = time.monotonic() + 300
    while True:
        answer = found()
        if wanted(answer):
            return answer
        if time.monotonic() > until:
            raise AssertionError(f"never {what}: {answer}")
        page.wait_for_timeout(50)


def figure(page, name: str) -> str:
    return page.locator(f"[data-figure='{name}'] [data-value]").inner_text()


def stage(page, name: str) -> None:
    """Go to a stage, by its button or, in a narrow window, in the list."""
    listed = page.get_by_label("Stage", exact=True)
    if listed.count():
        listed.select_option(name)
    else:
        page.get_by_role("navigation").get_by_role("button", name=name).click()


def dock_model(page) -> None:
    """The model beside the table."""
    page.get_by_role("button", name="Model", exact=True).click()
    page.get_by_label("Dock the model").click()


def task(page):
    return page.locator("section[aria-label=Task]")


def changed(page, name: str, before: str) -> str:
    page.wait_for_function(
        "([name, before]) => { const f = document.querySelector(`[data-figure='${name}'] [data-value]`); return f && f.textContent !== before; }",
        arg=[name, before],
    )
    return figure(page, name)


def undo_all(page) -> None:
    """Back to the demo as it came in, whatever other tests did to it: by the list of steps."""
    page.get_by_label("Steps", exact=True).click()
    steps = page.get_by_role("dialog", name="Steps")
    page.locator("[role=dialog][aria-label=Steps][aria-busy=false]").wait_for()
    first = steps.locator("[data-step=gather]").last
    if first.get_attribute("aria-current") != "step":
        with page.expect_response(
            lambda r: "/history/" in r.url and r.request.method == "POST"
        ) as answer:
            first.click()
        assert answer.value.status == 200
    page.wait_for_function("document.querySelector('[data-step=gather]')?.ariaCurrent === 'step'")
    page.keyboard.press("Escape")
    steps.wait_for(state="detached")


def ask(page, path: str, body=None):
    """An answer of the API, asked with the cookies of the page but beside it: large ones come through it slowly."""
    origin = "/".join(page.url.split("/")[:3])
    answer = page.request.fetch(
        origin + path,
        method="POST" if body else "GET",
        headers={"Origin": origin},
        data=body or None,
    )
    return answer.json()


def bring(page, name: str, *files: tuple[str, bytes]) -> int:
    """A new project with files, made beside the page; tests of bringing files in do it on the page."""
    project = ask(page, "/api/projects/", {"name": name})["id"]
    origin = "/".join(page.url.split("/")[:3])
    form = FormData()
    for file, data in files:
        form.append("files", {"name": file, "mimeType": "application/octet-stream", "buffer": data})
    sent = page.request.post(
        f"{origin}/api/projects/{project}/files/", headers={"Origin": origin}, multipart=form
    )
    assert sent.status == 201, sent.text()
    return project


def open_project(page, address: str, project: int, stage: str = "") -> None:
    """The page of a project, at a stage by its name in the address."""
    page.goto(f"{address}/project/{project}{f'?stage={stage}' if stage else ''}")
    # The table, or the first screen of a project without objects.
    page.locator("[data-testid=table], [data-testid=files]").first.wait_for(state="attached")


def layout(page) -> dict:
    """The newest layout with its figures, when they are there."""
    project = int(page.url.rstrip("/").split("/")[-1].split("?")[0])
    atlas = ask(page, f"/api/projects/{project}/")["atlases"][0]["id"]
    head = ask(page, f"/api/atlases/{atlas}/")["head"]["id"]
    return poll(
        page,
        lambda: ask(page, f"/api/revisions/{head}/"),
        lambda found: found["figures"],
        "measured",
    )


STILL = """async (table) => {
  const frame = () => new Promise(requestAnimationFrame);
  for (let same = 0, last = ""; ; last = table.dataset.view) {
    await frame();
    same = last && last === table.dataset.view ? same + 1 : 0;
    if (same > 2) return last;
  }
}"""
"""What part of the table is in sight, once that stays so."""


def view(page):
    """How UVs of the first sheet become places on the screen, once the table stands still."""
    box = page.get_by_test_id("table").bounding_box()
    left, top, scale = map(float, page.get_by_test_id("table").evaluate(STILL).split(","))
    return lambda u, v: (box["x"] + 1 + left + u * scale, box["y"] + 1 + top - v * scale)


def at(page, u: float, v: float) -> tuple[float, float]:
    """Where a UV of the first sheet is on the screen."""
    return view(page)(u, v)


def drag(page, start, end, drop: bool = True, key: str = "") -> None:
    place = view(page)
    page.mouse.move(*place(*start))
    page.mouse.down()
    if key:
        page.keyboard.down(key)
    for k in range(1, 7):
        page.mouse.move(*place(*(a + (b - a) * k / 6 for a, b in zip(start, end, strict=True))))
    if drop:
        page.mouse.up()
    if key:
        page.keyboard.up(key)


def number(page, name: str) -> float:
    return float(page.locator(f"[data-number={name}]").input_value())


def until(page, expression: str, arg=None) -> None:
    page.wait_for_function(expression, arg=arg)


def gap_is(page, value: str) -> None:
    until(
        page,
        "(v) => document.querySelector(\"[data-figure='smallest gap'] [data-value]\")?.textContent === v",
        value,
    )


def history(page) -> list[dict]:
    project = int(page.url.rstrip("/").split("/")[-1].split("?")[0])
    return ask(page, f"/api/projects/{project}/history/")["steps"]


def until_steps(page, count: int) -> None:
    poll(page, lambda: history(page), lambda steps: len(steps) >= count, f"{count} steps")


def until_verb(page, verb: str) -> None:
    poll(page, lambda: history(page)[-1]["verb"], lambda last: last == verb, verb)


def until_present(page, count: int) -> None:
    """Until so many steps lead to the present one, and the page has seen it."""
    poll(
        page,
        lambda: [row for row in history(page) if not row["ahead"]],
        lambda steps: len(steps) == count,
        f"{count} steps",
    )
    settled(page)


def command(page, text: str) -> None:
    page.keyboard.press("Control+k")
    page.get_by_role("textbox", name="Command").fill(text)
    page.keyboard.press("Enter")


def part(page, name: str) -> None:
    page.get_by_role("tab", name=name).click()


def pressed(page, label: str, wanted: bool = True) -> None:
    page.wait_for_selector(f"[aria-label='{label}'][aria-pressed={'true' if wanted else 'false'}]")


def undo(page, times: int = 1) -> None:
    for _ in range(times):
        with page.expect_response(lambda r: "/undo/" in r.url) as answer:
            page.get_by_label("Undo").click()
        assert answer.value.ok
        settled(page)


def idle(page) -> None:
    page.wait_for_function("document.querySelector('header').innerText.includes('no jobs')")


def proven(page) -> None:
    """Wait until the findings are those of the layout that is shown."""
    page.wait_for_function(
        "() => !document.querySelector(\"[data-figure='verdict'] [data-value]\").textContent.includes('checking')",
    )


def pack_quickly(page, islands: int) -> None:
    """Pack all islands of a page that stands in Arrange."""
    task(page).get_by_text("quick", exact=True).click()
    task(page).get_by_role("button", name=f"Pack {islands} islands").click()
