"""The installed command. It watches over the work, which is done in a process of its own: compiled loops cannot be interrupted,
and whatever becomes of them, there is a clear word and a known exit code.

Nothing slow is imported here: Ctrl+C is answered from the first moment.
"""

from __future__ import annotations

import os
import signal
import sys
import time
from types import FrameType

STOPPED = 130
GRACE = 0.5
"""Seconds that the work has to end by itself after Ctrl+C."""


def main() -> int:
    """Run the command; returns the exit code."""
    if not hasattr(os, "fork"):
        from quilt_cli.main import main as work

        return work()
    asked: list[int] = []

    def ask(number: int, frame: FrameType | None) -> None:
        asked.append(number)

    signal.signal(signal.SIGINT, ask)
    signal.signal(signal.SIGTERM, ask)
    child = os.fork()
    if child == 0:
        signal.signal(signal.SIGINT, signal.SIG_DFL)
        signal.signal(signal.SIGTERM, signal.SIG_DFL)
        os.setpgid(0, 0)
        _hand_over_terminal()
        from quilt_cli.main import main as work

        code = work()
        sys.stdout.flush()
        sys.stderr.flush()
        os._exit(code)
    return _watch(child, asked)


def _hand_over_terminal() -> None:
    """Nothing is read from a terminal: the work need not be its foreground."""
    for number in (signal.SIGTTOU, signal.SIGTTIN):
        signal.signal(number, signal.SIG_IGN)


def _watch(child: int, asked: list[int]) -> int:
    ended_at = 0.0
    while True:
        try:
            pid, status = os.waitpid(child, os.WNOHANG)
        except ChildProcessError:
            return STOPPED
        if pid:
            break
        if asked and not ended_at:
            ended_at = time.monotonic() + GRACE
            _send(child, signal.SIGINT)
        if ended_at and time.monotonic() > ended_at:
            _send(child, signal.SIGKILL)
        time.sleep(0.01)
    if asked:
        print("untold-quilt: Stopped.", file=sys.stderr)
        return STOPPED
    if os.WIFSIGNALED(status):
        number = os.WTERMSIG(status)
        if number == signal.SIGINT:
            return STOPPED
        memory = (
            " Most likely there was not enough memory: give fewer files at once."
            if number == signal.SIGKILL
            else ""
        )
        print(
            f"untold-quilt: The work was ended from outside ({signal.Signals(number).name}).{memory}",
            file=sys.stderr,
        )
        return 3
    return os.WEXITSTATUS(status)


def _send(child: int, number: int) -> None:
    """To the work and all that it started."""
    try:
        os.killpg(child, number)
    except (ProcessLookupError, PermissionError):
        try:
            os.kill(child, number)
        except ProcessLookupError:
            return


if __name__ == "__main__":
    sys.exit(main())
