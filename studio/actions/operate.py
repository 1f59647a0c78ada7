"""Do an operation of the core on an atlas: the one way from a job to a new state."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from quilt_core.document.document import Document
from quilt_core.operations.operation import Operation, Progress, plain
from quilt_core.operations.registry import operation
from quilt_core.options import plain_settings, settings_from
from studio.actions.documents import document_of, saved
from studio.actions.history.change import Made
from studio.models import Revision


@dataclass(frozen=True, eq=False)
class Done:
    """What an operation made of a revision.

    Parameters
    ----------
    operation : Operation
    settings : object
    document : Document
        That it worked on.
    result : object
        The core's.
    """

    operation: Operation
    settings: Any
    document: Document
    result: Any

    @property
    def values(self) -> dict[str, Any]:
        """The result as JSON has it."""
        found: dict[str, Any] = plain(self.result)
        return found

    @property
    def params(self) -> dict[str, Any]:
        """Its settings as a revision keeps them, with what it told of objects."""
        objects = getattr(self.result, "objects", None)
        told = {"figures": plain(objects)} if objects else {}
        return {**plain_settings(self.settings, True), **told}

    def made(self, **facts: Any) -> Made:
        """The new state of the atlas; `facts` are other fields of the revision. New base layouts get their rows now."""
        state = saved(self.result.document.layout)
        what = self.operation.find("what")(self.settings, self.result)
        verb = getattr(self.settings, "verb", self.operation.name)
        return Made(verb, state, what, self.params, facts=facts)


def operate(
    revision: Revision, name: str, given: Mapping[str, Any], progress: Progress, **document: Any
) -> Done:
    """Do an operation on an atlas.

    Parameters
    ----------
    revision : Revision
    name : str
    given : mapping
        Settings as JSON has them.
    progress : Progress
    document : keyword arguments
        See `document_of`.

    Raises
    ------
    QuiltError
    """
    known = operation(name)
    settings = settings_from(known.settings, given)
    work_on = document_of([revision], everything=known.scene, **document)
    return Done(known, settings, work_on, known.run(work_on, settings, progress))
