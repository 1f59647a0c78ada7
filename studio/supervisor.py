"""Keeps a process running: a worker, or one of several that answer."""

from __future__ import annotations

import logging
import os
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Sequence

from django.conf import settings

from studio.jobs.lifeline import PARENT

log = logging.getLogger(__name__)
LOOK_EVERY = 2.0
"""Seconds between two looks at what else there is to do."""


class Supervisor(threading.Thread):
    """Starts a command of `manage.py`, again when it ends before it was told to.

    Parameters
    ----------
    command : sequence of str
        Name and arguments.
    extra : dict of str, optional
        More of its environment.
    hand_on : sequence of int, optional
        Open files that it gets.
    look : callable, optional
        Called every two seconds meanwhile.
    nice : int
        By how much it stands back behind others where the cores are busy.
    """

    def __init__(
        self,
        command: Sequence[str],
        extra: dict[str, str] | None = None,
        hand_on: Sequence[int] = (),
        look: Callable[[], None] | None = None,
        nice: int = 0,
    ) -> None:
        super().__init__(name=f"keeper of {command[0]}", daemon=True)
        self._command = [sys.executable, str(settings.BASE_DIR / "manage.py"), *command]
        self._extra, self._hand_on, self._look = extra or {}, tuple(hand_on), look
        self._nice = nice
        self._over = threading.Event()
        self._child: subprocess.Popen[bytes] | None = None

    def run(self) -> None:
        """Start it, again and again, not faster than once a second."""
        while not self._over.is_set():
            # Whatever goes wrong here, the next round comes: nobody else would start it again.
            try:
                self._keep()
            except Exception:
                log.exception("%s: not begun, or not looked after", self.name)
            self._over.wait(1.0)

    def _keep(self) -> None:
        """Start it, and look after it until it ends."""
        if self._child is None or self._child.poll() is not None:
            self._child = subprocess.Popen(
                self._command,
                env={**os.environ, **self._extra, PARENT: str(os.getpid())},
                pass_fds=self._hand_on,
            )
            if self._nice:
                os.setpriority(os.PRIO_PROCESS, self._child.pid, self._nice)
        looked = time.monotonic()
        while self._child.poll() is None and not self._over.wait(0.5):
            if self._look is not None and time.monotonic() - looked > LOOK_EVERY:
                looked = time.monotonic()
                self._look()

    def ask_to_end(self) -> None:
        """Tell it that it is time."""
        self._over.set()
        self.join(timeout=3)
        if self._child is not None and self._child.poll() is None:
            self._child.send_signal(signal.SIGINT)

    def end(self) -> None:
        """Wait until it has ended, and make it where it does not."""
        child = self._child
        if child is None or child.poll() is not None:
            return
        try:
            child.wait(timeout=10)
        except subprocess.TimeoutExpired:
            child.kill()
