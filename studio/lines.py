"""Logs as lines of JSON, with the request or the job that they belong to."""

from __future__ import annotations

import json
import logging
from contextvars import ContextVar
from typing import Any

from django.db.utils import InterfaceError, OperationalError
from redis.exceptions import RedisError

request_id: ContextVar[str] = ContextVar("request", default="")
job_id: ContextVar[str] = ContextVar("job", default="")


class JsonLines(logging.Formatter):
    """A line of JSON for each thing that is logged, with the request or job that it belongs to."""

    def format(self, record: logging.LogRecord) -> str:
        """As JSON."""
        out: dict[str, Any] = {
            "time": self.formatTime(record, "%Y-%m-%dT%H:%M:%S") + f".{int(record.msecs):03d}",
            "level": record.levelname.lower(), "logger": record.name, "message": record.getMessage(),
        }  # fmt: skip
        for name, known in (("request", request_id.get()), ("job", job_id.get())):
            if known:
                out[name] = known
        if record.exc_info:
            out["trace"] = self.formatException(record.exc_info)
        return json.dumps(out, ensure_ascii=False)


class AwayInOneLine(logging.Filter):
    """A database or a queue that is away is told in a line each time a worker asks, not with the stack of the asking."""

    def filter(self, record: logging.LogRecord) -> bool:
        """Lets everything through."""
        error = record.exc_info[1] if record.exc_info else None
        away = isinstance(error, (OperationalError, InterfaceError, RedisError, ConnectionError))
        if record.name.split(".")[0] == "huey" and away:
            said = (str(error).splitlines() or [type(error).__name__])[0]
            record.msg, record.args = f"{record.getMessage()} {said}", ()
            record.exc_info = record.exc_text = None
        return True
