"""Refusals that the API answers with a status of their own."""

from __future__ import annotations

from typing import Any

from quilt_core.errors import QuiltError


class Refused(QuiltError):
    """The action cannot be done now; nothing was changed."""

    status = 400

    def __init__(self, what: str, where: str = "", cure: str = "", **details: Any) -> None:
        super().__init__(what, where, cure)
        self.details = details


class NothingToDo(Refused):
    """Everything is as it would be: wrong when it was asked for by hand, fine for a line of the run sheet."""


class Conflict(Refused):
    """The layout is no longer the one that the user saw, or is being worked on."""

    status = 409
