"""No worker outlives the process that started it."""

from __future__ import annotations

import os
import threading
import time

LOOK_EVERY = 0.5
PARENT = "QUILT_PARENT"
"""Environment variable that names the process a child belongs to: it may be gone before the child
looks."""


def end_with_parent() -> None:
    """Watch the parent from a thread; when it is gone, however it ended, so is this process.

    A job that was at work is found by its stale heartbeat and run again.
    """
    parent = int(os.environ.get(PARENT) or os.getppid())

    def watch() -> None:
        while os.getppid() == parent:
            time.sleep(LOOK_EVERY)
        os._exit(1)

    threading.Thread(target=watch, name="lifeline", daemon=True).start()
