"""Progress on stderr: one line that is rewritten on a terminal; each thing said once when piped."""

from __future__ import annotations

import re
import shutil
import sys
import time
from collections.abc import Mapping
from typing import Any

from quilt_cli.shown import shown
from quilt_core.operations.operation import Progress

EVERY = 0.1
"""Seconds between two images of the line."""


class TerminalProgress(Progress):
    """Tells on stderr."""

    def __init__(self) -> None:
        self._live = sys.stderr.isatty()
        self._shown = 0.0
        self._said: set[str] = set()
        self._width = 0

    def report(
        self,
        done: float,
        message: str,
        figures: Mapping[str, Any] | None = None,
        placements: Any = None,
    ) -> None:
        """Show how far the work is."""
        message = shown(message)
        if not self._live:
            # What goes on is said once, without the numbers that grow meanwhile.
            what = re.sub(r"[:,]?\s*[\d.,]+\s*%.*|, seams .*", "", message)
            if what not in self._said:
                self._said.add(what)
                print(what, file=sys.stderr, flush=True)
            return
        now = time.monotonic()
        if now - self._shown < EVERY:
            return
        self._shown = now
        room = shutil.get_terminal_size().columns - 1
        line = f"{done:4.0%}  {message}"[:room]
        print(
            f"\r{line}{' ' * max(self._width - len(line), 0)}", end="", file=sys.stderr, flush=True
        )
        self._width = len(line)

    def close(self) -> None:
        """Take the line away."""
        if self._live and self._width:
            print(f"\r{' ' * self._width}\r", end="", file=sys.stderr, flush=True)
            self._width = 0
