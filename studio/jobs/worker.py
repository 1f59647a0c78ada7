"""Which process works on a job, whether it is still there, and how to end it from outside."""

from __future__ import annotations

import os
import socket

import psutil

STARTS_AGREE = 1.0
"""Seconds by which two readings of a process's start may differ."""


def this_worker() -> str:
    """Name of this process: machine, number and start, as numbers are used again."""
    return f"{socket.gethostname()} {os.getpid()} {psutil.Process().create_time():.2f}"


def _process(worker: str) -> psutil.Process | None:
    """The process of that name, when it is one of this machine and still runs."""
    host, _, rest = worker.partition(" ")
    number, _, start = rest.partition(" ")
    if host != socket.gethostname() or not number.isdigit():
        return None
    try:
        found = psutil.Process(int(number))
        same = abs(found.create_time() - float(start)) < STARTS_AGREE
        return found if same and found.status() != psutil.STATUS_ZOMBIE else None
    except (psutil.Error, ValueError):
        return None


def is_gone(worker: str) -> bool:
    """Whether a worker of this machine runs no more; of others nothing is known."""
    return worker.startswith(socket.gethostname() + " ") and _process(worker) is None


def end_worker(worker: str) -> None:
    """Kill a worker of this machine that does not get on. Its supervisor starts another one."""
    process = _process(worker)
    if process is not None and process.pid != os.getpid():
        process.kill()
