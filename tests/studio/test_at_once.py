"""Many writers at once, and processes that are killed: nothing acknowledged is lost, nobody is left
behind."""

from __future__ import annotations

import json
import os
import random
import signal
import socket
import subprocess
import sys
import time
import urllib.error
import urllib.request
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test.client import BOUNDARY, MULTIPART_CONTENT, encode_multipart

pytestmark = pytest.mark.slow

ROOT = Path(__file__).resolve().parents[2]
KILLS = int(os.environ.get("QUILT_KILLS", "2"))
ISLANDS = 200
OVER = ("done", "failed", "cancelled")


def cards(count: int) -> bytes:
    """An OBJ of squares of many sizes, each with UVs of its own, all on one spot."""
    lines = []
    for k in range(count):
        side, at = 0.2 + 0.8 * ((7 * k) % 11) / 11, 4 * k
        for x, y in ((0, 0), (1, 0), (1, 1), (0, 1)):
            lines += [f"v {x * side + 2 * k} {y * side} 0", f"vt {x * side / 20} {y * side / 20}"]
        lines.append("f " + " ".join(f"{at + c}/{at + c}" for c in (1, 2, 3, 4)))
    return "\n".join(lines).encode()


CARDS = cards(ISLANDS)


class Server:
    """The real application in processes of its own."""

    def __init__(self, data: Path) -> None:
        self.environment = {
            **os.environ, "QUILT_DATA_DIR": str(data), "QUILT_IMMEDIATE_JOBS": "0",
            "DJANGO_SETTINGS_MODULE": "quilt_site.settings", "QUILT_STALE_SECONDS": "20",
        }  # fmt: skip
        with socket.socket() as probe:
            probe.bind(("127.0.0.1", 0))
            self.port = probe.getsockname()[1]
        self.manage = [sys.executable, str(ROOT / "manage.py")]
        subprocess.run(
            [*self.manage, "migrate", "--verbosity", "0"], env=self.environment, check=True
        )
        self.start()
        made = self.ask("/api/projects/", {"name": "cards"})[1]["id"]
        given = {"files": SimpleUploadedFile("cards.obj", CARDS)}
        status, _ = self.send(
            f"/api/projects/{made}/files/", encode_multipart(BOUNDARY, given), MULTIPART_CONTENT
        )
        assert status == 201

    def start(self) -> None:
        self.process = subprocess.Popen(
            [*self.manage, "serve", "--port", str(self.port)], env=self.environment
        )
        for _ in range(300):
            try:
                self.ask("/api/projects/")
                return
            except OSError:
                time.sleep(0.1)
        raise AssertionError("the server does not answer")

    def ask(self, path: str, body: dict | None = None) -> tuple[int, dict]:
        data = None if body is None else json.dumps(body).encode()
        return self.send(path, data, "application/json")

    def send(self, path: str, data: bytes | None, kind: str) -> tuple[int, dict]:
        request = urllib.request.Request(
            f"http://127.0.0.1:{self.port}{path}",
            data,
            {"Content-Type": kind, "Origin": f"http://127.0.0.1:{self.port}"},
        )
        try:
            with urllib.request.urlopen(request, timeout=30) as answer:
                return answer.status, json.loads(answer.read())
        except urllib.error.HTTPError as error:
            return error.code, json.loads(error.read())

    def atlas(self) -> dict:
        return self.ask(f"/api/atlases/{self.ask('/api/projects/')[1][0]['atlases'][0]['id']}/")[1]

    def jobs(self) -> list[dict]:
        return self.ask(f"/api/projects/{self.ask('/api/projects/')[1][0]['id']}/jobs/")[1]

    def wait_idle(self, seconds: float = 120) -> None:
        end = time.monotonic() + seconds
        while any(job["state"] not in OVER for job in self.jobs()):
            assert time.monotonic() < end, (
                f"jobs for ever: {[j for j in self.jobs() if j['state'] not in OVER]}"
            )
            time.sleep(0.2)

    def workers(self) -> list[int]:
        """Processes that work for this installation."""
        mine = f"QUILT_DATA_DIR={self.environment['QUILT_DATA_DIR']}".encode()
        found = []
        for folder in Path("/proc").glob("[0-9]*"):
            try:
                if (
                    mine in (folder / "environ").read_bytes()
                    and b"\0work\0" in (folder / "cmdline").read_bytes()
                ):
                    found.append(int(folder.name))
            except OSError:
                continue
        return found

    def end(self, how: int = signal.SIGTERM) -> None:
        self.process.send_signal(how)
        self.process.wait(timeout=30)


