"""Faults on the set-up of many machines: processes killed in turn while people work, a database that is away, clients that
do not finish, files that are broken.

A few of each by default; ``QUILT_LONG=1`` makes them long (200 kills).
"""

from __future__ import annotations

import http.client
import json
import os
import random
import socket
import sqlite3
import subprocess
import tempfile
import threading
import time
import urllib.error

import pytest

from tests.core.examples import LONG
from tests.core.meshes import QUAD_OBJ, plain_glb
from tests.core.painted import plain_device
from tests.scale.database import changes_of, open_jobs
from tests.scale.engines import engines, free_port, wait_for
from tests.scale.test_many import MANAGE, Addressed, Studio, kill_all

KILLS = 200 if LONG else 12
WORDS = "Something went wrong that should not have."


@pytest.fixture(scope="module")
def studio():
    with engines() as here:
        made = Studio(here)
        try:
            yield made
        finally:
            made.stop()


class Person(threading.Thread):
    """Edits, starts jobs and looks, over and over; notes down what was acknowledged, and in which words it was refused."""

    def __init__(self, studio: Studio, number: int, over: threading.Event) -> None:
        super().__init__(daemon=True)
        self.studio, self.number, self.over = studio, number, over
        self.kept: list[int] = []
        self.jobs: list[int] = []
        self.refused: dict[int, str] = {}
        self.away = 0

    def run(self) -> None:
        dice = random.Random(self.number)
        while not self.over.is_set():
            try:
                self._round(dice)
            except (urllib.error.URLError, http.client.HTTPException, OSError, ValueError):
                self.away += 1  # that web process is gone for now
                time.sleep(0.2)

    def _round(self, dice: random.Random) -> None:
        ask, web = self.studio.ask, dice.randrange(2)
        status, seen = ask("/api/projects/1/", web=web)
        if status == 200 and dice.random() < 0.85:
            body = {"change": seen["change"], "islands": [self.number], "weight": round(0.5 + dice.random(), 3)}  # fmt: skip
            status, seen = ask("/api/atlases/1/control/", body, web)
            if status == 200:
                self.kept.append(seen["change"])
        elif status == 200:
            body = {"change": seen["change"], "maps": ["normal"], "width": 128}
            status, seen = ask("/api/atlases/1/bake/", body, web)
            if status == 202:
                self.jobs.append(seen["id"])
        if status not in (200, 202, 409):
            self.refused[status] = seen.get("what", "")
        time.sleep(0.05)


