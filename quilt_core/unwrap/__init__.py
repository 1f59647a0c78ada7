"""Charts, seams, solvers: a mesh without UVs becomes charts that lie flat."""

from typing import TYPE_CHECKING

from quilt_core.lazy import lazily

if TYPE_CHECKING:
    from quilt_core.unwrap.options import KINDS, UnwrapSettings
    from quilt_core.unwrap.result import Unwrapped
    from quilt_core.unwrap.unwrap import Stage, unwrap_mesh

__all__ = ["KINDS", "Stage", "UnwrapSettings", "Unwrapped", "unwrap_mesh"]

__getattr__ = lazily(
    __name__,
    {
        "Stage": "unwrap",
        "unwrap_mesh": "unwrap",
        "KINDS": "options",
        "UnwrapSettings": "options",
        "Unwrapped": "result",
    },
)
