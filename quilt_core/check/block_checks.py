"""Checks for compressed textures."""

from __future__ import annotations

import numpy as np

from quilt_core.check.case import Case
from quilt_core.measure.blocks import shared_blocks


def check_blocks(case: Case) -> None:
    """Blocks that hold texels of two islands."""
    block = case.rules.block
    if not block:
        return
    found = []
    for k, tile in enumerate(case.tiles):
        here = (case.figures.tile == k) & ~case.unplaced
        mine = here[case.placed.edge_island]
        if not mine.any():
            continue
        size, corner = np.array([tile.width, tile.height]), np.array(tile.corner)
        owner = case.placed.edge_island[mine]
        shared = shared_blocks(
            (case.placed.edges[mine] - corner) * size, owner, block, tile.height,
            max(1e-6, float(case.figures.noise[owner].max())), case.stack,
        )  # fmt: skip
        found += [
            (a, b, n, corner + spot / size)
            for (a, b), n, spot in zip(
                shared.pairs.tolist(), shared.blocks.tolist(), shared.spots, strict=True
            )
        ]
    found.sort(key=lambda one: -one[2])
    for a, b, n, spot in found[: case.count("shared block", len(found))]:
        noun = "block holds" if n == 1 else "blocks hold"
        text = f"{n:,} {noun} texels of both, of {block} x {block} px"
        case.add("shared block", (a, b), n, "block", text, [spot])
