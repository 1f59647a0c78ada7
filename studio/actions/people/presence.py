"""The presence of a project: whether it has changed, who is here, and what they have picked."""

from __future__ import annotations

from datetime import timedelta
from typing import Any

from django.utils import timezone

from studio.actions.access import VIEWER, acting_user, require
from studio.models import Job, Presence, Project

HERE_FOR = timedelta(seconds=12)
"""Who says nothing for so long is not here any more."""
WRITTEN_EVERY = timedelta(seconds=4)
MOST_PICKED = 500
"""Picked islands that are told."""


def presence(project: Project, given: dict[str, Any]) -> dict[str, Any]:
    """Tell that one is here, and get the newest step, the number of jobs at work, and who else is here.

    `given`: window, atlas, stage, picked.
    """
    require(project.pk, VIEWER)
    now, user = timezone.now(), acting_user()
    people: list[dict[str, Any]] = []
    if user is not None:
        _here(project, user, given)
        rows = Presence.objects.filter(project=project, seen__gt=now - HERE_FOR)
        for row in rows.exclude(window=given["window"]).select_related("user").order_by("pk"):
            people.append(
                {"name": row.user.get_username(), "mine": row.user_id == user, "atlas": row.atlas, "stage": row.stage,
                 "picked": row.picked}
            )  # fmt: skip
    jobs = project.jobs.filter(parent=None, state__in=(Job.QUEUED, Job.RUNNING)).count()
    return {"change": project.head_id, "redo": len(project.redo), "jobs": jobs, "people": people}


def _here(project: Project, user: int, given: dict[str, Any]) -> None:
    """Written only when there is news, and every few seconds."""
    now = timezone.now()
    values = {
        "user_id": user, "atlas": given["atlas"], "stage": given["stage"],
        "picked": given["picked"][:MOST_PICKED],
    }  # fmt: skip
    row = Presence.objects.filter(project=project, window=given["window"]).first()
    same = row is not None and all(getattr(row, key) == value for key, value in values.items())
    if row is None or not same or now - row.seen > WRITTEN_EVERY:
        Presence.objects.update_or_create(
            project=project, window=given["window"], defaults={**values, "seen": now}
        )
        if row is None:
            Presence.objects.filter(project=project, seen__lt=now - 10 * HERE_FOR).delete()
