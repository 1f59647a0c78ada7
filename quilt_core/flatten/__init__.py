"""Charts, seams, solvers: a mesh without UVs becomes charts that lie flat."""

from typing import TYPE_CHECKING

from quilt_core.lazy import lazily

if TYPE_CHECKING:
    from quilt_core.flatten.flatten import Stage, flatten_mesh
    from quilt_core.flatten.options import KINDS, FlattenSettings
    from quilt_core.flatten.result import Flattened

__all__ = ["KINDS", "FlattenSettings", "Flattened", "Stage", "flatten_mesh"]

__getattr__ = lazily(
    __name__,
    {
        "Stage": "flatten",
        "flatten_mesh": "flatten",
        "KINDS": "options",
        "FlattenSettings": "options",
        "Flattened": "result",
    },
)
