"""Work by hand in headless Chromium: script for each pointer move, from opening to the first drawing,
and from letting go to the figures; on 10,000 islands and on 100,000."""

from __future__ import annotations

import os
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from benchmarks.history import ISLANDS, grid_obj

ROOT = Path(__file__).resolve().parents[1]
MOVES = 60
MANY = 100_000
TIMED = """
() => {
  const frame = window.requestAnimationFrame.bind(window);
  window.spent = 0;
  window.requestAnimationFrame = (act) => frame((now) => {
    const started = performance.now();
    act(now);
    window.spent += performance.now() - started;
  });
}
"""
REFERENCE = """
() => {
  let seed = 7;
  const numbers = Array.from({ length: 200000 }, () => (seed = (seed * 16807) % 2147483647));
  const started = performance.now();
  numbers.sort((a, b) => a - b);
  return performance.now() - started;
}
"""
MOVE = """
async ([type, x, y, keys]) => {
  const table = document.querySelector('[data-testid=table]');
  window.spent = 0;
  const started = performance.now();
  table.dispatchEvent(new PointerEvent(type, { clientX: x, clientY: y, pointerId: 1, bubbles: true, button: type === 'pointermove' ? -1 : 0, ...keys }));
  const handler = performance.now() - started;
  await new Promise((done) => setTimeout(() => requestAnimationFrame(() => setTimeout(done, 0)), 0));
  return handler + window.spent;
}
"""


DROP = """
async ([x, y]) => {
  const bar = document.querySelector('[role=toolbar][aria-label=Verdict]');
  const table = document.querySelector('[data-testid=table]');
  const before = bar.dataset.measured;
  const send = (type, dx) => table.dispatchEvent(new PointerEvent(type, { clientX: x + dx, clientY: y, pointerId: 1, bubbles: true, button: type === 'pointermove' ? -1 : 0, altKey: true }));
  send('pointerdown', 0);
  for (let dx = 0; dx <= 12; dx += 3) send('pointermove', dx);
  await new Promise((done) => requestAnimationFrame(done));
  const started = performance.now();
  send('pointerup', 12);
  for (;;) {
    await new Promise((done) => setTimeout(done, 4));
    const now = bar.dataset.measured;
    if (now && now !== before) return performance.now() - started;
    if (performance.now() - started > 30000) throw new Error('no figures came');
  }
}
"""
WHEEL = """
async ([x, y, kind]) => {
  const table = document.querySelector('[data-testid=table]');
  window.spent = 0;
  const started = performance.now();
  table.dispatchEvent(new WheelEvent('wheel', { clientX: x, clientY: y, bubbles: true, cancelable: true, deltaX: kind === 'pan' ? 3 : 0, deltaY: kind === 'pan' ? 0 : 6, shiftKey: false }));
  const handler = performance.now() - started;
  await new Promise((done) => setTimeout(() => requestAnimationFrame(() => setTimeout(done, 0)), 0));
  return handler + window.spent;
}
"""


def lines() -> Iterator[str]:
    """Figures as lines of text."""
    from playwright.sync_api import sync_playwright

    from tests.browser.conftest import FLAGS

    with tempfile.TemporaryDirectory() as folder:
        environment = {**os.environ, "QUILT_DATA_DIR": folder, "QUILT_IMMEDIATE_JOBS": "0"}
        manage = [sys.executable, str(ROOT / "manage.py")]
        subprocess.run([*manage, "migrate", "--verbosity", "0"], env=environment, check=True)
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            port = probe.getsockname()[1]
        server = subprocess.Popen(
            [*manage, "serve", "--port", str(port)], env=environment, stdout=subprocess.DEVNULL
        )
        address = f"http://127.0.0.1:{port}"
        try:
            _wait(address)
            with sync_playwright() as playwright:
                browser = playwright.chromium.launch(
                    executable_path=shutil.which("chromium") or "/usr/bin/chromium", args=FLAGS
                )
                context = browser.new_context(
                    viewport={"width": 1280, "height": 800},
                    reduced_motion="reduce",
                    bypass_csp=True,
                )
                yield from _figures(context.new_page(), address)
                yield from _many(context.new_page(), address)
                browser.close()
        finally:
            server.send_signal(signal.SIGTERM)
            server.wait(timeout=20)


def _wait(address: str) -> None:
    for _ in range(200):
        try:
            urllib.request.urlopen(address + "/api/projects/", timeout=2)
            return
        except OSError:
            time.sleep(0.1)


