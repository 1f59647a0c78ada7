"""Flatten islands anew: along seams that were drawn, between keeping angles and keeping areas."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.scene.islands import triangle_areas
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.unwrap.edits.cut import pieces_of
from quilt_core.unwrap.edits.laid import Edited, Laid, rejoined
from quilt_core.unwrap.pieces import Pieces
from quilt_core.unwrap.regions import start_islands
from quilt_core.unwrap.result import in_rows, with_slivers
from quilt_core.unwrap.surface_islands import joined_up, limits_for
from quilt_core.unwrap.whole import flat_whole, is_disc, part_of

RAISED = (1.05, 1.3, 1.8, 3.0, 8.0)
"""Stretch that is allowed, one after the other, to an island that needs more cuts."""


def unwrap_along(
    laid: Laid,
    own: BoolArray,
    seams: IntArray,
    keep: bool = True,
    balance: float = 0.5,
    room: float = 1.0,
) -> Edited:
    """Flatten islands anew along seams.

    Each part between seams becomes one island where it can lie flat without an overlap; one that
    cannot (it closes on itself, or would run into itself) is cut further, as little as possible.

    Parameters
    ----------
    laid : Laid
    own : (N,) bool
        Triangles of the islands, or of faces without UVs.
    seams : (K,) int64
        Edges that are seams, see `Laid.halves`.
    keep : bool
        Whether the borders that islands have now stay seams.
    balance : float
        0 keeps angles, 1 areas.
    room : float
        Side of the square in whose rows the new islands lie, in the layout's unit.

    Raises
    ------
    LayoutError
        When there is nothing to flatten.
    """
    pieces = laid.pieces
    if not own.any():
        raise LayoutError("Nothing to unwrap.", "islands", "Select islands, faces or edges.")
    shut = np.zeros(3 * pieces.count, bool)
    if len(seams):
        shut[laid.halves(seams)] = True
    bare = ~laid.known
    before = (
        laid.work.joined | (np.repeat(bare, 3) & (pieces.across >= 0))
        if keep
        else (pieces.across >= 0)
    )
    other = np.where(pieces.across >= 0, pieces.across // 3, 0)
    joined = before & ~shut & (pieces.across >= 0) & np.repeat(own, 3) & own[other]
    joined = joined & joined[np.where(pieces.across >= 0, pieces.across, 0)]
    joined |= pieces.inner
    work = rejoined(replace(laid.work, uv=pieces.rest.copy()), joined)
    cut = replace(laid, work=work, known=own)
    parts = pieces_of(cut, own)
    flat = np.zeros((pieces.count, 3, 2))
    islands: list[IntArray] = []
    more = 0
    for tris in parts:
        found = flat_whole(pieces, tris, joined, balance)
        if found is not None:
            flat[tris] = found
            islands.append(tris)
            continue
        parts = _cut_further(pieces, tris, joined, flat, balance)
        more += len(parts) > 1 or not is_disc(pieces, tris, joined)
        islands += parts
    _at_true_size(pieces, islands, flat)
    out = laid.work.uv.copy()
    local = in_rows(flat[own], _renumbered(islands, own), float(pieces.area[own].sum()))
    out[own] = local * room
    note = f"{len(islands)} {'island' if len(islands) == 1 else 'islands'}"
    if more:
        note += f"; {more} {'part' if more == 1 else 'parts'} had to be cut further to lie flat"
    return Edited(with_slivers(laid.mesh, pieces, laid.having(out, own)), note, aside=True)


def _cut_further(
    pieces: Pieces, tris: IntArray, joined: BoolArray, flat: FloatArray, balance: float
) -> list[IntArray]:
    """Cut a part that cannot lie flat as it is, into as few islands as its stretch allows; their
    corners are put into flat (N, 3, 2)."""
    part = part_of(pieces, tris, joined)
    work = start_islands(part, limits_for(RAISED[0]), max(1, len(tris) // 6))
    for stretch in RAISED:
        work = joined_up(work, limits_for(stretch))
        if len(work.islands()) == 1:
            break
    out = []
    for island in work.islands():
        better = flat_whole(part, island, work.joined, balance)
        flat[tris[island]] = work.uv[island] if better is None else better
        out.append(tris[island])
    return out


def _at_true_size(pieces: Pieces, islands: list[IntArray], flat: FloatArray) -> None:
    for island in islands:
        size = float(np.abs(triangle_areas(flat[island])).sum())
        if size > 0:
            flat[island] *= np.sqrt(float(pieces.area[island].sum()) / size)


def _renumbered(islands: list[IntArray], own: BoolArray) -> list[IntArray]:
    row = np.cumsum(own) - 1
    return [row[island] for island in islands]
