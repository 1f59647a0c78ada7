"""The real application on a free port with its worker, and a headless Chromium."""

from __future__ import annotations

import json
import os
import shutil
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from contextlib import contextmanager
from pathlib import Path

import pytest
from playwright.sync_api import sync_playwright

ROOT = Path(__file__).resolve().parents[2]
FLAGS = [
    "--no-sandbox",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
]


MANAGE = [sys.executable, str(ROOT / "manage.py")]


def environment(data: Path, **more: str) -> dict[str, str]:
    """What the application is told from outside."""
    return {
        **os.environ,
        "QUILT_DATA_DIR": str(data),
        "QUILT_IMMEDIATE_JOBS": "0",
        # Ten seconds of work after each pack, which the test of it asks for.
        "QUILT_EXPLAIN_PACKS": "0",
        "DJANGO_SETTINGS_MODULE": "quilt_site.settings",
        **more,
    }


def printed(data: Path, *command: str, **more: str) -> str:
    """What a command of the application prints."""
    told = environment(data, **more)
    done = subprocess.run([*MANAGE, *command], env=told, check=True, capture_output=True, text=True)
    return done.stdout


def made_once(folder: Path, make) -> Path:
    """A folder that one of the test processes makes, and the others wait for."""
    failed = folder.with_suffix(".failed")
    try:
        folder.with_suffix(".claimed").mkdir()
    except FileExistsError:
        while not folder.exists():
            assert not failed.exists(), f"another process could not make {folder.name}"
            time.sleep(0.1)
        return folder
    part = folder.with_suffix(".part")
    try:
        make(part)
    except BaseException:
        failed.touch()
        raise
    return part.rename(folder)


@pytest.fixture(scope="session")
def ready(tmp_path_factory):
    """Folders to copy: an application without projects, and one with the demo."""
    root = tmp_path_factory.getbasetemp()
    if os.environ.get("PYTEST_XDIST_WORKER"):
        root = root.parent

    def empty(folder: Path) -> None:
        folder.mkdir()
        printed(folder, "migrate", "--verbosity", "0")

    def with_demo(folder: Path) -> None:
        shutil.copytree(made_once(root / "empty", empty), folder)
        printed(folder, "load_demo")

    return {
        "empty": lambda: made_once(root / "empty", empty),
        "demo": lambda: made_once(root / "demo", with_demo),
    }


@contextmanager
def served(data: Path, **more: str):
    """A running application with its worker: its address."""
    with socket.socket() as probe:
        probe.bind(("127.0.0.1", 0))
        port = probe.getsockname()[1]
    server = subprocess.Popen(
        [*MANAGE, "serve", "--port", str(port)], env=environment(data, **more)
    )
    url = f"http://127.0.0.1:{port}"
    for _ in range(150):
        try:
            urllib.request.urlopen(url + "/api/me/", timeout=2)
            break
        except OSError:
            time.sleep(0.1)
    try:
        yield url
    finally:
        server.send_signal(signal.SIGTERM)
        server.wait(timeout=20)


@pytest.fixture(scope="session")
def address(tmp_path_factory, ready):
    """Address of a running application that holds the demo project."""
    data = shutil.copytree(ready["demo"](), tmp_path_factory.mktemp("data") / "demo")
    with served(data) as url:
        yield url


def _asked(url: str, body: dict | None = None):
    """What the server answers, as JSON."""
    address = url.split("/api/")[0]
    request = urllib.request.Request(
        url,
        None if body is None else json.dumps(body).encode(),
        {"Content-Type": "application/json", "Origin": address},
    )
    with urllib.request.urlopen(request, timeout=30) as answer:
        return json.loads(answer.read())


@pytest.fixture(scope="session")
def first_step(address):
    """The step at which the demo is as it was loaded."""
    return _asked(address + "/api/projects/1/history/")["head"]


@pytest.fixture(scope="module", autouse=True)
def demo_as_loaded(address, first_step):
    """Each file of tests begins with the demo as it was loaded, whatever ran before."""
    for _ in range(60):
        head = _asked(address + "/api/projects/1/history/")["head"]
        if head == first_step:
            return
        try:
            _asked(address + "/api/projects/1/history/", {"step": first_step, "change": head})
        except urllib.error.HTTPError:
            time.sleep(0.5)
    raise AssertionError("the demo could not be brought back to its first step")


@pytest.fixture(scope="session")
def chromium():
    """One headless browser for all tests."""
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(
            executable_path=shutil.which("chromium-headless-shell") or shutil.which("chromium"),
            args=FLAGS,
        )
        yield browser
        browser.close()


SMOOTH = """const ask = HTMLCanvasElement.prototype.getContext;
HTMLCanvasElement.prototype.getContext = function (kind, how) {
  return ask.call(this, kind, kind.startsWith("webgl") ? { ...how, antialias: false } : how);
};"""
"""Smooth edges cost software rendering a third of each image, and no test looks at them."""

UNPAINTED = """for (const name of ["clear", "drawArrays", "drawElements", "drawArraysInstanced", "drawElementsInstanced"])
  WebGL2RenderingContext.prototype[name] = () => {};"""
"""Table and model are painted by software where there is no graphics card, which takes longer than all else a test waits for.
Unless a test is marked `painted`, all of it is prepared (geometry, shaders, uniforms), and the last call is left out."""


@pytest.fixture
def window(address, chromium, request):
    """A window at 1280 x 800 with nothing kept from before, on no project yet; page errors fail the
    test."""
    errors: list[str] = []
    # Software rendering draws every frame of a glide slowly; without motion the tests look at the
    # same pages.
    context = chromium.new_context(
        viewport={"width": 1280, "height": 800},
        accept_downloads=True,
        reduced_motion="reduce",
        bypass_csp=True,  # Playwright waits by evaluating strings; a test of its own keeps the policy
    )
    # On a busy machine everything takes longer; what never comes is no test's to time.
    context.set_default_timeout(300_000)
    # The object list is open in every stage, and in Arrange the model is called by who looks at it: software rendering of it
    # takes as long as all else. A test of its own looks at how the room is at first.
    context.add_init_script(
        """localStorage.getItem("quilt-room") || localStorage.setItem("quilt-room", '{"table": {"model": "away", "objectList": true}}')"""
    )
    context.add_init_script(SMOOTH)
    if not request.node.get_closest_marker("painted"):
        context.add_init_script(UNPAINTED)
    page = context.new_page()
    page.on("pageerror", lambda error: errors.append(str(error)))
    page.goto(address + "/api/projects/")
    yield page
    context.close()
    assert errors == []


@pytest.fixture
def page(window, address):
    """A window that has opened the demo."""
    window.goto(address + "/project/1")
    window.wait_for_selector("[data-figure=overlaps]")
    return window
