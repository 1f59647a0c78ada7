"""Count vertices that are near one another as one, for the layout only."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.scene.mesh import SAME_PLACE
from quilt_core.scene.weld import weld_positions
from quilt_core.unwrap.edits.laid import Edited, Laid


def weld(laid: Laid) -> Edited:
    """Say how many vertices count as one in a layout that was taken up with a welded mesh; UVs stay.

    Raises
    ------
    LayoutError
        When there are none that are near enough.
    """
    mesh = laid.mesh
    apart = len(np.unique(weld_positions(replace(mesh, same_place=SAME_PLACE))))
    now = len(np.unique(weld_positions(mesh)))
    if now == apart:
        raise LayoutError(
            f"No two vertices are nearer than {mesh.same_place:.3%} of the size.",
            "weld",
            "Give a larger distance.",
        )
    # Islands are found anew as they lie, so that none that lies apart is joined.
    touched = np.asarray(laid.known)
    return Edited(
        laid.uv, f"{apart - now:,} vertices count as one with another one", touched=touched
    )
