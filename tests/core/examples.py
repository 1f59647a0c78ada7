"""How many random examples a test takes."""

from __future__ import annotations

import os

LONG = bool(os.environ.get("QUILT_LONG"))
PART = 5


def examples(count: int) -> int:
    """All of them with ``QUILT_LONG=1``, else a fifth: each run takes others."""
    return count if LONG else max(count // PART, 2)
