"""Do an operation of the core on an atlas: the one way from a job to a new state."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from quilt_core.document.document import Document
from quilt_core.operations.operation import AGAINST, Operation, Progress, plain
from quilt_core.operations.registry import operation
from quilt_core.options import options_of, plain_settings, settings_from
from studio.actions.documents import document_of, saved
from studio.actions.history.change import Made
from studio.actions.history.parts import Parts, within
from studio.actions.history.step import revisions_at
from studio.models import Revision

FIGURES = "figures"
"""Among the settings of a revision: what was told of objects, by their ids."""


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
    atlases : tuple of int
        Ids of the atlases, in order.
    """

    operation: Operation
    settings: Any
    document: Document
    result: Any
    atlases: tuple[int, ...] = ()

    @property
    def values(self) -> dict[str, Any]:
        """The result as JSON has it."""
        found: dict[str, Any] = plain(self.result)
        return found

    @property
    def params(self) -> dict[str, Any]:
        """Its settings as a revision keeps them, with what it told of objects."""
        kept = {one.name for one in options_of(type(self.settings)) if one.kept}
        settings = plain_settings(self.settings, True)
        objects = getattr(self.result, "objects", None)
        told = {FIGURES: plain(objects)} if objects else {}
        return {**{name: settings[name] for name in settings if name in kept}, **told}

    def made(self, which: int = 0, **facts: Any) -> Made:
        """The new state of an atlas; `facts` are other fields of the revision. New base layouts get their rows now."""
        state = saved(self.result.document.layouts[which])
        what = self.operation.find("what")(self.settings, self.result)
        verb = getattr(self.settings, "verb", self.operation.name)
        parts = [within(self.atlases[which], part) for part in self.operation.relies]
        needs: Parts = dict.fromkeys(parts)
        return Made(verb, state, what, self.params, needs, facts=facts)


def operate(
    revision: Revision,
    name: str,
    given: Mapping[str, Any],
    progress: Progress | None = None,
    others: Sequence[Revision] = (),
    **document: Any,
) -> Done:
    """Do an operation on an atlas, or on several at once.

    Parameters
    ----------
    revision : Revision
    name : str
    given : mapping
        Settings as JSON has them.
    progress : Progress, optional
    others : sequence of Revision
        Further atlases.
    document : keyword arguments
        See `document_of`.

    Raises
    ------
    QuiltError
    """
    known = operation(name)
    settings = settings_from(known.settings, given)
    found = [revision, *others]
    work_on = document_of(found, everything=known.scene, **document)
    if known.compares:
        change, then = revisions_at(found, settings.step)
        work_on = replace(work_on, others={AGAINST: document_of(then, settings=change.settings)})
    result = known.run(work_on, settings, progress or Progress())
    return Done(known, settings, work_on, result, tuple(row.atlas_id for row in found))
