"""Run the worker: as a child of the server, or alone on a machine of its own."""

from __future__ import annotations

import os
import threading
import time
from typing import Any

from django.core.management.base import CommandParser
from django.db import DatabaseError, connection
from huey.contrib.djhuey.management.commands.run_huey import Command as RunHuey

from studio.jobs.lifeline import PARENT, end_with_parent
from studio.jobs.run import recover_stale_jobs

LOOK_EVERY = 5.0
"""Seconds between two looks for jobs whose worker is gone, on any machine."""


def look_after_others() -> None:
    """Take over the jobs of workers that are gone, in a thread of its own."""

    def look() -> None:
        while True:
            time.sleep(LOOK_EVERY)
            try:
                recover_stale_jobs()
            except DatabaseError:
                pass  # it is away for now, and looked at again soon
            finally:
                connection.close()

    threading.Thread(target=look, name="watchman", daemon=True).start()


class Command(RunHuey):  # type: ignore[misc]
    """`manage.py work`: the worker, which ends when the process that started it does, or alone."""

    help = "Run the worker; it ends with the process that started it, unless it is --alone."

    def add_arguments(self, parser: CommandParser) -> None:
        super().add_arguments(parser)
        parser.add_argument(
            "--alone", action="store_true",
            help="on a machine of its own: it needs DATABASE_URL, REDIS_URL and STORAGE_URL, and looks after others' jobs",
        )  # fmt: skip

    def handle(self, *args: Any, **options: Any) -> None:
        if options.pop("alone"):
            look_after_others()
        else:
            end_with_parent()
        # Its own children, workers and scheduler, belong to this process.
        os.environ[PARENT] = str(os.getpid())
        os.register_at_fork(after_in_child=end_with_parent)
        super().handle(*args, **options)
