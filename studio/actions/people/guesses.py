"""Wrong passwords for one name from many addresses: each of these may try a few times, all of them together only slowly."""

from __future__ import annotations

import threading
import time
from datetime import timedelta

from axes.models import AccessAttempt
from django.db.models import Sum
from django.utils import timezone

from studio.actions.errors import Refused

MOST_WRONG, WITHIN = 50, timedelta(hours=1)
"""More than so many wrong passwords for a name within that time, and its log-ins are slowed."""
PAUSE = 5.0
"""Seconds from one try to the next that a process looks at then, whoever makes it: 720 in an hour at most."""
MOST_NAMES = 10_000

_last: dict[str, float] = {}
_lock = threading.Lock()


class TooMany(Refused):
    """It comes too soon."""

    status = 429


def check_pace(name: str) -> None:
    """Look whether a password for a name may be tried now. Whoever is logged in already is not concerned.

    Raises
    ------
    TooMany
    """
    rows = AccessAttempt.objects.filter(username=name, attempt_time__gt=timezone.now() - WITHIN)
    if (rows.aggregate(wrong=Sum("failures_since_start"))["wrong"] or 0) < MOST_WRONG:
        return
    now = time.monotonic()
    with _lock:
        if now - _last.get(name, -PAUSE) < PAUSE:
            raise TooMany(
                "Too many wrong passwords for this name, from many places.", "name",
                f"Wait {PAUSE:.0f} s, and try again.",
            )  # fmt: skip
        if len(_last) > MOST_NAMES:
            _last.clear()
        _last[name] = now
