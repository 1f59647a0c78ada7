"""Serve the application: the web server here, the worker beside it."""

from __future__ import annotations

import signal
import socket
import subprocess
import sys
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser

from studio.jobs.run import recover_stale_jobs


class Command(BaseCommand):
    """`manage.py serve`."""

    help = "Serve the application on 127.0.0.1 together with its worker."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--port", type=int, default=8000)
        parser.add_argument("--host", default="127.0.0.1")

    def handle(self, *args: Any, **options: Any) -> None:
        import waitress

        from quilt_site.wsgi import application

        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind((options["host"], options["port"]))
            except OSError as error:
                raise CommandError(
                    f"Port {options['port']} of {options['host']} cannot be used ({error.strerror}). "
                    "Stop what is running there, or give another port: make demo PORT=8010"
                ) from None
        recover_stale_jobs()
        worker = subprocess.Popen(
            [sys.executable, str(settings.BASE_DIR / "manage.py"), "run_huey", "--quiet"]
        )
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        self.stdout.write(
            f"Untold Quilt is at http://{options['host']}:{options['port']}/  (stop with Ctrl+C)"
        )
        try:
            waitress.serve(
                application, host=options["host"], port=options["port"], threads=6, ident=None,
                max_request_body_size=settings.MAX_UPLOAD_BYTES + 1_000_000,
            )  # fmt: skip
        finally:
            worker.send_signal(signal.SIGINT)
            try:
                worker.wait(timeout=10)
            except subprocess.TimeoutExpired:
                worker.kill()
