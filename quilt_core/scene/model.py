"""A scene: objects with their place in the world, as one file describes them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

from quilt_core.scene.mesh import Mesh
from quilt_core.scene.types import FloatArray

Siblings = Callable[[str], bytes | None]
"""Gives the bytes of a file named beside the mesh, or None when it is not there or not allowed."""


@dataclass(frozen=True)
class Material:
    """A material by name; only what a layout needs to know.

    Parameters
    ----------
    name : str
    base_color : tuple of float
    image : tuple of int, optional
        Width and height in px of its image.
    """

    name: str
    base_color: tuple[float, float, float] = (0.8, 0.8, 0.8)
    image: tuple[int, int] | None = None


@dataclass(frozen=True, eq=False)
class Instance:
    """One place where an object stands.

    Parameters
    ----------
    name : str
    parent : str
        Name of the parent in the hierarchy, empty at the root.
    matrix : (4, 4) float64
        From mesh space to world space, column vectors.
    """

    name: str
    parent: str
    matrix: FloatArray


@dataclass(frozen=True, eq=False)
class SceneObject:
    """A mesh and every place it is used: one set of islands for all its instances."""

    name: str
    mesh: Mesh
    instances: tuple[Instance, ...]


@dataclass(frozen=True, eq=False)
class Scene:
    """What one file holds.

    Parameters
    ----------
    name : str
        File name without folder.
    objects : tuple of SceneObject
    materials : tuple of Material
    metres_per_unit : float
        Length of the file's unit.
    source : object
        What the format's writer needs to write the file back; opaque to everyone else.
    warnings : tuple of str
        Things the user should know that do not stop the work.
    """

    name: str
    objects: tuple[SceneObject, ...]
    materials: tuple[Material, ...]
    metres_per_unit: float
    source: Any = field(repr=False)
    warnings: tuple[str, ...] = ()

    def in_unit(self, metres_per_unit: float) -> Scene:
        """The same with another unit, also where the format has one of its own."""
        return replace(self, metres_per_unit=metres_per_unit)