@pytest.fixture(scope="module")
def server(tmp_path_factory):
    running = Server(tmp_path_factory.mktemp("data"))
    yield running
    running.end()


def edits(server, islands):
    """Give one island each another weight, all at once and from one step; the answers."""
    server.wait_idle()
    atlas = server.atlas()
    bodies = [
        {"change": atlas["change"], "islands": [k], "weight": 2 + n} for n, k in enumerate(islands)
    ]
    with ThreadPoolExecutor(len(bodies)) as pool:
        path = f"/api/atlases/{atlas['id']}/control/"
        return list(pool.map(lambda body: server.ask(path, body), bodies))


def test_of_twenty_edits_of_one_island_at_once_one_is_made_and_nineteen_are_told_so(server):
    answers = edits(server, [0] * 20)
    assert sorted(status for status, _ in answers) == [200] + [409] * 19, answers[:3]
    made = next(body for status, body in answers if status == 200)
    assert server.atlas()["head"]["id"] == made["head"]["id"]
    refused = next(body for status, body in answers if status == 409)
    assert "weight (1 island)" in refused["what"]


def test_twenty_edits_of_as_many_islands_at_once_are_all_made(server):
    answers = edits(server, range(1, 21))
    assert [status for status, _ in answers] == [200] * 20, [b for s, b in answers if s != 200][:3]
    head = server.atlas()["head"]["id"]
    weights = server.ask(f"/api/revisions/{head}/")[1]["controls"]["weight"]
    assert weights[1:21] == list(range(2, 22))


def test_of_five_packs_at_once_one_starts(server):
    server.wait_idle()
    atlas = server.atlas()
    body = {"change": atlas["change"], "effort": "quick"}
    with ThreadPoolExecutor(5) as pool:
        answers = list(
            pool.map(lambda _: server.ask(f"/api/atlases/{atlas['id']}/pack/", body), range(5))
        )
    assert sorted(status for status, _ in answers) == [202] + [409] * 4
    server.wait_idle()


def test_kills_lose_nothing_and_leave_nobody(server):
    rng = random.Random(11)
    server.wait_idle()
    project = server.ask("/api/projects/")[1][0]["id"]
    acknowledged: list[int] = []
    weights: dict[int, float] = {}
    for turn in range(KILLS):
        server.wait_idle()
        for k in range(3):
            atlas, island = server.atlas(), rng.randrange(ISLANDS)
            body = {
                "change": atlas["change"],
                "islands": [island],
                "weight": round(1 + turn % 90 + 0.1 * k, 1),
            }
            status, answer = server.ask(f"/api/atlases/{atlas['id']}/control/", body)
            assert status == 200, answer
            acknowledged.append(answer["change"])
            weights[island] = body["weight"]
        body = {"change": server.atlas()["change"], "density": 100 + turn}
        status, _ = server.ask(f"/api/atlases/{atlas['id']}/even-out/", body)
        assert status == 202
        time.sleep(rng.uniform(0, 0.4))
        if turn % 2:
            for worker in server.workers():
                os.kill(worker, signal.SIGKILL)
        else:
            server.end(signal.SIGKILL)
            # One that is still starting up notices a little later.
            end = time.monotonic() + 15
            while server.workers() and time.monotonic() < end:
                time.sleep(0.1)
            assert not server.workers(), "a worker without its server"
            server.start()
    server.wait_idle()
    steps = server.ask(f"/api/projects/{project}/history/")[1]["steps"]
    assert set(acknowledged) <= {step["id"] for step in steps}
    head = server.atlas()["head"]["id"]
    kept = server.ask(f"/api/revisions/{head}/")[1]["controls"]["weight"]
    assert {k: round(kept[k], 1) for k in weights} == weights
    evened = [job for job in server.jobs() if job["kind"] == "even-out"]
    assert len(evened) >= min(KILLS, 3)
    assert all(job["state"] == "done" for job in evened), [job["message"] for job in evened]
    assert sum(step["verb"] == "even-out" for step in steps) == KILLS