def _figures(page: Any, address: str) -> Iterator[str]:
    project = _gathered(page, address, ISLANDS)
    opened = [_open(page, project) for _ in range(3)]
    unit = np.median([page.evaluate(REFERENCE) for _ in range(5)])
    yield f"by hand on {ISLANDS:,} islands; the reference sorts 200,000 numbers in the page, {unit:.0f} ms"
    opening = float(np.median(opened))
    yield f"  opened and drawn after {opening:.2f} s ({1e3 * opening / unit:.0f} of the reference)"
    page.get_by_role("navigation").get_by_role("button", name="Arrange").click()
    page.get_by_role("button", name="Whole sheet").click()
    page.wait_for_timeout(500)
    box = page.get_by_test_id("table").bounding_box()
    x, y = box["x"] + 0.62 * box["width"], box["y"] + 0.5 * box["height"]
    dropped = [page.evaluate(DROP, _on_island(page, x + 40 * k, y + 60)) for k in range(6)]
    yield f"  from letting go of one to its figures: {np.median(dropped[1:]):.0f} ms ({np.median(dropped[1:]) / unit:.1f} of the reference)"
    x, y = _on_island(page, x, y)
    page.evaluate(TIMED)
    hover = [page.evaluate(MOVE, ["pointermove", x + 2 * k, y + k, {}]) for k in range(MOVES)]
    yield _line("hover", hover)
    yield _line("drag of one", _drag(page, x, y))
    page.keyboard.press("Escape")
    started = page.evaluate(
        "() => { const t = performance.now(); document.querySelector('[data-testid=table]').dispatchEvent(new KeyboardEvent('keydown', { key: 'a', ctrlKey: true, bubbles: true })); return performance.now() - t; }"
    )
    yield f"  everything picked: {started:.0f} ms"
    page.evaluate(MOVE, ["pointerdown", box["x"] + 90, box["y"] + 6, {}])
    boxed = page.evaluate(
        MOVE, ["pointermove", box["x"] + box["width"] - 4, box["y"] + box["height"] - 4, {}]
    )
    boxed += page.evaluate(
        MOVE, ["pointerup", box["x"] + box["width"] - 4, box["y"] + box["height"] - 4, {}]
    )
    yield f"  box round all: {boxed:.0f} ms of script"
    yield _line(f"drag of {ISLANDS:,}", _drag(page, x, y))


def _on_island(page: Any, x: float, y: float) -> tuple[float, float]:
    """A point near another one that lies on an island."""
    for k in range(400):
        at = x + k % 20, y + k // 20
        page.mouse.click(*at)
        if page.locator("[data-number=x]").count():
            page.keyboard.press("Escape")
            return at
    raise RuntimeError("no island lies there")


def _many(page: Any, address: str) -> Iterator[str]:
    _gathered(page, address, MANY)
    yield f"by hand on {MANY:,} islands"
    page.get_by_role("navigation").get_by_role("button", name="Arrange").click()
    page.get_by_role("button", name="Whole sheet").click()
    page.wait_for_timeout(1500)
    page.evaluate(TIMED)
    box = page.get_by_test_id("table").bounding_box()
    x, y = box["x"] + 0.62 * box["width"], box["y"] + 0.5 * box["height"]
    yield _line("drag of one", _drag(page, *_on_island(page, x, y)))
    for kind in ("pan", "zoom"):
        yield _line(kind, [page.evaluate(WHEEL, [x, y, kind]) for _ in range(MOVES)])


def _gathered(page: Any, address: str, islands: int) -> str:
    """Address of a new project with so many islands, once they are measured."""
    page.goto(address)
    made = page.evaluate(
        "async () => (await fetch('/api/projects/', { method: 'POST', headers: { 'Content-Type': 'application/json' }, body: JSON.stringify({ name: 'bench' }) })).json()"
    )
    page.goto(f"{address}/project/{made['id']}")
    page.get_by_test_id("files").set_input_files(
        {"name": "many.obj", "mimeType": "text/plain", "buffer": grid_obj(islands)}
    )
    page.wait_for_selector("[data-figure=overlaps]", timeout=400_000)
    page.wait_for_timeout(3000)
    return f"{address}/project/{made['id']}"


def _open(page: Any, address: str) -> float:
    page.goto("about:blank")
    started = time.perf_counter()
    page.goto(address)
    page.wait_for_function(
        "() => performance.getEntriesByName('table painted').length", timeout=60_000
    )
    page.evaluate("() => new Promise((done) => requestAnimationFrame(() => setTimeout(done, 0)))")
    return time.perf_counter() - started


def _drag(page: Any, x: float, y: float) -> list[float]:
    page.evaluate(MOVE, ["pointerdown", x, y, {}])
    page.evaluate(MOVE, ["pointermove", x + 6, y, {}])
    out = [page.evaluate(MOVE, ["pointermove", x + 6 + 2 * k, y + k, {}]) for k in range(MOVES)]
    page.get_by_test_id("table").focus()
    page.keyboard.press("Escape")
    return out


def _line(what: str, times: list[float]) -> str:
    return f"  {what}: {np.median(times):.1f} ms of script for each pointer move, 95 % under {np.quantile(times, 0.95):.1f} ms"


def main() -> None:
    """Print the figures."""
    for line in lines():
        print(line, flush=True)


if __name__ == "__main__":
    main()
