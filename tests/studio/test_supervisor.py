"""A process that is kept running comes back, whatever goes wrong with it or with looking after it."""

from __future__ import annotations

import subprocess
import sys
import time

import pytest

from studio import supervisor
from studio.supervisor import Supervisor


def comes(condition):
    """Wait for something that comes sooner or later."""
    end = time.monotonic() + 60
    while not condition():
        assert time.monotonic() < end
        time.sleep(0.02)


@pytest.fixture
def kept(monkeypatch):
    monkeypatch.setattr(supervisor, "LOOK_EVERY", 0.0)
    looks = []

    def look():
        looks.append(1)
        raise PermissionError("the folder is gone")

    keeper = Supervisor(["work"], look=look)
    keeper._command = [sys.executable, "-c", "import time; time.sleep(600)"]
    yield keeper, looks
    keeper.ask_to_end()
    keeper.end()


def test_it_comes_back_after_each_kill_also_where_looking_fails(kept):
    keeper, looks = kept
    keeper.start()
    seen = set()
    for _ in range(3):
        comes(lambda: keeper._child is not None and keeper._child.pid not in seen)
        seen.add(keeper._child.pid)
        before = len(looks)
        comes(lambda before=before: len(looks) > before)
        assert keeper._child.pid in seen, "what runs is not started twice"
        keeper._child.kill()
    comes(lambda: keeper._child.pid not in seen)


def test_it_tries_again_where_nothing_can_be_started(kept, monkeypatch):
    keeper, _ = kept
    real, tries = subprocess.Popen, []

    def start(*args, **kwargs):
        tries.append(1)
        if len(tries) < 3:
            raise OSError("too many open files")
        return real(*args, **kwargs)

    monkeypatch.setattr(subprocess, "Popen", start)
    keeper.start()
    comes(lambda: keeper._child is not None and keeper._child.poll() is None)
    assert len(tries) == 3
