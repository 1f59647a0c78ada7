"""Where the queue looks for tasks."""

from studio.jobs.run import look_after_jobs, run_job

__all__ = ["look_after_jobs", "run_job"]
