"""Logs as lines of JSON, with the request or the job that they belong to."""

from __future__ import annotations

import json
import logging
from contextvars import ContextVar
from typing import Any

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
