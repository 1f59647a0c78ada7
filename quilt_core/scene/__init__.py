"""Meshes, objects, UV channels, islands and placements."""

from quilt_core.scene.island_set import IslandSet, concatenate, island_set
from quilt_core.scene.islands import Islands, find_islands
from quilt_core.scene.mesh import Mesh, UVChannel
from quilt_core.scene.model import Instance, Material, Scene, SceneObject
from quilt_core.scene.parts import part_of_islands, part_of_surface
from quilt_core.scene.placement import IDENTITY, apply_placements, compose
from quilt_core.scene.surface import Surface, join_surfaces, read_surface
from quilt_core.scene.tiles import TileSize, home_tiles, pixel_sizes

__all__ = [
    "IDENTITY",
    "Instance",
    "IslandSet",
    "Islands",
    "Material",
    "Mesh",
    "Scene",
    "SceneObject",
    "Surface",
    "TileSize",
    "UVChannel",
    "apply_placements",
    "compose",
    "concatenate",
    "find_islands",
    "home_tiles",
    "island_set",
    "join_surfaces",
    "part_of_islands",
    "part_of_surface",
    "pixel_sizes",
    "read_surface",
]
