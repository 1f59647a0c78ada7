"""What tests of merge are made of, for others too."""

from __future__ import annotations

from studio.models import Job


def job_of(answer, state=Job.DONE):
    assert answer.status_code == 202, answer.content
    job = Job.objects.get(pk=answer.json()["id"])
    assert job.state == state, job.error
    return job


def packed(act, atlas):
    job_of(act(atlas, "pack", size="512x512", padding=8, margin=4, effort="quick"))
    atlas.refresh_from_db()
