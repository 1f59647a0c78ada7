"""Say what limits the density of a packed layout, and keep that with its revision."""

from __future__ import annotations

from typing import Any

from quilt_core.operations.operation import Progress
from studio.actions.operate import operate
from studio.models import Revision


def explain_limit(revision: Revision, progress: Progress) -> dict[str, Any] | None:
    """What limits it, with the density that each fix is expected to bring; None when nothing does. It is asked with the
    settings that the layout was packed with."""
    found = operate(revision, "limit", revision.params, progress).values["atlases"]
    limit: dict[str, Any] | None = found[0] if found else None
    if limit is not None:
        revision.limit = limit
        revision.save(update_fields=["limit"])
    return limit