def test_processes_are_killed_in_turn_and_nothing_acknowledged_is_lost(studio):
    over = threading.Event()
    people = [Person(studio, k, over) for k in range(4)]
    for person in people:
        person.start()
    for k in range(KILLS):
        what = ("web", "worker", "database", "queue")[k % 4]
        if what == "web":
            at = (k // 4) % len(studio.webs)
            kill_all(studio.webs[at])
            command = ("serve", "--without-worker", "--port", str(studio.ports[at]))
            studio.webs[at] = studio.start(*command)
            wait_for(studio.ports[at], 60)
        elif what == "worker":
            at = (k // 4) % len(studio.workers)
            kill_all(studio.workers[at])
            studio.workers[at] = studio.start_worker()
        else:
            engine = studio.engines.postgres if what == "database" else studio.engines.redis
            engine.kill()
            time.sleep(0.3)
            engine.start()
        time.sleep(1.0)
    over.set()
    for person in people:
        person.join(timeout=60)
    kept = [change for person in people for change in person.kept]
    jobs = [job for person in people for job in person.jobs]
    print(f"{KILLS} kills: {len(kept)} edits and {len(jobs)} jobs acknowledged, refused as {[p.refused for p in people]}, away {sum(p.away for p in people)} times")  # fmt: skip
    address = studio.engines.postgres.address
    assert len(kept) > KILLS and jobs
    assert set(kept) <= changes_of(address), "an edit that was acknowledged is lost"
    # Nothing is stuck: all that was started comes to an end by itself.
    end = time.monotonic() + 240
    while open_jobs(address):
        assert time.monotonic() < end, open_jobs(address)
        time.sleep(0.5)
    for job in jobs:
        row = studio.done(job)
        # A job whose workers were killed twice says so.
        assert row["state"] == "done" or "for the second time" in row["message"], row
    for person in people:
        for status, what in person.refused.items():
            assert status in (400, 503) and what and what != WORDS, (status, what)
    for web in (0, 1):
        assert studio.ask("/healthz", web=web)[1]["ok"]


def test_a_database_away_for_twenty_seconds_is_told_and_comes_back_by_itself(studio):
    before = studio.change()
    job = studio.job("/api/atlases/1/bake/", maps=["normal", "occlusion"], width=1024)
    studio.engines.postgres.kill()
    began = time.monotonic()
    while time.monotonic() - began < 20:
        asked = time.monotonic()
        status, told = studio.ask("/api/projects/1/")
        assert status == 503 and "database" in told["what"] and told["fix"], told
        assert time.monotonic() - asked < 15, "people are not kept waiting"
        assert studio.ask("/healthz", web=1)[0] == 503
        time.sleep(1.0)
    studio.engines.postgres.start()
    for web in (0, 1):
        # Who asked just before it was there may be told that it is not; not who asks next, however long it was away.
        answers = [studio.ask("/api/projects/1/", web=web)[0] for _ in range(3)]
        assert answers[1:] == [200, 200], (web, answers)
    assert studio.change() == before
    row = studio.done(job, seconds=240)
    assert row["state"] == "done" or "second time" in row["message"], row


def half_open(port: int, count: int) -> list[socket.socket]:
    """Connections that begin to ask and say no more."""
    out = []
    for k in range(count):
        one = socket.create_connection(("127.0.0.1", port), timeout=10)
        one.sendall(b"GET /api/projects/ HTTP/1.1\r\nHost: 127.0.0.1\r\nX-Slow: " + b"a" * (k % 7))
        out.append(one)
    return out


def test_clients_that_do_not_finish_keep_nobody_else_waiting(studio):
    port = studio.ports[0]
    origin = f"http://127.0.0.1:{port}".encode()
    held = half_open(port, 100)
    # Uploads that stop: one that says its length, one in chunks; and one that nobody reads the answer of.
    form = b"Content-Type: multipart/form-data; boundary=x\r\nOrigin: " + origin + b"\r\nHost: 127.0.0.1:%d\r\n" % port  # fmt: skip
    for head in (b"Content-Length: 5000000\r\n", b"Transfer-Encoding: chunked\r\n"):
        for _ in range(10):
            one = socket.create_connection(("127.0.0.1", port), timeout=10)
            one.sendall(b"POST /api/projects/1/files/ HTTP/1.1\r\n" + form + head + b"\r\n")
            one.sendall(b"3e8\r\n" + b"o" * 500 if b"chunked" in head else b"--x\r\n" + b"o" * 500)
            held.append(one)
    for _ in range(10):
        one = socket.create_connection(("127.0.0.1", port), timeout=10)
        one.setsockopt(socket.SOL_SOCKET, socket.SO_RCVBUF, 4096)
        one.sendall(b"GET /api/schema/ HTTP/1.1\r\nHost: 127.0.0.1:%d\r\n\r\n" % port)
        held.append(one)
    try:
        before = studio.change()
        for k in range(10):
            began = time.monotonic()
            status, _ = studio.ask("/api/atlases/1/control/", {"change": studio.change(), "islands": [9], "weight": 0.5 + 0.01 * k})  # fmt: skip
            assert status == 200 and time.monotonic() - began < 10
        assert studio.change() > before
        # Those that say nothing are closed by the server.
        end = time.monotonic() + 120
        waiting = set(held[:100])
        while waiting and time.monotonic() < end:
            for one in list(waiting):
                one.settimeout(0.01)
                try:
                    if one.recv(4096) == b"":
                        waiting.discard(one)
                except TimeoutError:
                    continue
                except OSError:
                    waiting.discard(one)
            time.sleep(1.0)
        assert not waiting, f"{len(waiting)} half-open connections are held"
    finally:
        for one in held:
            one.close()
    # Of the uploads that stopped nothing is there.
    assert studio.ask("/api/projects/1/jobs/")[1][0]["kind"] != "gather"


def harmed(dice: random.Random, data: bytes) -> bytes:
    """A file with a few bytes changed, cut off, or with a piece twice."""
    out = bytearray(data)
    for _ in range(dice.randint(1, 6)):
        at = dice.randrange(len(out))
        what = dice.randrange(4)
        if what == 0:
            out[at] = dice.randrange(256)
        elif what == 1:
            del out[at : at + dice.randint(1, 400)]
        elif what == 2:
            out[at:at] = out[at : at + dice.randint(1, 200)]
        else:
            out[at : at + 8] = dice.randbytes(8)
        if not out:
            return b"v"
    return bytes(out)


def test_broken_files_end_in_words_and_stop_nobody(studio):
    dice = random.Random(11)
    project = studio.ask("/api/projects/", {"name": "Broken"})[1]
    given = {"a.obj": QUAD_OBJ, "b.glb": plain_glb(), "c.glb": plain_device()}
    for _ in range(120 if LONG else 30):
        name, data = dice.choice(list(given.items()))
        status, told = studio.send(project["id"], name, harmed(dice, data), web=dice.randrange(2))
        assert status in (201, 202, 400), (status, told)
        if status == 400:
            assert told["what"] and told["what"] != WORDS, told
            continue
        if told["job"]:
            row = studio.done(told["job"]["id"])
            assert row["state"] in ("done", "failed")
            assert (row["error"] or {}).get("what") != WORDS, row
    end = time.monotonic() + 120
    while open_jobs(studio.engines.postgres.address):
        assert time.monotonic() < end
        time.sleep(0.5)
    rows = studio.ask(f"/api/projects/{project['id']}/jobs/")[1]
    assert all((row["error"] or {}).get("what") != WORDS for row in rows), rows


ODD = (None, True, -1, 0, 1, 2**31, 2**70, 1e308, -1e-308, float("nan"), float("inf"), "", "a" * 300, "\x00", "\ud800", "../../etc",
       [], [[]], [1, "a", None], {}, {"a": {"b": [1e308]}}, "1001", 1.5, [0, 1, 2], [-5], ["pack"])  # fmt: skip


def some_value(dice: random.Random, schema: dict, parts: dict, depth: int = 0):
    """Something that a schema asks for, or something else."""
    if depth > 4 or dice.random() < 0.15:
        return dice.choice(ODD)
    if "$ref" in schema:
        return some_value(dice, parts[schema["$ref"].rsplit("/", 1)[1]], parts, depth)
    for several in ("allOf", "oneOf", "anyOf"):
        if several in schema:
            return some_value(dice, dice.choice(schema[several]), parts, depth)
    if "enum" in schema:
        return dice.choice(schema["enum"])
    kind = schema.get("type")
    if kind == "object":
        rows = schema.get("properties", {})
        return {name: some_value(dice, row, parts, depth + 1) for name, row in rows.items() if dice.random() < 0.9}  # fmt: skip
    if kind == "array":
        return [some_value(dice, schema.get("items", {}), parts, depth + 1) for _ in range(dice.randrange(4))]  # fmt: skip
    return {"integer": dice.randrange(-2, 12), "number": dice.uniform(-2, 300), "boolean": dice.random() < 0.5, "string": dice.choice(("a", "props", "normal", ""))}.get(kind, dice.choice(ODD))  # fmt: skip


def test_any_request_is_answered_in_words(studio):
    dice = random.Random(5)
    copy = studio.ask("/api/projects/1/duplicate/", {})[1]
    atlas = copy["atlases"][0]["id"]
    known = {"project_id": copy["id"], "atlas_id": atlas, "revision_id": studio.ask(f"/api/atlases/{atlas}/")[1]["head"]["id"]}  # fmt: skip
    schema = studio.ask("/api/schema/?format=json")[1]
    parts = schema["components"]["schemas"]
    doors = [
        (path, method.upper(), door)
        for path, methods in schema["paths"].items()
        for method, door in methods.items()
        if method in ("get", "post", "put", "patch") and not path.endswith(("/live/", "/watch/"))
    ]
    statuses: dict[int, int] = {}
    for _ in range(4000 if LONG else 400):
        path, method, door = dice.choice(doors)
        for name in [row["name"] for row in door.get("parameters", []) if row["in"] == "path"]:
            number = known.get(name, dice.choice((1, 2, 3)))
            odd = dice.choice(("0", "999999", str(2**31), str(2**70))) if dice.random() < 0.15 else number  # fmt: skip
            path = path.replace("{" + name + "}", str(odd))
        body = None
        if method != "GET":
            asked = (door.get("requestBody") or {}).get("content", {}).get("application/json")
            body = some_value(dice, asked["schema"], parts) if asked else dice.choice(({}, None))
            if isinstance(body, dict) and "change" in body and dice.random() < 0.8:
                body["change"] = studio.change(copy["id"])
        status, told = studio.raw(path, method, None if body is None else json.dumps(body).encode("utf-8", "surrogatepass"))  # fmt: skip
        statuses[status] = statuses.get(status, 0) + 1
        assert status < 500, (method, path, body, told[:500])
        if status >= 400 and told[:1] == b"{":
            assert json.loads(told)["what"] != WORDS, (method, path, body)
    print(f"answers: {statuses}")
    assert statuses.get(200, 0) > 20 and statuses.get(400, 0) > 20
    end = time.monotonic() + 300
    while open_jobs(studio.engines.postgres.address):
        assert time.monotonic() < end, open_jobs(studio.engines.postgres.address)
        time.sleep(0.5)
    rows = studio.ask(f"/api/projects/{copy['id']}/jobs/")[1]
    assert all((row["error"] or {}).get("what") != WORDS for row in rows), rows


def test_sqlite_locked_for_more_than_twenty_seconds_is_told_and_comes_back_by_itself():
    folder, port = tempfile.mkdtemp(prefix="quilt-locked-"), free_port()
    env = {**os.environ, "QUILT_DATA_DIR": folder, "DJANGO_SETTINGS_MODULE": "quilt_site.settings", "QUILT_IMMEDIATE_JOBS": "0"}  # fmt: skip
    subprocess.run([*MANAGE, "migrate", "--verbosity", "0"], env=env, check=True)
    server = subprocess.Popen([*MANAGE, "serve", "--port", str(port), "--without-worker"], env=env, stdout=subprocess.DEVNULL)  # fmt: skip
    try:
        wait_for(port)
        one = Addressed([port])
        made = one.ask("/api/projects/", {"name": "Lock"})[1]
        address, body = f"/api/projects/{made['id']}/", {"name": "Pier", "change": made["change"]}
        other = sqlite3.connect(f"{folder}/studio.sqlite3", isolation_level=None)
        other.execute("BEGIN IMMEDIATE")
        began = time.monotonic()
        status, told = one.ask(address, body, method="PATCH")
        assert status == 503 and "database" in told["what"] and told["fix"], told
        assert time.monotonic() - began > 15, "it was waited for"
        # Looking is not held up meanwhile.
        began = time.monotonic()
        assert one.ask(address)[1]["name"] == "Lock" and time.monotonic() - began < 5
        other.execute("ROLLBACK")
        assert one.ask(address, body, method="PATCH")[0] == 200
        assert one.ask(address)[1]["name"] == "Pier"
    finally:
        kill_all(server)
