"""Run the worker as a child of the server."""

from __future__ import annotations

import os
from typing import Any

from huey.contrib.djhuey.management.commands.run_huey import Command as RunHuey

from studio.jobs.lifeline import PARENT, end_with_parent


class Command(RunHuey):
    """`manage.py work`: the worker, which ends when the process that started it does."""

    help = "Run the worker; it ends with the process that started it. On a machine of its own use run_huey."

    def handle(self, *args: Any, **options: Any) -> None:
        end_with_parent()
        # Its own children, workers and scheduler, belong to this process.
        os.environ[PARENT] = str(os.getpid())
        os.register_at_fork(after_in_child=end_with_parent)
        super().handle(*args, **options)
