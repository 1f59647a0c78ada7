"""Every error a client sees says what, where, and what to do."""

from __future__ import annotations

import logging
from typing import Any

from django.core.exceptions import RequestDataTooBig, TooManyFilesSent
from django.db import DataError, InterfaceError, OperationalError
from django.http import Http404
from rest_framework.exceptions import APIException, ValidationError
from rest_framework.response import Response

from quilt_core.errors import QuiltError
from studio.actions.errors import FULL, Refused, is_full

log = logging.getLogger(__name__)


def handle(error: Exception, context: dict[str, Any]) -> Response:
    """DRF's exception handler."""
    if isinstance(error, Refused):
        return _answer(error.status, error.what, error.where, error.fix, error.details)
    if isinstance(error, QuiltError):
        return _answer(400, error.what, error.where, error.fix)
    if isinstance(error, (TooManyFilesSent, RequestDataTooBig)):
        return _answer(
            400,
            "There are too many files in one upload.",
            "",
            "Send at most 500 at a time, or a zip.",
        )
    if isinstance(error, Http404):
        return _answer(404, "It is not here (any more).", "", "Go back to the list of projects.")
    if isinstance(error, ValidationError):
        field, reason = _first(error.detail)
        return _answer(400, reason, field, "Correct the value.")
    if isinstance(error, (OverflowError, UnicodeEncodeError, RecursionError, DataError)):
        return _answer(
            400, "A number or text in the request is beyond all bounds.", "", "Correct the request."
        )
    if is_full(error):
        log.error("the disk is full: %s", error)
        return _answer(507, FULL, "", "Nothing was changed. Make room on the server's disk, then try again.")  # fmt: skip
    if isinstance(error, (OperationalError, InterfaceError)):
        log.warning("the database: %s", error)
        return _answer(
            503, "The database is busy or away.", "", "Nothing was changed; it is tried again in a moment.",
        )  # fmt: skip
    if isinstance(error, APIException):
        return _answer(error.status_code, str(error.detail), "", "")
    log.exception("unexpected error in %s", context.get("view"))
    return _answer(
        500, "Something went wrong that should not have.", "", "Nothing was changed; try again."
    )


def _first(detail: Any, field: str = "") -> tuple[str, str]:
    if isinstance(detail, dict):
        key = next(iter(detail))
        return _first(detail[key], f"{field}.{key}" if field else str(key))
    if isinstance(detail, list):
        return _first(detail[0], field)
    return field, str(detail)


def _answer(
    status: int, what: str, where: str, fix: str, details: dict[str, Any] | None = None
) -> Response:
    return Response({"what": what, "where": where, "fix": fix, **(details or {})}, status=status)
