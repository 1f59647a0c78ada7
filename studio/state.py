"""Revisions as states of atlases: a revision stores what differs from its parent."""

from __future__ import annotations

import zlib
from typing import Any

import numpy as np

from quilt_core.document.islands import CHANGED_ISLAND
from quilt_core.document.state import MemberRow, State, TileRow, changed_islands
from studio.models import Atlas, Revision
from studio.stored_islands import RECENT, stored_islands

FEW_CHANGED = 0.25
"""What changes a larger part of the islands is stored whole."""
SAME_AS = "as"
"""Among the settings of a revision: the one that was put back, by its id."""
LONGEST = 100
"""Revisions in a row that store differences only."""


def tiles_of(revision: Revision) -> list[TileRow]:
    """Tiles of a revision in the order of their numbers."""
    return sorted((TileRow(*row) for row in revision.tiles), key=lambda tile: tile.number)


def members_of(revision: Revision) -> tuple[MemberRow, ...]:
    """Members of a revision in its order."""
    rows = revision.members
    if rows is None:
        assert revision.keyframe is not None
        rows = revision.keyframe.members
    assert rows is not None
    return tuple(
        MemberRow(**{**row, "part": tuple(row["part"])} if row.get("part") else row) for row in rows
    )


def read_state(revision: Revision) -> State:
    """What a revision says, put together from its keyframe on."""
    return State(
        revision.name,
        members_of(revision),
        tuple(tiles_of(revision)),
        revision.padding,
        revision.margin,
        stored_islands(revision.pk, revision.created),
    )


def write_state(atlas: Atlas, parent: Revision | None, state: State, **facts: Any) -> Revision:
    """Store a state as a new revision; `facts` are its other fields."""
    members: list[dict[str, Any]] | None = [row.row() for row in state.members]
    keyframe, data, depth, stored = None, b"", 0, 0
    changed = changed_islands(read_state(parent), state) if parent else None
    if parent is not None and changed is not None:
        depth, stored = parent.depth + 1, parent.stored + len(changed)
        if depth <= LONGEST and stored <= FEW_CHANGED * len(state.islands):
            keyframe = parent.keyframe or parent
            rows = np.zeros(len(changed), CHANGED_ISLAND)
            rows["island"], rows["state"] = changed, state.islands[changed]
            data = zlib.compress(rows.tobytes(), 6)
            members = None if members == keyframe.members else members
    if keyframe is None:
        depth = stored = 0
        data = zlib.compress(np.ascontiguousarray(state.islands).tobytes(), 1)
    made = Revision.objects.create(
        atlas=atlas,
        parent=parent,
        keyframe=keyframe,
        name=state.name,
        members=members,
        state=data,
        depth=depth,
        stored=stored,
        tiles=[tile.row() for tile in state.tiles],
        padding=state.padding,
        margin=state.margin,
        **facts,
    )
    RECENT.keep((made.pk, made.created), np.array(state.islands))
    return made
