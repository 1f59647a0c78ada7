"""Serve the application: the web server here, the worker beside it."""

from __future__ import annotations

import ipaddress
import os
import signal
import socket
import subprocess
import sys
import threading
import time
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import OperationalError, connection

from studio.jobs.lifeline import PARENT
from studio.jobs.run import recover_stale_jobs

LOOK_EVERY = 2.0
"""Seconds between two looks for jobs whose worker is gone or stands still."""


class WorkerKeeper(threading.Thread):
    """Keeps one worker running: starts it again when it ended before it was told to."""

    def __init__(self) -> None:
        super().__init__(name="worker keeper", daemon=True)
        self._over = threading.Event()
        self._worker: subprocess.Popen[bytes] | None = None

    def run(self) -> None:
        """Start the worker, again and again, not faster than once a second."""
        while not self._over.is_set():
            self._worker = subprocess.Popen(
                [sys.executable, str(settings.BASE_DIR / "manage.py"), "work", "--quiet"],
                env={**os.environ, PARENT: str(os.getpid())},
            )
            looked = time.monotonic()
            while self._worker.poll() is None and not self._over.wait(0.5):
                if time.monotonic() - looked > LOOK_EVERY:
                    looked = time.monotonic()
                    self._recover()
            self._over.wait(1.0)

    def _recover(self) -> None:
        try:
            recover_stale_jobs()
        except OperationalError:
            pass  # The database is busy; it is looked at again soon.
        finally:
            connection.close()

    def end(self) -> None:
        """End the worker: asked first, then made to."""
        self._over.set()
        self.join(timeout=3)
        worker = self._worker
        if worker is None or worker.poll() is not None:
            return
        worker.send_signal(signal.SIGINT)
        try:
            worker.wait(timeout=10)
        except subprocess.TimeoutExpired:
            worker.kill()


def _is_loopback(host: str) -> bool:
    """Whether only this machine can reach an address."""
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


class Command(BaseCommand):
    """`manage.py serve`."""

    help = "Serve the application on 127.0.0.1 together with its worker."

    def add_arguments(self, parser: CommandParser) -> None:
        parser.add_argument("--port", type=int, default=8000)
        parser.add_argument("--host", default="127.0.0.1")
        parser.add_argument(
            "--without-worker",
            action="store_true",
            help="workers stand elsewhere: see “work --alone”",
        )
        parser.add_argument("--threads", type=int, default=6, help="requests at once (6)")

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
        address = f"http://{options['host']}:{options['port']}/"
        if not _is_loopback(options["host"]) and not settings.ACCOUNTS:
            settings.DEMAND_TOKEN = True
            if not os.environ.get("QUILT_ALLOWED_HOSTS"):
                settings.ALLOWED_HOSTS = ["*"]
            self.stdout.write(
                "Everybody who can reach this machine can reach the server, and nothing is encrypted: the token in "
                "the address below is all that keeps others out. Put a server with TLS in front of it."
            )
            address += f"?token={settings.TOKEN}"
        recover_stale_jobs()
        keeper = WorkerKeeper()
        if not options["without_worker"]:
            keeper.start()
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        self.stdout.write(f"Untold Quilt is at {address}  (stop with Ctrl+C)")
        self.stdout.flush()
        try:
            waitress.serve(
                application, host=options["host"], port=options["port"], threads=options["threads"], ident=None,
                max_request_body_size=settings.MAX_UPLOAD_BYTES + 1_000_000,
            )  # fmt: skip
        finally:
            if not options["without_worker"]:
                keeper.end()
