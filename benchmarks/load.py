"""Fifty people at once: ``make bench-load``. They list, open, pick up and drag islands, undo, and read figures, on projects of
10,000 islands, while two packs run; how long reads and edits take, what fails, whether an edit is lost, and memory.

Figures are printed, nothing is asserted: they depend on the machine. A reference measured in the same run stands beside
them: the same reads by one person alone.
"""

from __future__ import annotations

import argparse
import http.client
import json
import os
import random
import re
import signal
import subprocess
import sys
import tempfile
import threading
import time
import uuid
from pathlib import Path

import numpy as np
import psutil

ROOT = Path(__file__).resolve().parents[1]
SIDE = 100
"""Islands along each side of a project's grid: 10,000."""


def grid_obj() -> bytes:
    """A grid of quads, each an island of its own."""
    rows = ["o tiles"]
    for k in range(SIDE * SIDE):
        x, y = divmod(k, SIDE)
        u, v, d = (x + 0.1) / SIDE, (y + 0.1) / SIDE, 0.8 / SIDE
        for i, j in ((0, 0), (1, 0), (1, 1), (0, 1)):
            rows.append(f"v {x + 0.8 * i:.4f} {y + 0.8 * j:.4f} 0")
            rows.append(f"vt {u + d * i:.6f} {v + d * j:.6f}")
        rows.append("f " + " ".join(f"{4 * k + n}/{4 * k + n}" for n in (1, 2, 3, 4)))
    return "\n".join(rows).encode()


class Person:
    """A browser: one connection, what it has seen, and how long its answers took."""

    def __init__(self, port: int) -> None:
        self.port = port
        self.link = http.client.HTTPConnection("127.0.0.1", port, timeout=60)
        self.took: dict[str, list[float]] = {"read": [], "edit": []}
        self.bad: list[tuple[int, str]] = []
        self.kept: list[int] = []
        self.undone = 0

    def ask(
        self, kind: str, method: str, path: str, body: bytes = b"", form: str = "application/json"
    ):
        """Status and answer."""
        headers = {"Origin": f"http://127.0.0.1:{self.port}", "Content-Type": form}
        began = time.monotonic()
        try:
            self.link.request(method, path, body or None, headers)
            answer = self.link.getresponse()
            data, status = answer.read(), answer.status
        except (OSError, http.client.HTTPException):
            self.link.close()
            data, status = b"", 599
        if kind:
            self.took[kind].append(time.monotonic() - began)
        if status >= 500:
            self.bad.append((status, path))
        return status, data

    def json(self, kind: str, method: str, path: str, body: dict | None = None):
        """The same with JSON on both sides."""
        status, data = self.ask(
            kind, method, path, json.dumps(body).encode() if body is not None else b""
        )
        return status, json.loads(data) if data[:1] in (b"{", b"[") else None


def work(person: Person, project: int, atlas: int, until: float, pace: float, seed: int) -> None:
    """What a person does, over and over."""
    dice = random.Random(seed)
    while time.monotonic() < until:
        person.json("read", "GET", "/api/projects/")
        _, seen = person.json("read", "GET", f"/api/projects/{project}/")
        _, now = person.json("read", "GET", f"/api/atlases/{atlas}/")
        if not seen or not now:
            continue
        revision = now["head"]["id"]
        person.ask("read", "GET", f"/api/revisions/{revision}/placements/")
        if dice.random() < 0.2:
            person.json("read", "GET", f"/api/revisions/{revision}/")
        time.sleep(dice.expovariate(1 / pace))
        island = dice.randrange(SIDE * SIDE)
        by = 1e-5 * dice.randint(1, 9)
        body = {
            "change": seen["change"],
            "verb": "move",
            "islands": [island],
            "moves": [[1, 0, by, 0, 1, 0]],
        }
        status, made = person.json("edit", "POST", f"/api/atlases/{atlas}/move/", body)
        if status == 200:
            person.kept.append(made["change"])
            if dice.random() < 0.1:
                body = {"change": made["change"]}
                status, _ = person.json("edit", "POST", f"/api/projects/{project}/undo/", body)
                person.undone += status == 200
        person.json("read", "GET", f"/api/projects/{project}/jobs/")
        time.sleep(dice.expovariate(1 / pace))


def upload(person: Person, project: int, data: bytes) -> None:
    """Bring a file in."""
    mark = uuid.uuid4().hex
    head = f'--{mark}\r\nContent-Disposition: form-data; name="files"; filename="tiles.obj"\r\n\r\n'.encode()
    body = head + data + f"\r\n--{mark}--\r\n".encode()
    person.ask(
        "", "POST", f"/api/projects/{project}/files/", body, f"multipart/form-data; boundary={mark}"
    )


