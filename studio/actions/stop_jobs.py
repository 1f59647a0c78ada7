"""Ask work to stop."""

from __future__ import annotations

from django.utils import timezone

from studio.models import Job


def cancel_job(job: Job, keep: bool) -> bool:
    """Ask a job and its parts to stop, or end it when it has not begun; False when it is over already."""
    cancel_parts(job, keep)
    over = {
        "state": Job.CANCELLED,
        "message": "cancelled before it started",
        "finished": timezone.now(),
    }
    if Job.objects.filter(pk=job.pk, state=Job.QUEUED).update(**over):
        return True
    asked = Job.objects.filter(pk=job.pk, state=Job.RUNNING)
    return bool(asked.update(cancel="keep" if keep else "drop", message="stopping"))


def cancel_parts(job: Job, keep: bool) -> None:
    """Ask the parts of a job to stop, and end those that have not begun."""
    parts = Job.objects.filter(parent=job)
    over = {"state": Job.CANCELLED, "message": "cancelled before it started", "finished": timezone.now()}  # fmt: skip
    parts.filter(state=Job.QUEUED).update(**over)
    parts.filter(state=Job.RUNNING, cancel="").update(cancel="keep" if keep else "drop")
