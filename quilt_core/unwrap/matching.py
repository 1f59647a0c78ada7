"""Which older object a newer one was, and the layout that it brings along."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace

import numpy as np

from quilt_core.scene.mesh import Mesh
from quilt_core.scene.model import SceneObject
from quilt_core.scene.types import FloatArray
from quilt_core.unwrap.again import TOPOLOGY, Again, layout_again

TRIED = 4
"""Older objects that are compared with a newer one."""
NEARLY = 0.05
"""Part of an object's size that its vertices may have moved for it to be known under another name."""


@dataclass(frozen=True, eq=False)
class Older:
    """An older object with its layout.

    Parameters
    ----------
    name : str
    obj : SceneObject
    uv : (C, 2) float64
        Of its corners, NaN where there are none.
    """

    name: str
    obj: SceneObject
    uv: FloatArray


@dataclass(frozen=True, eq=False)
class Match:
    """What a newer object was.

    Parameters
    ----------
    older : tuple of int
        Places among the older ones: none for a new object, one, or all of them where it was joined or split.
    again : Again, optional
        The layout on the newer mesh; faces of several older objects are numbered through.
    """

    older: tuple[int, ...] = ()
    again: Again | None = None


def match_objects(
    newer: Sequence[SceneObject],
    older: Sequence[Older],
    tick: Callable[[int], None] = lambda k: None,
) -> list[Match]:
    """What each newer object was: the older one of its name; else one that is gone, or a part of all that are gone together.

    An older object that goes on whole under its name is no other one's: what was added beside it is new.

    Parameters
    ----------
    newer : sequence of SceneObject
    older : sequence of Older
    tick : callable
        Called with the number of each newer object before it is compared.
    """
    out: list[Match] = []
    named: set[int] = set()
    for k, obj in enumerate(newer):
        tick(k)
        same = [n for n, one in enumerate(older) if one.name == obj.name and n not in named]
        out.append(_likest(obj, older, same[:1]))
        named |= set(same[:1])
    whole = {n for match in out for n in match.older if match.again and not match.again.gone}
    free = [n for n in range(len(older)) if n not in whole]
    joined = _joined([older[n] for n in free]) if len(free) > 1 else None
    for k, obj in enumerate(newer):
        best = out[k]
        if best.again is not None and not best.again.new:
            continue
        tick(k)
        best = _better(best, _likest(obj, older, free))
        if joined is not None and (best.again is None or best.again.new):
            # Objects may have been joined, split or called otherwise.
            found = layout_again(joined.obj.mesh, joined.uv, _in_the_world(obj))
            if not _elsewhere(found):
                best = _better(best, Match(tuple(free), found))
        nothing = best.again is None or best.again.new == obj.mesh.face_count
        out[k] = Match() if nothing else best
    return out


def _better(one: Match, two: Match) -> Match:
    """The one that leaves fewer faces without a layout."""
    if two.again is None or (one.again is not None and one.again.new <= two.again.new):
        return one
    return two


def carried_uv(obj: SceneObject, again: Again, channel: int) -> FloatArray:
    """(C, 2) UVs of a newer object: what is new keeps those that it came with."""
    uv = again.uv
    bare = np.asarray(~np.isfinite(uv).all(axis=1))
    if bare.any() and channel < len(obj.mesh.channels):
        uv = np.where(bare[:, None], obj.mesh.channels[channel].per_corner, uv)
    return uv


def _likest(obj: SceneObject, older: Sequence[Older], among: Sequence[int]) -> Match:
    """Of some older objects the one that leaves the fewest faces without a layout: those of nearly as many faces are tried."""
    count = obj.mesh.face_count

    def unlike(place: int) -> float:
        return abs(float(np.log((older[place].obj.mesh.face_count + 1) / (count + 1))))

    best = Match()
    for place in sorted(among, key=unlike)[:TRIED]:
        known = older[place]
        found = layout_again(known.obj.mesh, known.uv, obj.mesh)
        if known.name != obj.name and _elsewhere(found):
            continue
        best = _better(best, Match((place,), found))
        if found.new == 0:
            break
    return best


def _elsewhere(found: Again) -> bool:
    """Whether it is another thing of the same kind: faces that hang together in the same way, at other places."""
    return bool((found.how == TOPOLOGY).any()) and found.moved >= NEARLY


def _in_the_world(obj: SceneObject) -> Mesh:
    """The mesh where its first instance stands."""
    if not obj.instances:
        return obj.mesh
    matrix = obj.instances[0].matrix
    return replace(obj.mesh, positions=obj.mesh.positions @ matrix[:3, :3].T + matrix[:3, 3])


def _joined(older: Sequence[Older]) -> Older:
    """Objects as one mesh in the world, and its UVs."""
    meshes = [_in_the_world(one.obj) for one in older]
    first = np.cumsum([0, *(len(mesh.positions) for mesh in meshes)])
    sizes = [np.diff(mesh.face_offsets) for mesh in meshes]
    none = np.zeros(0, np.int64)
    offsets = np.concatenate([[0], np.cumsum(np.concatenate([none, *sizes]))]).astype(np.int64)
    mesh = Mesh(
        positions=np.concatenate([np.zeros((0, 3)), *(mesh.positions for mesh in meshes)]),
        face_offsets=offsets,
        corner_vertex=np.concatenate(
            [none, *(mesh.corner_vertex + k for mesh, k in zip(meshes, first, strict=False))]
        ),
        channels=(),
        face_material=np.zeros(sum(map(len, sizes)), np.int64),
    )
    uv = np.concatenate([np.zeros((0, 2)), *(one.uv for one in older)])
    return Older("", SceneObject("", mesh, ()), uv)
