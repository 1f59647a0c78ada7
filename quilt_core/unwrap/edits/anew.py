"""Flatten islands anew: along seams that were drawn, between keeping angles and keeping areas."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.scene.islands import triangle_areas
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.unwrap.edits.cut import pieces_of
from quilt_core.unwrap.edits.laid import Edited, Laid, resewn
from quilt_core.unwrap.patchwork import limits_for, sewn_up
from quilt_core.unwrap.regions import start_patchwork
from quilt_core.unwrap.result import in_rows, with_slivers
from quilt_core.unwrap.shells import Shells
from quilt_core.unwrap.whole import flat_whole, is_disc, part_of

RAISED = (1.05, 1.3, 1.8, 3.0, 8.0)
"""Stretch that is allowed, one after the other, to a chart that needs more cuts."""


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
    shells = laid.shells
    if not own.any():
        raise LayoutError("Nothing to unwrap.", "islands", "Select islands, faces or edges.")
    shut = np.zeros(3 * shells.count, bool)
    if len(seams):
        shut[laid.halves(seams)] = True
    bare = ~laid.known
    before = (
        laid.work.sewn | (np.repeat(bare, 3) & (shells.across >= 0))
        if keep
        else (shells.across >= 0)
    )
    other = np.where(shells.across >= 0, shells.across // 3, 0)
    sewn = before & ~shut & (shells.across >= 0) & np.repeat(own, 3) & own[other]
    sewn = sewn & sewn[np.where(shells.across >= 0, shells.across, 0)]
    sewn |= shells.inner
    work = resewn(replace(laid.work, uv=shells.rest.copy()), sewn)
    cut = replace(laid, work=work, known=own)
    parts = pieces_of(cut, own)
    flat = np.zeros((shells.count, 3, 2))
    charts: list[IntArray] = []
    more = 0
    for tris in parts:
        found = flat_whole(shells, tris, sewn, balance)
        if found is not None:
            flat[tris] = found
            charts.append(tris)
            continue
        pieces = _cut_further(shells, tris, sewn, flat, balance)
        more += len(pieces) > 1 or not is_disc(shells, tris, sewn)
        charts += pieces
    _at_true_size(shells, charts, flat)
    out = laid.work.uv.copy()
    local = in_rows(flat[own], _renumbered(charts, own), float(shells.area[own].sum()))
    out[own] = local * room
    note = f"{len(charts)} {'island' if len(charts) == 1 else 'islands'}"
    if more:
        note += f"; {more} {'part' if more == 1 else 'parts'} had to be cut further to lie flat"
    return Edited(with_slivers(laid.mesh, shells, laid.having(out, own)), note, aside=True)


def _cut_further(
    shells: Shells, tris: IntArray, sewn: BoolArray, flat: FloatArray, balance: float
) -> list[IntArray]:
    """Cut a part that cannot lie flat as it is, into as few charts as its stretch allows; their
    corners are put into flat (N, 3, 2)."""
    part = part_of(shells, tris, sewn)
    work = start_patchwork(part, limits_for(RAISED[0]), max(1, len(tris) // 6))
    for stretch in RAISED:
        work = sewn_up(work, limits_for(stretch))
        if len(work.charts()) == 1:
            break
    out = []
    for chart in work.charts():
        better = flat_whole(part, chart, work.sewn, balance)
        flat[tris[chart]] = work.uv[chart] if better is None else better
        out.append(tris[chart])
    return out


def _at_true_size(shells: Shells, charts: list[IntArray], flat: FloatArray) -> None:
    for chart in charts:
        size = float(np.abs(triangle_areas(flat[chart])).sum())
        if size > 0:
            flat[chart] *= np.sqrt(float(shells.area[chart].sum()) / size)


def _renumbered(charts: list[IntArray], own: BoolArray) -> list[IntArray]:
    row = np.cumsum(own) - 1
    return [row[chart] for chart in charts]
