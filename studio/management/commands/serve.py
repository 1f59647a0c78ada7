"""Serve the application: one or several processes that answer, and the worker beside them."""

from __future__ import annotations

import errno
import gc
import ipaddress
import os
import shutil
import signal
import socket
import sys
import threading
import time
from pathlib import Path
from typing import Any

from django.conf import settings
from django.core.management.base import BaseCommand, CommandError, CommandParser
from django.db import OperationalError, connection

from studio.allocator import give_back_large_blocks
from studio.jobs.run import recover_stale_jobs
from studio.supervisor import Supervisor

BACKLOG = 1024
"""Connections that wait to be taken up."""

CONNECTIONS, SILENT_FOR = 2000, 60
"""Open connections, also half-open ones, and seconds after which one that says nothing is closed."""
LET_GO = 2.0
"""Seconds within which a port that is still held may become free."""
WORK_STANDS_BACK = 15
THREADS = 56
"""More than windows that are told what is new; few of the others work at once (`settings.AT_ONCE`)."""
GARBAGE_AFTER = 20_000
"""So many new objects before the youngest are looked through."""


def _recover() -> None:
    """Look for jobs whose worker is gone or stands still."""
    try:
        recover_stale_jobs()
    except OperationalError:
        pass  # The database is busy; it is looked at again soon.
    finally:
        connection.close()


def _is_loopback(host: str) -> bool:
    """Whether only this machine can reach an address."""
    try:
        return ipaddress.ip_address(host).is_loopback
    except ValueError:
        return host == "localhost"


def _listen(host: str, port: int) -> socket.socket:
    """A socket that listens there."""
    sock = socket.socket(socket.AF_INET6 if ":" in host else socket.AF_INET)
    sock.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    end = time.monotonic() + LET_GO
    while True:
        try:
            sock.bind((host, port))
            sock.listen(BACKLOG)
            return sock
        except OSError as error:
            # Processes of a server that died a moment ago are about to notice.
            if error.errno == errno.EADDRINUSE and time.monotonic() < end:
                time.sleep(0.1)
                continue
            raise CommandError(
                f"Port {port} of {host} cannot be used ({error.strerror}). "
                "Stop what is running there, or give another port: make demo PORT=8010"
            ) from None


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
        parser.add_argument(
            "--threads",
            type=int,
            default=THREADS,
            help=f"connections that are served at once ({THREADS})",
        )
        parser.add_argument(
            "--web", type=int, default=1,
            help="processes that answer (1): as many as the machine has cores, where many people are at work",
        )  # fmt: skip

    def handle(self, *args: Any, **options: Any) -> None:
        sock = _listen(options["host"], options["port"])
        address = f"http://{options['host']}:{options['port']}/"
        extra: dict[str, str] = {}
        if not _is_loopback(options["host"]) and not settings.ACCOUNTS:
            settings.DEMAND_TOKEN, extra["QUILT_DEMAND_TOKEN"] = True, "1"
            if not os.environ.get("QUILT_ALLOWED_HOSTS"):
                settings.ALLOWED_HOSTS, extra["QUILT_ALLOWED_HOSTS"] = ["*"], "*"
            self.stdout.write(
                "Everybody who can reach this machine can reach the server, and nothing is encrypted: the token in "
                "the address below is all that keeps others out. Put a server with TLS in front of it."
            )
            address += f"?token={settings.TOKEN}"
        recover_stale_jobs()
        connection.close()
        # On PostgreSQL threads share connections, which is settled where a process begins.
        several = options["web"] > 1 or connection.vendor == "postgresql"
        # Where many are at work nobody's look or edit waits for someone else's pack.
        worker = Supervisor(
            ["work", "--quiet"], look=_recover, nice=WORK_STANDS_BACK if several else 0
        )
        supervisors = [] if options["without_worker"] else [worker]
        if several:
            command = ["answer", str(sock.fileno()), "--threads", str(options["threads"])]
            extra |= {"PROMETHEUS_MULTIPROC_DIR": _counts(options["port"]), "QUILT_POOL": "1"}
            extra.setdefault("QUILT_AT_ONCE", os.environ.get("QUILT_AT_ONCE", "2"))
            supervisors += [
                Supervisor(command, extra, [sock.fileno()]) for _ in range(options["web"])
            ]
        for one in supervisors:
            one.start()
        signal.signal(signal.SIGTERM, lambda *_: sys.exit(0))
        self.stdout.write(f"Untold Quilt is at {address}  (stop with Ctrl+C)")
        self.stdout.flush()
        try:
            if several:
                threading.Event().wait()
            else:
                answer(sock, options["threads"])
        except KeyboardInterrupt:
            pass
        finally:
            for one in supervisors:
                one.ask_to_end()
            for one in supervisors:
                one.end()


def _counts(port: int) -> str:
    """A fresh folder in which processes that answer count together, for /metrics."""
    folder = Path(settings.DATA_DIR) / f"counts-{port}"
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    return str(folder)


def in_front(proxies: int) -> dict[str, Any]:
    """Settings of the server for so many proxies in front of it: whose word on who asks it takes."""
    if not proxies:
        return {}
    return {
        "trusted_proxy": "*",
        "trusted_proxy_count": proxies,
        "trusted_proxy_headers": {"x-forwarded-for", "x-forwarded-proto"},
        "clear_untrusted_proxy_headers": True,
        "log_untrusted_proxy_headers": False,
    }


def answer(sock: socket.socket, threads: int) -> None:
    """Answer what comes in through a socket that listens, until told to end."""
    import waitress

    from quilt_site.wsgi import application

    give_back_large_blocks()
    settings.LIVE_WINDOWS = max(min(settings.LIVE_WINDOWS, threads - 8), 0)
    # What is loaded by now stays: it need not be looked through again and again.
    gc.freeze()
    gc.set_threshold(GARBAGE_AFTER)
    waitress.serve(
        application,
        **in_front(settings.PROXIES),
        sockets=[sock],
        threads=threads,
        ident=None,
        backlog=BACKLOG,
        connection_limit=CONNECTIONS,
        asyncore_use_poll=True,
        channel_timeout=SILENT_FOR,
        cleanup_interval=10,
        max_request_body_size=settings.MAX_UPLOAD_BYTES + 1_000_000,
    )
