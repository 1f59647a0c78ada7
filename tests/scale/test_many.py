"""Two web processes and three workers on PostgreSQL, Redis and S3-compatible storage, and what happens when one of them is gone."""

from __future__ import annotations

import concurrent.futures
import contextlib
import json
import os
import signal
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
import uuid

import numpy as np
import psutil
import pytest
from playwright.sync_api import sync_playwright

from tests.browser.conftest import FLAGS
from tests.core.bake_findings_samples import glb
from tests.core.high_poly import plane, surface
from tests.scale.engines import ROOT, Engines, engines, free_port, wait_for

MANAGE = [sys.executable, str(ROOT / "manage.py")]
WORKERS = 3


class Addressed:
    """What web processes answer at their ports."""

    def __init__(self, ports: list[int]) -> None:
        self.ports = ports

    def raw(self, path: str, method: str, body: bytes | None, web: int = 0) -> tuple[int, bytes]:
        """The status and the body."""
        address = f"http://127.0.0.1:{self.ports[web]}"
        headers = {"Content-Type": "application/json", "Origin": address}
        request = urllib.request.Request(address + path, body, headers, method=method or None)
        try:
            with urllib.request.urlopen(request, timeout=60) as answer:
                return answer.status, answer.read()
        except urllib.error.HTTPError as error:
            return error.code, error.read()

    def ask(self, path: str, body: dict | None = None, web: int = 0, method: str = ""):
        """The status and the JSON."""
        given = None if body is None else json.dumps(body).encode()
        status, data = self.raw(path, method, given, web)
        return status, json.loads(data) if data else None


class Studio(Addressed):
    """Web processes and workers; each has nothing but the addresses of the engines."""

    def __init__(self, here: Engines) -> None:
        self.engines, self.webs, self.workers = here, [], []
        self.run("migrate", "--verbosity", "0")
        self.run("load_demo")
        self.ports = [free_port(), free_port()]
        for port in self.ports:
            self.webs.append(self.start("serve", "--without-worker", "--port", str(port)))
        for _ in range(WORKERS):
            self.workers.append(self.start_worker())
        for port in self.ports:
            wait_for(port)

    def environment(self) -> dict[str, str]:
        own = {
            "QUILT_DATA_DIR": tempfile.mkdtemp(prefix="quilt-machine-"),
            "QUILT_SECRET_KEY": "scale",
        }
        fast = {"QUILT_SILENT_SECONDS": "10", "QUILT_IMMEDIATE_JOBS": "0"}
        fast["DJANGO_SETTINGS_MODULE"] = "quilt_site.settings"
        return {**os.environ, **self.engines.environment, **own, **fast}

    def run(self, *command: str) -> None:
        subprocess.run([*MANAGE, *command], env=self.environment(), check=True, capture_output=True)

    def start(self, *command: str) -> subprocess.Popen[bytes]:
        return subprocess.Popen(
            [*MANAGE, *command], env=self.environment(), stdout=subprocess.DEVNULL
        )

    def start_worker(self) -> subprocess.Popen[bytes]:
        return self.start("work", "--alone", "--quiet", "--workers", "1")

    def send(self, project: int, name: str, data: bytes, web: int = 0):
        """Bring a file in: the status and the JSON."""
        mark, address = uuid.uuid4().hex, f"http://127.0.0.1:{self.ports[web]}"
        head = (
            f'--{mark}\r\nContent-Disposition: form-data; name="files"; filename="{name}"\r\n\r\n'
        )
        body = head.encode() + data + f"\r\n--{mark}--\r\n".encode()
        headers = {"Content-Type": f"multipart/form-data; boundary={mark}", "Origin": address}
        request = urllib.request.Request(f"{address}/api/projects/{project}/files/", body, headers)
        try:
            with urllib.request.urlopen(request, timeout=60) as answer:
                return answer.status, json.loads(answer.read())
        except urllib.error.HTTPError as error:
            return error.code, json.loads(error.read())

    def change(self, project: int = 1) -> int:
        return self.ask(f"/api/projects/{project}/")[1]["change"]

    def job(self, path: str, web: int = 0, **body):
        status, made = self.ask(path, {"change": self.change(), **body}, web)
        assert status == 202, made
        return made["id"]

    def done(self, job: int, web: int = 0, seconds: float = 120.0):
        end = time.monotonic() + seconds
        while True:
            row = self.ask(f"/api/jobs/{job}/", web=web)[1]
            if row["state"] not in ("queued", "running"):
                return row
            assert time.monotonic() < end, row
            time.sleep(0.2)

    def stop(self) -> None:
        for one in [*self.webs, *self.workers]:
            kill_all(one)


