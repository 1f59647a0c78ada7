"""SQLite whose writing transactions of all processes of this machine take turns.

SQLite lets those who wait for its lock look again after ever longer pauses, up to a tenth of a second: who has waited longest
looks least often, and with many writers some wait for seconds. Here a lock comes before that of the database: one of the
process's threads, first come, first served, then a lock on a file beside the database, which the system takes back from a
process that dies. Whoever does not get them in time goes on and hears from SQLite itself.
"""

from __future__ import annotations

import fcntl
import os
import threading
import time
from typing import Any

from django.db.backends.sqlite3 import base

LOOK_EVERY = 0.002
"""Seconds between two looks at the lock of the file."""
TURN = threading.Lock()


def _fresh() -> None:
    """A process that was forked off has its own turns."""
    global TURN
    TURN = threading.Lock()


os.register_at_fork(after_in_child=_fresh)


class DatabaseWrapper(base.DatabaseWrapper):
    """A connection; it waits for its turn where a transaction begins."""

    def __init__(self, *args: Any, **kwargs: Any) -> None:
        super().__init__(*args, **kwargs)
        self._file: int | None = None
        self._turn = TURN
        self._has_turn = False

    def set_autocommit(self, autocommit: bool, *args: Any, **kwargs: Any) -> None:
        """Where autocommit ends a transaction begins."""
        if not autocommit:
            self._take_turn()
        try:
            super().set_autocommit(autocommit, *args, **kwargs)
        except BaseException:
            self._give_turn_back()
            raise
        if autocommit:
            self._give_turn_back()

    def _close(self) -> None:
        try:
            super()._close()  # type: ignore[misc]
        finally:
            self._give_turn_back()

    def _take_turn(self) -> None:
        if self._has_turn or self.is_in_memory_db():
            return
        until = time.monotonic() + float(self.settings_dict["OPTIONS"].get("timeout", 5.0))
        self._turn = TURN
        if not self._turn.acquire(timeout=max(until - time.monotonic(), 0)):
            return
        self._has_turn = True
        try:
            path = f"{self.settings_dict['NAME']}-turn"
            self._file = os.open(path, os.O_RDWR | os.O_CREAT | os.O_CLOEXEC, 0o600)
        except OSError:
            return  # a full disk, or one that is for reading: SQLite will say so
        while time.monotonic() < until:
            try:
                fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
                return
            except BlockingIOError:
                time.sleep(LOOK_EVERY)

    def _give_turn_back(self) -> None:
        if not self._has_turn:
            return
        if self._file is not None:
            os.close(self._file)  # its lock goes with it
            self._file = None
        self._has_turn = False
        self._turn.release()
