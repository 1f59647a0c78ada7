"""All edits of a layout by name."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import LayoutError
from quilt_core.scene.types import IntArray
from quilt_core.scene.weld import groups
from quilt_core.unwrap.edits.anew import unwrap_along
from quilt_core.unwrap.edits.corners import align_corners, move_corners
from quilt_core.unwrap.edits.cut import cut_edges, cut_folds, rip_corner, split_faces
from quilt_core.unwrap.edits.ease import ease
from quilt_core.unwrap.edits.join import close_near, join_edges, join_neighbours, merge_tiny
from quilt_core.unwrap.edits.laid import Edited, Laid
from quilt_core.unwrap.edits.level import align_edges
from quilt_core.unwrap.edits.project import project
from quilt_core.unwrap.edits.straighten import straighten
from quilt_core.unwrap.edits.symmetrize import symmetrize
from quilt_core.unwrap.edits.weld import weld


def _none() -> IntArray:
    return np.empty(0, np.int64)


@dataclass(frozen=True, eq=False)
class Picks:
    """What of an object is edited.

    Parameters
    ----------
    faces, edges, corners : (K,) int64
        Faces; edges by the corner where each starts; corners.
    """

    faces: IntArray = field(default_factory=_none)
    edges: IntArray = field(default_factory=_none)
    corners: IntArray = field(default_factory=_none)


@dataclass(frozen=True)
class EditOptions:
    """How an edit is done; each verb uses what concerns it.

    Parameters
    ----------
    gap : float
        Way that what is cut off steps aside, or that near seams may lie apart, in the layout's unit.
    stretch : float
        L2 stretch of what is joined.
    balance : float
        0 keeps angles, 1 areas.
    hold_border : bool
    scale : bool
        Whether what comes over may change its size.
    keep : bool
        Whether present borders stay seams.
    shape, axis : str
        Of a projection.
    direction : (3,) floats, optional
        Axis of a projection by the view.
    way : str
        Of lining corners up.
    by : (2,) floats
        Way that corners move.
    side : float
        Of a square that is larger than a crumb.
    room : float
        Side of the square in which what is laid out anew lies at first.
    """

    gap: float = 0.01
    stretch: float = 1.05
    balance: float = 0.5
    hold_border: bool = False
    scale: bool = True
    keep: bool = True
    shape: str = "plane"
    axis: str = "average"
    direction: tuple[float, float, float] | None = None
    way: str = "line"
    by: tuple[float, float] = (0.0, 0.0)
    side: float = 0.0
    room: float = 1.0


Verb = Callable[[Laid, Picks, EditOptions], Edited]


def _region(laid: Laid, picks: Picks) -> NDArray[np.bool_]:
    """(N,) triangles of the picked faces, else of the islands that picked edges belong to; where there
    are none yet, of all that hangs together without UVs."""
    own = np.isin(laid.pieces.face, picks.faces)
    if not own.any() and len(picks.edges):
        touched = np.zeros(laid.pieces.count, bool)
        touched[laid.halves(picks.edges) // 3] = True
        own = _bare_around(laid, touched & ~laid.known)
        own[laid.islands_of(touched & laid.known)] = True
    return own


def _bare_around(laid: Laid, touched: NDArray[np.bool_]) -> NDArray[np.bool_]:
    if not touched.any():
        return touched
    bare, across = ~laid.known, laid.pieces.across
    half = np.flatnonzero((across >= 0) & np.repeat(bare, 3))
    half = half[bare[across[half] // 3]]
    label = groups(np.stack([half // 3, across[half] // 3], axis=1), laid.pieces.count)
    return np.asarray(bare & np.isin(label, label[touched]))


def _known(laid: Laid, picks: Picks) -> IntArray:
    """Triangles of the islands of the picked faces."""
    return laid.islands_of(laid.triangles(picks.faces))


def _rip(laid: Laid, picks: Picks, options: EditOptions) -> Edited:
    if len(picks.corners) != 1:
        raise LayoutError(f"{len(picks.corners)} vertices to unpick.", "corners", "Select one.")
    return rip_corner(laid, int(picks.corners[0]), options.gap)


DONE_BY: dict[str, Verb] = {
    "cut": lambda laid, p, o: cut_edges(laid, p.edges, o.gap),
    "split off": lambda laid, p, o: split_faces(laid, p.faces, o.gap),
    "unpick vertex": _rip,
    "cut folds": lambda laid, p, o: cut_folds(laid, _known(laid, p), o.gap),
    "join": lambda laid, p, o: join_edges(laid, p.edges, o.scale),
    "fewer islands": lambda laid, p, o: join_neighbours(laid, _known(laid, p), o.stretch),
    "close near seams": lambda laid, p, o: close_near(laid, _known(laid, p), o.gap),
    "merge tiny islands": lambda laid, p, o: merge_tiny(laid, _known(laid, p), o.side),
    "weld": lambda laid, p, o: weld(laid),
    "reduce stretch": lambda laid, p, o: ease(
        laid, _region(laid, p) & laid.known, o.hold_border, o.balance
    ),
    "symmetrize": lambda laid, p, o: symmetrize(laid, _region(laid, p) & laid.known),
    "straighten": lambda laid, p, o: straighten(laid, _region(laid, p) & laid.known),
    "level": lambda laid, p, o: align_edges(laid, p.edges, "level"),
    "upright": lambda laid, p, o: align_edges(laid, p.edges, "upright"),
    "round": lambda laid, p, o: align_edges(laid, p.edges, "round"),
    "project": lambda laid, p, o: project(
        laid,
        _region(laid, p),
        o.shape,
        o.axis if o.direction is None else np.array(o.direction),
        o.room,
    ),
    "unwrap along": lambda laid, p, o: unwrap_along(
        laid, _region(laid, p), p.edges, o.keep, o.balance, o.room
    ),
    "move vertices": lambda laid, p, o: move_corners(laid, p.corners, np.array(o.by)),
    "line up vertices": lambda laid, p, o: align_corners(laid, p.corners, o.way),
}
"""What each verb does."""


def edit_layout(laid: Laid, verb: str, picks: Picks, options: EditOptions) -> Edited:
    """Edit a layout.

    Parameters
    ----------
    laid : Laid
    verb : str
        One of `DONE_BY`.
    picks : Picks
    options : EditOptions

    Raises
    ------
    LayoutError
        When the edit is not possible, with what would help; nothing is changed then.
    """
    if verb not in DONE_BY:
        raise LayoutError(f"An edit “{verb}”.", "verb", f"Give {', '.join(DONE_BY)}.")
    made = DONE_BY[verb](laid, picks, options)
    known = np.isfinite(laid.uv).all(axis=1)
    if not np.isfinite(made.uv[known]).all():
        raise LayoutError(
            "This edit would give coordinates that are not finite.",
            verb,
            "Look at the faces there: some may have no surface.",
        )
    return made