def kill_all(process: subprocess.Popen[bytes]) -> None:
    """A process and its children, at once: as a machine that is gone."""
    with contextlib.suppress(psutil.NoSuchProcess):
        rows = [psutil.Process(process.pid), *psutil.Process(process.pid).children(recursive=True)]
        for row in rows:
            with contextlib.suppress(psutil.NoSuchProcess):
                row.send_signal(signal.SIGKILL)
        psutil.wait_procs(rows, timeout=5)
    process.wait()


@pytest.fixture(scope="module")
def studio():
    with engines() as here:
        made = Studio(here)
        try:
            yield made
        finally:
            made.stop()


def test_what_one_web_process_starts_the_other_shows(studio):
    before = studio.change()
    job = studio.job("/api/atlases/1/pack/", effort="quick", density="equal")
    row = studio.done(job, web=1)
    assert row["state"] == "done", row
    assert studio.ask("/api/projects/1/", web=1)[1]["change"] > before
    # Geometry and images come from the shared storage, whoever asks first.
    revision = studio.ask("/api/atlases/1/", web=1)[1]["head"]["id"]
    for web in (0, 1):
        address = f"http://127.0.0.1:{studio.ports[web]}/api/revisions/{revision}/thumbnail.png"
        with urllib.request.urlopen(address, timeout=60) as answer:
            assert answer.read(4) == b"\x89PNG"


def test_many_jobs_are_shared_and_each_is_done_once(studio):
    jobs = [
        studio.job("/api/atlases/1/bake/", web=k % 2, maps=["normal"], size=256) for k in range(9)
    ]
    rows = [studio.done(job) for job in jobs]
    assert {row["state"] for row in rows} == {"done"}
    from tests.scale.database import jobs_of

    found = jobs_of(studio.engines.postgres.address, jobs)
    assert all(attempts == 0 for _, attempts in found), "each was claimed by one worker"
    assert len({worker for worker, _ in found}) >= 2, "and they were spread"


def test_the_same_edits_from_both_sides_are_kept_or_told(studio):
    # Twelve people give weights to twelve islands at once, from what they all saw: none is lost.
    seen = studio.change()

    def weigh(k: int):
        body = {"change": seen, "islands": [k], "weight": 0.5}
        return studio.ask("/api/atlases/1/control/", body, web=k % 2)[0]

    with concurrent.futures.ThreadPoolExecutor(12) as pool:
        statuses = list(pool.map(weigh, range(12)))
    revision = studio.ask("/api/atlases/1/")[1]["head"]["id"]
    weights = studio.ask(f"/api/revisions/{revision}/")[1]["controls"]["weight"]
    for k, status in enumerate(statuses):
        assert (status, weights[k]) in ((200, 0.5), (409, 1)), (k, status, weights[k])
    assert statuses.count(200) == 12, statuses


def test_a_worker_that_vanishes_is_noticed_and_its_job_done_by_another(studio):
    job = studio.job("/api/atlases/1/bake/", maps=["normal", "occlusion"], size=2048, rays=64)
    from tests.scale.database import jobs_of

    end = time.monotonic() + 30
    worker = ""
    while not worker and time.monotonic() < end:
        ((worker, _),) = jobs_of(studio.engines.postgres.address, [job])
        time.sleep(0.1)
    pid = int(worker.split()[1])
    families = {
        w: [p.pid for p in psutil.Process(w.pid).children(recursive=True)] for w in studio.workers
    }
    (victim,) = [w for w, pids in families.items() if pid in pids]
    kill_all(victim)
    studio.workers[studio.workers.index(victim)] = studio.start_worker()
    gone = time.monotonic()
    while True:
        ((now, attempts),) = jobs_of(studio.engines.postgres.address, [job])
        if attempts == 1 and now != worker:
            break
        assert time.monotonic() - gone < 30, "not noticed within 30 s"
        time.sleep(0.2)
    assert studio.done(job, seconds=180)["state"] == "done"


