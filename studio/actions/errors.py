"""Refusals that the API answers with a status of their own."""

from __future__ import annotations

import errno
from typing import Any, TypeVar

from django.db.models import Model, QuerySet

from quilt_core.errors import QuiltError


class Refused(QuiltError):
    """The action cannot be done now; nothing was changed."""

    status = 400

    def __init__(self, what: str, where: str = "", fix: str = "", **details: Any) -> None:
        super().__init__(what, where, fix)
        self.details = details


class NothingToDo(Refused):
    """Everything is as it would be: wrong when it was asked for by hand, fine for a line of the run sheet."""


class Conflict(Refused):
    """The layout is no longer the one that the user saw, or is being worked on."""

    status = 409


class Missing(Refused):
    """What was asked for is not there, or not theirs: whoever asks is not told which."""

    status = 404

    def __init__(self) -> None:
        super().__init__("It is not here (any more).", "", "Read the project again.")


Row = TypeVar("Row", bound=Model)


def found(rows: type[Row] | QuerySet[Row], pk: int) -> Row:
    """A row by its id.

    Raises
    ------
    Missing
    """
    query: Any = rows._default_manager if isinstance(rows, type) else rows
    row: Row | None = query.filter(pk=pk).first()
    if row is None:
        raise Missing
    return row


FULL = "The disk of the server is full."
NO_ROOM = (errno.ENOSPC, errno.EDQUOT, errno.EFBIG)


def is_full(error: BaseException | None) -> bool:
    """Whether there was no room to write: in the file system, in SQLite or in PostgreSQL (SQLSTATE 53100)."""
    while error is not None:
        if isinstance(error, OSError) and error.errno in NO_ROOM:
            return True
        if getattr(error, "sqlstate", "") == "53100" or str(error) == "database or disk is full":
            return True
        error = error.__cause__ or error.__context__
    return False
