"""Node hierarchy of a glTF document: where each mesh stands in the world."""

from __future__ import annotations

from typing import Any

import numpy as np

from quilt_core.errors import FileFormatError
from quilt_core.scene.model import Instance
from quilt_core.scene.types import FloatArray

LARGEST = 1e15


def local_matrix(node: dict[str, Any]) -> FloatArray:
    """(4, 4) matrix of a node from its matrix or its translation, rotation and scale."""
    if "matrix" in node:
        return np.array(node["matrix"], np.float64).reshape(4, 4).T
    x, y, z, w = node.get("rotation", (0, 0, 0, 1))
    out = np.eye(4)
    out[:3, :3] = [
        [1 - 2 * (y * y + z * z), 2 * (x * y - z * w), 2 * (x * z + y * w)],
        [2 * (x * y + z * w), 1 - 2 * (x * x + z * z), 2 * (y * z - x * w)],
        [2 * (x * z - y * w), 2 * (y * z + x * w), 1 - 2 * (x * x + y * y)],
    ]
    out[:3, :3] *= np.array(node.get("scale", (1, 1, 1)), np.float64)
    out[:3, 3] = node.get("translation", (0, 0, 0))
    return out


def instances_of_meshes(name: str, doc: dict[str, Any]) -> dict[int, tuple[Instance, ...]]:
    """Mesh index to the nodes that use it, in node order.

    Raises
    ------
    FileFormatError
        When the hierarchy has a loop, or a place or size is beyond all measure.
    """
    nodes: list[dict[str, Any]] = doc.get("nodes", [])
    parent: dict[int, int] = {}
    for index, node in enumerate(nodes):
        for child in node.get("children", ()):
            parent[child] = index
    world: dict[int, FloatArray] = {}

    def world_of(index: int) -> FloatArray:
        chain, seen = [index], {index}
        while chain[-1] not in world and chain[-1] in parent:
            above = parent[chain[-1]]
            if above in seen:
                raise FileFormatError(
                    "The hierarchy goes round in a circle.",
                    f"{name}, node {index}",
                    "Export the file again.",
                )
            chain.append(above)
            seen.add(above)
        with np.errstate(over="ignore", invalid="ignore"):
            for at in reversed(chain):
                if at not in world:
                    over = world[parent[at]] if at in parent else np.eye(4)
                    world[at] = over @ local_matrix(nodes[at])
        if not (np.abs(world[index]) < LARGEST).all():
            raise FileFormatError(
                "It stands at a place or in a size that is no number, or far too large.",
                f"{name}, node {index}", "Correct its transform, or export the file again.",
            )  # fmt: skip
        return world[index]

    out: dict[int, list[Instance]] = {}
    for index, node in enumerate(nodes):
        if "mesh" in node:
            above = parent.get(index)
            parent_name = nodes[above].get("name", f"node {above}") if above is not None else ""
            out.setdefault(int(node["mesh"]), []).append(
                Instance(node.get("name", f"node {index}"), parent_name, world_of(index))
            )
    return {mesh: tuple(found) for mesh, found in out.items()}
