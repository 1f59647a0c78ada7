"""Where the queue looks for tasks."""

from studio.jobs.queue import run_job
from studio.jobs.run import look_after_jobs

__all__ = ["look_after_jobs", "run_job"]
