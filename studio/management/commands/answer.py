"""One of several processes that answer, started by `serve --web N`."""

from __future__ import annotations

import signal
import socket
import sys
from typing import Any

from django.core.management.base import BaseCommand, CommandParser

from studio.jobs.lifeline import end_with_parent
from studio.management.commands.serve import THREADS, answer


class Command(BaseCommand):
    """`manage.py answer`."""

    help = "Answer through a socket that is open already; “serve --web N” starts this."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("file", type=int, help="number of the open socket")
        parser.add_argument("--threads", type=int, default=THREADS)

    def handle(self, *args: Any, **options: Any) -> None:
        end_with_parent()
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        answer(socket.socket(fileno=options["file"]), options["threads"])