def plates(count: int) -> bytes:
    """A plate on each of many tiles, and a wavy fine one for each."""
    files = {}
    for k in range(count):
        low, wave = plane(2), plane(24, lambda x, y, k=k: 0.01 * np.sin((9 + k) * x))
        at, shift = (k % 10 + 0.05, k // 10 + 0.05), (3.0 * k, 0, 0)
        files[f"Plate{k}, low"] = surface(low.points + shift, uv=low.uv * 0.9 + at)
        files[f"Plate{k}, high"] = surface(wave.points + shift, uv=plane(24).uv * 0.1 + 20)
    return glb(**files)


def test_a_bake_of_forty_tiles_is_spread_and_outlives_a_worker(studio):
    from tests.scale.database import parts_of

    count = 40
    project = studio.ask("/api/projects/", {"name": "Forty"})[1]
    atlas = project["atlases"][0]["id"]
    status, told = studio.send(project["id"], "plates.glb", plates(count))
    assert status == 202 and studio.done(told["job"]["id"])["state"] == "done"
    tiles = [{"number": 1001 + k, "width": 512, "height": 512} for k in range(count)]
    change = studio.change(project["id"])
    status, told = studio.ask(f"/api/atlases/{atlas}/tiles/", {"change": change, "tiles": tiles}, method="PUT")  # fmt: skip
    assert status == 200, told
    given = {"maps": ["normal", "occlusion"], "size": 512, "rays": 64, "change": studio.change(project["id"])}  # fmt: skip
    job = studio.ask(f"/api/atlases/{atlas}/bake/", given)[1]["id"]
    address = studio.engines.postgres.address
    while sum(state == "done" for _, state, _, _ in parts_of(address, job)) < 4:
        time.sleep(0.2)
    # One that works on a part and not on the whole is gone from one moment to the next.
    whole = parts_of(address, job, itself=True)[0][2]
    busy = [worker for _, state, worker, _ in parts_of(address, job) if state == "running" and worker != whole]  # fmt: skip
    (victim,) = [
        one
        for one in studio.workers
        if int(busy[0].split()[1]) in [p.pid for p in psutil.Process(one.pid).children(recursive=True)]
    ]  # fmt: skip
    kill_all(victim)
    studio.workers[studio.workers.index(victim)] = studio.start_worker()
    row = studio.done(job, seconds=300)
    assert row["state"] == "done", row
    rows = parts_of(address, job)
    assert len(rows) == count and {state for _, state, _, _ in rows} == {"done"}
    assert len({worker for _, _, worker, _ in rows}) >= 3, "all workers took part"
    assert sum(attempts for _, _, _, attempts in rows) == 1, "the lost part was done by another one"
    assert row["result"]["whole"] and {m["tile"] for m in row["result"]["maps"]} == {t["number"] for t in tiles}  # fmt: skip


def test_jobs_outlive_a_queue_that_is_gone(studio):
    studio.engines.redis.kill()
    job = studio.job("/api/atlases/1/bake/", maps=["normal"], size=256)
    assert studio.ask(f"/api/jobs/{job}/")[1]["state"] == "queued"
    studio.engines.redis.start()
    assert studio.done(job, seconds=90)["state"] == "done"


def test_a_database_that_is_away_is_told_and_nothing_acknowledged_is_lost(studio):
    status, _ = studio.ask("/api/projects/1/", {"name": "Before", "change": studio.change()}, method="PATCH")  # fmt: skip
    assert status == 200
    studio.engines.postgres.kill()
    status, told = studio.ask("/api/projects/1/")
    assert status == 503 and "database" in told["what"], told
    studio.engines.postgres.start()
    end = time.monotonic() + 30
    while studio.ask("/api/projects/1/")[0] != 200:
        assert time.monotonic() < end
        time.sleep(0.3)
    assert studio.ask("/api/projects/1/", web=1)[1]["name"] == "Before"
    job = studio.job("/api/atlases/1/bake/", maps=["normal"], size=256)
    assert studio.done(job, seconds=90)["state"] == "done"


def test_the_room_works_on_it(studio):
    with sync_playwright() as playwright:
        browser = playwright.chromium.launch(executable_path="/usr/bin/chromium", args=FLAGS)
        page = browser.new_page(viewport={"width": 1280, "height": 800})
        page.goto(f"http://127.0.0.1:{studio.ports[1]}/project/1")
        before = studio.change()
        page.get_by_role("button", name="Arrange").first.click()
        page.get_by_role("button", name="Pack 221 islands").click(timeout=60_000)
        end = time.monotonic() + 120
        while studio.change() == before:
            assert time.monotonic() < end
            time.sleep(0.3)
        # The other web process knows what is undone here.
        page.get_by_text("no jobs").wait_for(timeout=120_000)
        page.get_by_role("button", name="Undo").click()
        page.wait_for_function(
            "() => !document.querySelector(\"button[aria-label='Redo']\").disabled"
        )
        assert studio.ask("/api/projects/1/")[1]["change"] == before
        browser.close()
