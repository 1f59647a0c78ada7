"""Append a revision to an atlas: the one place where its head moves forward."""

from __future__ import annotations

from typing import Any

import numpy as np
from django.db import transaction
from numpy.typing import NDArray

from studio.actions.errors import Conflict, Refused
from studio.arrays import tiles_of
from studio.models import MARGIN, PADDING, Atlas, Job, Revision, Tile


def check_head(atlas: Atlas, revision_id: int | None) -> Revision:
    """The revision the user started from; refused when it is no longer the newest."""
    if atlas.head is None:
        raise Conflict("There is nothing in this atlas yet.", atlas.name, "Bring in files first.")
    if revision_id is not None and revision_id != atlas.head_id:
        raise Conflict(
            f"The layout has changed since: {atlas.head.verb} (revision {atlas.head_id}).",
            atlas.name,
            "Look at the new layout and try again.",
            head=atlas.head_id,
            verb=atlas.head.verb,
        )
    return atlas.head


def check_idle(atlas: Atlas) -> None:
    """Refuse while other work is about to change the layout; call it inside the transaction of the change."""
    busy = (
        atlas.jobs.filter(state__in=[Job.QUEUED, Job.RUNNING])
        .exclude(kind__in=["measure", "export", "report", "explain"])
        .first()
    )
    if busy:
        raise Conflict(
            f"A job is at work on this layout: {busy.kind}.",
            atlas.name,
            "Wait for it or cancel it.",
            job=busy.pk,
        )


FARTHEST = 1e9
"""No placement holds a larger number, in tiles."""


KNOWN = ("figures", "proof", "binding")
"""What is known of a layout, and of one that is the same."""


@transaction.atomic
def append_revision(
    atlas: Atlas,
    parent: Revision | None,
    verb: str,
    params: dict[str, Any],
    placements: NDArray[np.float64],
    unplaced: NDArray[np.bool_],
    *,
    contents: list[list[int]] | None = None,
    tiles: list[list[Any]] | None = None,
    controls: NDArray[Any] | None = None,
    draft: bool = False,
    seconds: float | None = None,
    tidy_cost: float | None = None,
    figures: dict[str, Any] | None = None,
    made_of: Revision | None = None,
    distances: tuple[float, float] | None = None,
    own_job: int | None = None,
) -> Revision:
    """Add a revision, as a draft beside the chain when that is wanted.

    What is not given is as in the parent. `distances` are padding and margin in px. A revision that is
    `made_of` another one has its layout, distances and all that is known of it.

    Whether the head is still the parent, and whether other work is about to change it, is looked at inside
    the transaction. The late result of a job (`own_job`) becomes a draft; anyone else is refused.
    """
    if not (np.isfinite(placements).all() and (np.abs(placements) < FARTHEST).all()):
        raise Refused(
            "The layout would hold places that are no numbers, or far beyond all tiles.",
            verb,
            "Give a smaller density or size. The layout is as it was.",
        )
    atlas = Atlas.objects.select_for_update().get(pk=atlas.pk)
    moved = atlas.head_id != (parent.pk if parent else None)
    if own_job is None and not draft:
        if parent is not None:
            check_head(atlas, parent.pk)
        check_idle(atlas)
    stale = draft or moved
    like = made_of or parent
    padding, margin = distances or ((like.padding, like.margin) if like else (PADDING, MARGIN))
    revision = Revision.objects.create(
        atlas=atlas,
        parent=parent,
        verb=verb,
        params=params,
        draft=stale,
        contents=contents if contents is not None else (parent.contents if parent else []),
        tiles=tiles if tiles is not None else (parent.tiles if parent else [[1001, 2048, 2048]]),
        placements=np.ascontiguousarray(placements, np.float64).tobytes(),
        unplaced=unplaced.astype(np.uint8).tobytes(),
        controls=controls.tobytes() if controls is not None else (bytes(parent.controls) if parent else b""),
        padding=padding,
        margin=margin,
        seconds=seconds,
        tidy_cost=tidy_cost,
        **({name: getattr(made_of, name) for name in KNOWN} if made_of else {"figures": figures}),
    )
    if not stale:
        move_head(atlas, revision, redo=[])
    return revision


def move_head(atlas: Atlas, revision: Revision, redo: list[int]) -> None:
    """Point the atlas at a revision and give its tiles the sizes they had there."""
    atlas.head = revision
    atlas.redo = redo
    atlas.save(update_fields=["head", "redo"])
    rows = tiles_of(revision)
    atlas.tiles.exclude(number__in=[tile.number for tile in rows]).delete()
    for tile in rows:
        facts = {"width": tile.width, "height": tile.height, "label": tile.label, "frozen": tile.frozen}
        Tile.objects.update_or_create(atlas=atlas, number=tile.number, defaults=facts)
