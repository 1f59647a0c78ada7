"""Objects of a scene with a channel of flattened UVs."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from quilt_core.errors import QuiltError
from quilt_core.scene.island_set import instance_shapes
from quilt_core.scene.mesh import UVChannel
from quilt_core.scene.model import SceneObject
from quilt_core.scene.types import FloatArray


def world_points(obj: SceneObject) -> FloatArray:
    """(V, 3) vertices of an object as its largest instance stands, but for its place: where
    instances differ, that one sets the density."""
    return np.asarray(obj.mesh.positions @ instance_shapes(obj)[0].T)


def with_channel(obj: SceneObject, channel: int, uv: FloatArray) -> SceneObject:
    """The object with other UVs in a channel, which may be the next behind its last.

    Parameters
    ----------
    obj : SceneObject
    channel : int
        From 0.
    uv : (C, 2) float64
        NaN for corners without UVs.

    Raises
    ------
    QuiltError
        When a channel before it is missing.
    """
    have = obj.mesh.channels
    if channel > len(have):
        raise QuiltError(
            f"“{obj.name}” has {len(have)} UV channels; there can be no channel {channel + 1}.",
            "channel",
            f"Give {len(have) + 1} or a lower one.",
        )
    known = np.isfinite(uv).all(axis=1)
    rows, index = np.unique(uv[known], axis=0, return_inverse=True)
    corner_uv = np.full(len(uv), -1, np.int64)
    corner_uv[known] = index.ravel()
    name = have[channel].name if channel < len(have) else f"UV {channel + 1}"
    made = UVChannel(name, rows, corner_uv)
    channels = (*have[:channel], made, *have[channel + 1 :])
    return replace(obj, mesh=replace(obj.mesh, channels=channels))
