"""The geometry of a revision for the browser: once as GLB, placements after that."""

from __future__ import annotations

import hashlib
import json
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.document.base import SURFACE
from quilt_core.errors import QuiltError
from quilt_core.formats.gltf_build import LINES, Node, Primitive, build_glb
from quilt_core.scene.seams import seam_edges
from quilt_core.scene.surface import worst_octaves
from studio import storage
from studio.actions.scenes import scene_of
from studio.arrays import load_geometry, members_with_rows
from studio.models import MeshObject, Revision
from studio.state import members_of, read_state

FORMAT = 10
NONE, ELSEWHERE = -1, -2


def content_digest(revision: Revision) -> str:
    """Mark of what a revision shows, which never changes; no other one ever has the same."""
    facts = f"{FORMAT} {revision.pk} {revision.created.isoformat()}"
    return hashlib.sha256(facts.encode()).hexdigest()[:16]


def geometry_glb(revision: Revision) -> bytes:
    """GLB with one mesh per object, a node per instance, and the outlines as lines.

    Triangles carry base UVs, `_ISLAND`, the number of the island within the revision (-1 for none),
    and `_STRETCH`, the octaves by which their texels per metre differ from their island's. Islands of
    an object that lie in another atlas have the number -2. The node “outlines” holds the outline edges: position = (u, v, island).
    """
    members = members_with_rows(members_of(revision))
    digest = json.dumps([FORMAT, [[m.object.pk, m.base.geometry, m.row.part] for m in members]])
    key_path = "geometry-" + hashlib.sha256(digest.encode()).hexdigest()
    known = cached(key_path)
    if known is not None:
        return known
    nodes: list[Node] = []
    meshes: list[tuple[str, list[Primitive]]] = []
    edges, edge_islands = [], []
    base = 0
    for member in members:
        obj, data = member.object, load_geometry(member.base.geometry)
        # Number in the revision of each island of the base layout, and -1 for what has none.
        here = np.append(np.full(member.base.islands, ELSEWHERE), NONE)
        here[member.row.numbers] = base + np.arange(member.row.islands)
        island = np.repeat(here[data["corner_island"]], 3)
        primitive = Primitive(
            {
                "POSITION": data["corners"].reshape(-1, 3),
                "TEXCOORD_0": data["corner_uv"].reshape(-1, 2),
                "_ISLAND": island.astype(np.float32)[:, None],
                "_STRETCH": np.repeat(_octaves(data), 3).astype(np.float32)[:, None],
            }
        )
        metres = obj.source.metres_per_unit
        for name, matrix in obj.instances:
            world = np.diag([metres, metres, metres, 1.0]) @ np.array(matrix)
            nodes.append(Node(name, -1, world, len(meshes), {"object": obj.pk}))
        meshes.append((obj.name, [primitive]))
        own = here[data["edge_island"]] >= 0
        edges.append(data["edges"][own].reshape(-1, 2))
        edge_islands.append(np.repeat(here[data["edge_island"][own]], 2))
        base += member.row.islands
    if edges and base:
        flat = np.column_stack([np.concatenate(edges), np.concatenate(edge_islands)]).astype(
            np.float32
        )
        nodes.append(Node("outlines", -1, None, len(meshes)))
        meshes.append(("outlines", [Primitive({"POSITION": flat}, mode=LINES)]))
    glb = build_glb(nodes, meshes)
    keep_cached(key_path, glb)
    return glb


def _octaves(data: dict[str, NDArray[Any]]) -> NDArray[np.float64]:
    """Octaves of each stored triangle, see `worst_octaves`; 0 for one of no island."""
    out = np.zeros(len(data["corner_island"]))
    out[data["corner_island"] >= 0] = worst_octaves(
        data["triangles"], data[SURFACE + "points"], data["triangle_island"], len(data["uv_area"])
    )
    return out


def cached(name: str) -> bytes | None:
    """What was kept under a name."""
    from django.core.files.storage import default_storage

    if not default_storage.exists(name):
        return None
    with default_storage.open(name) as file:
        return bytes(file.read())


def keep_cached(name: str, data: bytes) -> None:
    """Keep what can be made again."""
    storage.write_whole(name, data)


def placements_bytes(revision: Revision) -> bytes:
    """float32, 6 per island: a, b, tu, c, d, tv."""
    return read_state(revision).placements.astype("<f4").tobytes()


def corners_bytes(obj: MeshObject) -> bytes:
    """int32: the number of triangles, the three corners of each in the file's mesh, the face of each, and its group in the file
    where it has several; in the order in which the geometry has them."""
    name = f"corners-{FORMAT}-{obj.pk}-{obj.source.sha256[:16]}"
    known = cached(name)
    if known is not None:
        return known
    mesh = scene_of(obj.source).objects[obj.number].mesh
    parts = [np.array([len(mesh.triangles)]), mesh.triangles.ravel(), mesh.triangle_face]
    if mesh.group is not None:
        parts.append(mesh.group[mesh.triangle_face])
    data = np.concatenate(parts).astype("<i4").tobytes()
    keep_cached(name, data)
    return data


def seams_of(obj: MeshObject, channel: int) -> list[int]:
    """Edges that are seams in a UV channel of the file, each by the corner where it starts.

    Raises
    ------
    QuiltError
        When the object has no such channel.
    """
    mesh = scene_of(obj.source).objects[obj.number].mesh
    if channel >= len(mesh.channels):
        raise QuiltError(
            f"“{obj.name}” has {len(mesh.channels)} UV channels; there is no channel {channel + 1}.",
            "channel",
            "Choose another one.",
        )
    tolerance = obj.source.uv_tolerance
    return [int(corner) for corner in seam_edges(mesh, mesh.channels[channel], tolerance)]
