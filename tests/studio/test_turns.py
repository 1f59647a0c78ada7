"""Many at once: writers take turns, few requests are answered at once, what is in memory is what is stored."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import threading
import time
from datetime import timedelta

import numpy as np
import pytest
from django.db.utils import ConnectionHandler
from django.http import HttpResponse
from django.test import RequestFactory
from django.utils import timezone

from quilt_core.document.islands import ISLAND
from studio.api.renderers import FastJson
from studio.jobs.kinds import do_job
from studio.jobs.reporter import Reporter
from studio.middleware import AtOnce
from studio.models import Job, Measurement, Revision
from studio.state import read_state
from studio.stored_islands import RECENT, LruCache, stored_islands

WRITER = """
import sys, time
from django.conf import settings
settings.configure(DATABASES={"default": {"ENGINE": "quilt_site.fair_sqlite", "NAME": sys.argv[1],
    "OPTIONS": {"transaction_mode": "IMMEDIATE", "timeout": 20}}})
from django.db import connection, transaction
with transaction.atomic():
    connection.cursor().execute("UPDATE counts SET n = n + 1000")
    print("in", flush=True)
    time.sleep(float(sys.argv[2]))
"""


@pytest.fixture
def other(tmp_path, db):
    """Connections to a database in a file, one for each thread."""
    options = {"transaction_mode": "IMMEDIATE", "timeout": 20}
    name = str(tmp_path / "counts.sqlite3")
    made = ConnectionHandler({"default": {"ENGINE": "quilt_site.fair_sqlite", "NAME": name, "OPTIONS": options}})  # fmt: skip
    with made["default"].cursor() as cursor:
        cursor.execute("CREATE TABLE counts (n INTEGER)")
        cursor.execute("INSERT INTO counts VALUES (0)")
    yield made
    made.close_all()


def add(connection, one=1, wait=0.0):
    """A transaction, as `atomic` makes it."""
    connection.set_autocommit(False, force_begin_transaction_with_broken_autocommit=True)
    try:
        with connection.cursor() as cursor:
            cursor.execute("SELECT n FROM counts")
            (count,) = cursor.fetchone()
            time.sleep(wait)
            cursor.execute("UPDATE counts SET n = %s", [count + one])
        connection.commit()
    finally:
        connection.set_autocommit(True)


def count(connection):
    with connection.cursor() as cursor:
        cursor.execute("SELECT n FROM counts")
        return cursor.fetchone()[0]


@pytest.mark.slow
def test_writers_of_a_process_take_turns_and_nobody_waits_for_many_rounds(other):
    turns = []

    def work(name):
        for _ in range(15):
            add(other["default"], wait=0.002)
            turns.append(name)
            time.sleep(0.001)
        other["default"].close()

    threads = [threading.Thread(target=work, args=(k,)) for k in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert count(other["default"]) == 90
    # Between two turns of one writer the others had a few each, not all of theirs.
    for name in range(6):
        mine = [k for k, who in enumerate(turns) if who == name]
        assert max(b - a for a, b in zip(mine, mine[1:], strict=False)) < 45


@pytest.mark.slow
def test_a_writer_of_another_process_is_waited_for_and_its_death_lets_others_in(other):
    name = other["default"].settings_dict["NAME"]
    for seconds, end in ((0.4, 1001), (60, 1002)):
        writer = subprocess.Popen([sys.executable, "-c", WRITER, name, str(seconds)], stdout=subprocess.PIPE, env={**os.environ})  # fmt: skip
        assert writer.stdout.readline().strip() == b"in"
        if seconds > 1:
            writer.send_signal(signal.SIGKILL)
        add(other["default"])
        writer.wait()
        assert count(other["default"]) == end


def test_a_turn_ends_with_an_error_and_with_the_connection(other):
    one = other["default"]
    with pytest.raises(ZeroDivisionError):
        try:
            one.set_autocommit(False, force_begin_transaction_with_broken_autocommit=True)
            raise ZeroDivisionError
        finally:
            one.rollback()
            one.set_autocommit(True)
    one.set_autocommit(False, force_begin_transaction_with_broken_autocommit=True)
    one.close()
    done = threading.Thread(target=lambda: (add(other["default"]), other["default"].close()))
    done.start()
    done.join(timeout=10)
    assert not done.is_alive() and count(one) == 1


def test_few_requests_are_answered_at_once(settings):
    settings.AT_ONCE = 2
    here, most, lock = [], [], threading.Lock()

    def view(request):
        with lock:
            here.append(request)
            most.append(len(here))
        time.sleep(0.01)
        with lock:
            here.pop()
        return HttpResponse()

    gate = AtOnce(view)
    threads = [
        threading.Thread(target=gate, args=(RequestFactory().get("/api/projects/"),))
        for _ in range(12)
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(most) == 12 and max(most) == 2


@pytest.mark.slow
def test_what_is_kept_in_memory_is_what_the_rows_say(act, gathered):
    moves = []
    for k in range(4):
        act(gathered, "move", verb="move", islands=[0], moves=[[1, 0, 0.01 * k + 0.01, 0, 1, 0]])
        gathered.refresh_from_db()
        moves.append(
            (gathered.head.pk, gathered.head.created, read_state(gathered.head).islands.tobytes())
        )
    # From the rows alone, and from an ancestor that is in memory.
    for known in ((), (moves[1],)):
        for pk, created, islands in moves:
            RECENT.forget()
            for other in known:
                stored_islands(*other[:2])
            assert stored_islands(pk, created).tobytes() == islands


def test_what_was_not_asked_for_the_longest_is_let_go():
    now, rows = timezone.now(), [np.zeros(5, ISLAND) for _ in range(3)]
    kept = LruCache(2 * rows[0].nbytes)
    kept.keep((0, now), rows[0])
    kept.keep((1, now), rows[1])
    assert kept.get((0, now)) is rows[0]
    kept.keep((2, now), rows[2])
    assert kept.get((1, now)) is None
    assert kept.get((0, now)) is rows[0] and kept.get((2, now)) is rows[2]
    assert kept.get((0, now - timedelta(seconds=1))) is None
    with pytest.raises(ValueError, match="read-only"):
        rows[0]["unplaced"] = 1


def test_a_layout_that_was_changed_since_is_not_measured_while_the_newer_one_waits(act, gathered, settings):  # fmt: skip
    act(gathered, "move", verb="move", islands=[0], moves=[[1, 0, 0.01, 0, 1, 0]])
    gathered.refresh_from_db()
    old = gathered.head_id
    act(gathered, "move", verb="move", islands=[0], moves=[[1, 0, 0.01, 0, 1, 0]])
    gathered.refresh_from_db()
    Measurement.objects.all().delete()
    mine, newer = (
        Job.objects.create(project=gathered.project, atlas=gathered, kind="measure", state=state, params={"revision": pk})
        for state, pk in ((Job.RUNNING, old), (Job.QUEUED, gathered.head_id))
    )  # fmt: skip
    assert do_job(mine, Reporter(mine)) == {"revision": old, "passed": True}
    assert not Measurement.objects.exists()
    Job.objects.filter(pk=newer.pk).update(state=Job.RUNNING)
    do_job(newer, Reporter(newer))
    assert Measurement.objects.filter(revision=gathered.head_id).exists()
    # When nothing newer waits, as after an undo, an older one is measured, too.
    do_job(mine, Reporter(mine))
    assert Revision.objects.get(pk=old).figures


def test_answers_are_json_whatever_they_hold():
    told = FastJson().render({"what": "half a character: \ud800", "many": np.arange(3), "none": float("nan")})  # fmt: skip
    assert json.loads(told)["what"].endswith("\ud800") and json.loads(told)["many"] == [0, 1, 2]
    plain = FastJson().render({"many": np.arange(2.0), "none": float("nan"), 5: "é"})
    assert json.loads(plain) == {"many": [0, 1], "none": None, "5": "é"}


HEAPS = """
import ctypes, sys
import numpy as np, psutil
from studio.allocator import give_back_large_blocks
if sys.argv[1] == "yes":
    give_back_large_blocks()
libc = ctypes.CDLL(None)
libc.malloc.restype, libc.free.argtypes = ctypes.c_void_p, [ctypes.c_void_p]
libc.free(libc.malloc(16_000_000))  # as an answer of that size does
before = psutil.Process().memory_info().rss
kept = [np.ones(60_000) for _ in range(200)]
del kept[::2]
print((psutil.Process().memory_info().rss - before) / 100 / 480_000)
"""


@pytest.mark.skipif(not sys.platform.startswith("linux"), reason="glibc's own call")
@pytest.mark.slow
def test_large_blocks_go_back_to_the_system_once_they_are_free():
    def held(given):
        command = [sys.executable, "-c", HEAPS, given]
        return float(subprocess.run(command, capture_output=True, text=True, check=True).stdout)

    assert held("yes") < 1.2, "half of what was freed is gone"
    assert held("no") > 1.8, "which the C library does not do by itself"