def run(
    people: int, seconds: float, pace: float, projects: int, web: int, environment: dict[str, str]
) -> None:
    """Start an installation, let people work, and print what came of it."""
    from tests.scale.engines import free_port, wait_for

    port = free_port()
    env = {**os.environ, **environment, "QUILT_DATA_DIR": tempfile.mkdtemp(prefix="quilt-load-")}
    env["DJANGO_SETTINGS_MODULE"] = "quilt_site.settings"
    manage = [sys.executable, str(ROOT / "manage.py")]
    subprocess.run([*manage, "migrate", "--verbosity", "0"], env=env, check=True)
    server = subprocess.Popen(
        [*manage, "serve", "--port", str(port), "--web", str(web)],
        env=env,
        stdout=subprocess.DEVNULL,
    )
    try:
        wait_for(port)
        first, data = Person(port), grid_obj()
        rooms = []
        for k in range(projects):
            _, made = first.json("", "POST", "/api/projects/", {"name": f"Load {k}"})
            upload(first, made["id"], data)
            rooms.append((made["id"], made["atlases"][0]["id"]))
        for project, _ in rooms:
            while any(
                j["state"] in ("queued", "running")
                for j in first.json("", "GET", f"/api/projects/{project}/jobs/")[1]
            ):
                time.sleep(0.5)
        alone = Person(port)
        work(alone, *rooms[0], time.monotonic() + 5, 0.05, 1)
        memory = [_memory(server.pid)]
        for project, atlas in rooms[:2]:
            _, seen = first.json("", "GET", f"/api/projects/{project}/")
            first.json(
                "",
                "POST",
                f"/api/atlases/{atlas}/pack/",
                {"change": seen["change"], "effort": "standard"},
            )
        crowd = [Person(port) for _ in range(people)]
        until = time.monotonic() + seconds
        threads = [
            threading.Thread(target=work, args=(one, *rooms[k % projects], until, pace, k))
            for k, one in enumerate(crowd)
        ]
        for thread in threads:
            thread.start()
        while time.monotonic() < until:
            time.sleep(min(60.0, max(until - time.monotonic(), 0.1)))
            memory.append(_memory(server.pid))
        for thread in threads:
            thread.join()
        _tell(people, crowd, alone, memory, rooms, Person(port), _jobs(port))
    finally:
        server.send_signal(signal.SIGTERM)
        server.wait(timeout=60)


def _jobs(port: int) -> str:
    """Jobs by kind and state, as /metrics has them."""
    _, told = Person(port).ask("", "GET", "/metrics")
    rows = re.findall(r'quilt_jobs{kind="([^"]+)",state="([^"]+)"} (\d+)', told.decode())
    return ", ".join(f"{kind} {state} {count}" for kind, state, count in rows)


def _memory(pid: int) -> float:
    """MB of the processes that answer, together."""
    one = psutil.Process(pid)
    answering = [p for p in one.children() if "answer" in p.cmdline()] or [one]
    return sum(p.memory_info().rss / 1e6 for p in answering)


def _tell(
    people: int,
    crowd: list[Person],
    alone: Person,
    memory: list[float],
    rooms: list[tuple[int, int]],
    first: Person,
    jobs: str,
) -> None:
    for kind in ("read", "edit"):
        took = np.array([t for one in crowd for t in one.took[kind]])
        base = np.array(alone.took[kind])
        p50, p95, p99 = np.percentile(took, [50, 95, 99]) * 1e3
        print(
            f"{people} people, {kind}s: {len(took):,}; p50 {p50:.0f} ms, p95 {p95:.0f} ms, p99 {p99:.0f} ms; one alone p95 {np.percentile(base, 95) * 1e3:.0f} ms ({p95 / np.percentile(base, 95) / 1e3:.1f} x)"
        )
    kept = {change for one in crowd for change in one.kept}
    there: set[int] = set()
    for project, _ in rooms:
        _, told = first.json("", "GET", f"/api/projects/{project}/history/")
        there |= {step["id"] for step in told["steps"]}
    # Each undo takes one step back, of whoever made it; the next edit leaves it behind on purpose.
    gone, undone = len(kept - there), sum(one.undone for one in crowd)
    print(
        f"edits acknowledged: {len(kept):,}; not in the histories: {gone}, of {undone} that were undone; "
        f"answers of 500 and more: {sum(len(one.bad) for one in crowd)}"
    )
    print(f"jobs: {jobs}")
    print(
        f"memory of what answers, MB: {memory[0]:.0f} before; each minute {', '.join(f'{m:.0f}' for m in memory[1:])}"
    )


if __name__ == "__main__":
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--people", type=int, default=50)
    parser.add_argument("--seconds", type=float, default=60)
    parser.add_argument(
        "--pace", type=float, default=1.5, help="seconds that people think, on average"
    )
    parser.add_argument("--projects", type=int, default=10)
    parser.add_argument("--web", type=int, default=3, help="processes that answer")
    parser.add_argument("--postgres", action="store_true", help="on PostgreSQL, Redis and S3, too")
    given = parser.parse_args()
    run(
        given.people,
        given.seconds,
        given.pace,
        given.projects,
        given.web,
        {"QUILT_IMMEDIATE_JOBS": "0"},
    )
    if given.postgres:
        from tests.scale.engines import engines

        with engines() as here:
            run(
                given.people,
                given.seconds,
                given.pace,
                given.projects,
                given.web,
                {**here.environment, "QUILT_IMMEDIATE_JOBS": "0"},
            )
