"""Seams and solvers: a mesh without UVs becomes islands that lie flat."""

from typing import TYPE_CHECKING

import lazy_loader

if TYPE_CHECKING:
    from quilt_core.unwrap.options import SEAM_KINDS, UnwrapSettings
    from quilt_core.unwrap.result import Unwrapped
    from quilt_core.unwrap.unwrap import Stage, unwrap_mesh

__all__ = ["SEAM_KINDS", "Stage", "UnwrapSettings", "Unwrapped", "unwrap_mesh"]

__getattr__, __dir__, _ = lazy_loader.attach(
    __name__,
    submod_attrs={
        "unwrap": ["Stage", "unwrap_mesh"],
        "options": ["SEAM_KINDS", "UnwrapSettings"],
        "result": ["Unwrapped"],
    },
)
