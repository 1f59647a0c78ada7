"""What is new in projects that somebody looks at, told to their windows as it happens (server-sent events).

One thread of each process that answers looks a few times a second, for all windows that are connected to it, and only
while there are any. A window holds one of the process's threads: where most of them are held, others are told to ask by
themselves.
"""

from __future__ import annotations

import json
import logging
import threading
import time
from collections.abc import Iterator
from typing import Any

from django.conf import settings
from django.contrib.sessions.models import Session
from django.db import DatabaseError, connection
from django.db.models import Count
from django.utils import timezone

from studio.actions.people.presence import HERE_FOR
from studio.models import Job, Membership, Note, Presence, Project

log = logging.getLogger(__name__)
LOOK_EVERY = 0.3
"""Seconds between two looks."""
BREATH = 5.0
"""Seconds after which a line is sent where nothing is new: by it a window that is gone is noticed."""
LIFE = 60.0
"""Seconds after which a window connects anew: whether it may is looked at again."""

News = dict[str, Any]


class Window:
    """A window that is connected."""

    def __init__(self, project: int, name: str, user: int | None, session: str = "") -> None:
        self.project, self.name, self.user, self.session = project, name, user, session
        self.over = False
        self.told: News | None = None
        self.wake = threading.Event()
        self.news: News | None = None

    def hear(self, news: News) -> None:
        """Take what is new; from the hub's thread."""
        people = [
            {"name": row["name"], "mine": row["user"] == self.user, "atlas": row["atlas"], "stage": row["stage"], "picked": row["picked"]}
            for row in news["people"] if row["window"] != self.name
        ]  # fmt: skip
        mine = {**news, "people": people if self.user is not None else []}
        if mine != self.told:
            self.told = self.news = mine
            self.wake.set()

    def end(self) -> None:
        """Say nothing more: whoever looks may not any more."""
        self.over = True
        self.wake.set()


class Hub:
    """Windows that are connected to this process, and the thread that looks for them."""

    def __init__(self) -> None:
        self._windows: set[Window] = set()
        self._lock = threading.Lock()
        self._thread: threading.Thread | None = None

    def connect(self, window: Window) -> bool:
        """Take a window on; False when there are too many already."""
        with self._lock:
            if len(self._windows) >= settings.LIVE_WINDOWS:
                return False
            self._windows.add(window)
            if self._thread is None:
                self._thread = threading.Thread(target=self._run, name="live", daemon=True)
                self._thread.start()
            return True

    def leave(self, window: Window) -> None:
        """A window is gone."""
        with self._lock:
            self._windows.discard(window)

    def _run(self) -> None:
        while True:
            with self._lock:
                windows = list(self._windows)
                if not windows:
                    self._thread = None
                    connection.close()
                    return
            try:
                for window in without_right(windows):
                    window.end()
                found = news_of({window.project for window in windows})
                for window in windows:
                    if window.project in found and not window.over:
                        window.hear(found[window.project])
            except DatabaseError as error:
                log.warning("nothing can be told for now: %s", error)
                connection.close()
            except Exception:
                # Whoever listens goes on listening.
                log.exception("nothing can be told for now")
            time.sleep(LOOK_EVERY)


HUB = Hub()


def without_right(windows: list[Window]) -> list[Window]:
    """Those whose account is no member (any more), is closed, or has logged out."""
    if not settings.ACCOUNTS:
        return []
    members = Membership.objects.filter(
        project__in={w.project for w in windows}, user__in={w.user for w in windows}, user__is_active=True
    )  # fmt: skip
    may = set(members.values_list("project", "user"))
    asked = {w.session for w in windows if w.session}
    there = set(
        Session.objects.filter(pk__in=asked, expire_date__gt=timezone.now()).values_list(
            "pk", flat=True
        )
    )
    return [w for w in windows if (w.project, w.user) not in may or w.session not in {"", *there}]


def news_of(projects: set[int]) -> dict[int, News]:
    """Newest step, number of steps undone and of jobs, digest of the notes, and who is here, by project."""
    out: dict[int, News] = {
        pk: {"change": head, "redo": len(redo), "jobs": 0, "notes": "", "people": []}
        for pk, head, redo in Project.objects.filter(pk__in=projects).values_list("pk", "head", "redo")
    }  # fmt: skip
    active = Job.objects.filter(project__in=out, parent=None, state__in=(Job.QUEUED, Job.RUNNING))
    for row in active.order_by().values("project").annotate(count=Count("pk")):
        out[row["project"]]["jobs"] = row["count"]
    if settings.ACCOUNTS:
        notes = Note.objects.filter(project__in=out).order_by()
        for row in notes.values("project").annotate(count=Count("pk"), closed=Count("closed")):
            out[row["project"]]["notes"] = f"{row['count']}/{row['closed']}"
        here = Presence.objects.filter(project__in=out, seen__gt=timezone.now() - HERE_FOR)
        for one in here.select_related("user").order_by("pk"):
            out[one.project_id]["people"].append(
                {"window": one.window, "user": one.user_id, "name": one.user.get_username(), "atlas": one.atlas, "stage": one.stage, "picked": one.picked}
            )  # fmt: skip
    return out


class Stream:
    """Lines for a window that is connected, until it is gone or its time is over."""

    def __init__(self, window: Window, hub: Hub, life: float = LIFE) -> None:
        self._window, self._hub = window, hub
        self._lines = self._told(time.monotonic() + life)

    def _told(self, end: float) -> Iterator[bytes]:
        yield b"retry: 500\n\n"
        while time.monotonic() < end:
            if self._window.wake.wait(min(BREATH, max(end - time.monotonic(), 0.0))):
                self._window.wake.clear()
                if self._window.over:
                    return
                yield f"data: {json.dumps(self._window.news)}\n\n".encode()
            else:
                yield b": still here\n\n"

    def __iter__(self) -> Iterator[bytes]:
        return self._lines

    def close(self) -> None:
        """The window is gone, also where nothing was sent to it yet."""
        self._hub.leave(self._window)
