"""The shared layout of painted objects: each island as large as it was painted, evened out, or at a
density."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from functools import partial

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.pack import PackSettings, pack_islands
from quilt_core.scene.island_set import IslandSet, concatenate, island_set
from quilt_core.scene.islands import UV_TOLERANCE, Islands, find_islands
from quilt_core.scene.placement import apply_placements
from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.textures.conflicts import contents
from quilt_core.textures.constants import best_place
from quilt_core.textures.materials import TextureBinding, TexturedMaterial, reference_binding
from quilt_core.textures.painted import Painted
from quilt_core.unwrap.object_flat import with_channel

BLEED_ROOM, SNAP_ROOM = 2.0, 1.0
"""px of padding on top: colours reach over half of it also where they are read between two texels; and
islands are moved to whole texels."""
FULLEST = 0.9
"""Part of the sheet above which keeping all sizes is not tried."""
FAR = 2.0**20
"""px between faces of materials that show different things."""
SAME_PX = 1 / 64
"""Islands whose corners agree to this part of a texel were painted as one."""


@dataclass(frozen=True, eq=False)
class Arranged:
    """A shared layout.

    Parameters
    ----------
    uv : tuple of (C, 2) float64
        New UVs of each object, origin at the bottom left.
    scale : float
        What all islands were scaled by; 1 where all texels were kept.
    coverage : float
    islands, stacked : int
        All of them, and those that lie on one that was painted as one with them.
    unrolled : tuple of int
        Objects some of whose islands reach over more than one repeat of their texture.
    """

    uv: tuple[FloatArray, ...]
    scale: float
    coverage: float
    islands: int
    stacked: int
    unrolled: tuple[int, ...]


def arrange(
    painted: Sequence[Painted],
    materials: Sequence[TexturedMaterial],
    sizes: Callable[[int, TextureBinding], tuple[int, int] | None],
    settings: PackSettings,
    density: str | float = "keep",
    tell: Callable[[float], bool] = lambda progress: True,
    material_book: Callable[[int], int] = lambda material: 0,
) -> Arranged:
    """Lay the islands of painted objects out in one sheet, or in the tiles that the settings have, which are of one size.

    Parameters
    ----------
    painted : sequence of Painted
    materials : sequence of TexturedMaterial
    sizes : callable
        Width and height of the texture of a material's use; None where it is missing.
    settings : PackSettings
    density : str or float
        keep (each island as many texels as it was painted with, all smaller where they must), equal
        (by size in the world), or px per metre.
    tell : callable
        Is told how far it is; False ends with the best layout so far.
    material_book : callable
        Number of the file that a material is of: textures of different files differ.

    Raises
    ------
    LayoutError
        When there is nothing to lay out, or the density does not fit.
    """
    # Faces that show different things are never one island, even where their UVs agree.
    content = np.array(
        contents(materials, lambda material, binding: str((material_book(material), binding.image)))
    )
    laid: list[Islands] = []
    sets: list[IslandSet] = []
    unrolled: list[int] = []
    for number, own in enumerate(painted):
        uv, repeats = _px_of(own, materials, sizes)
        side = max(float(np.ptp(uv, axis=0).max(initial=1.0)), 1.0)
        uv[:, 0] += FAR * content[own.face_materials[own.mesh.corner_face]]
        obj = with_channel(replace(own.obj, mesh=replace(own.mesh, channels=())), 0, uv)
        islands = find_islands(
            obj.mesh, obj.mesh.channels[0], tolerance=min(UV_TOLERANCE * 4096, 1e-4 * side)
        )
        laid.append(islands)
        sets.append(island_set(obj, 0, own.metres_per_unit, islands))
        if repeats:
            unrolled.append(number)
    every = concatenate([replace(s, proportion=np.ones(s.count)) for s in sets])
    if not every.count:
        raise LayoutError("There is no face to lay out.", "", "Bring in meshes with faces.")
    leader = _leaders(every, _island_materials(painted, laid), materials)
    placements = np.zeros((every.count, 2, 3))
    px = np.array([settings.width, settings.height], np.float64)
    factor = _factors(every, density)
    placements[:, 0, 0], placements[:, 1, 1] = factor / px[0], factor / px[1]
    first = leader == np.arange(every.count)
    alone, own_placements = every.select(first), placements[first]
    found, scale, coverage = _packed(alone, own_placements, settings, density, tell)
    if scale == 1.0 and density == "keep":
        found = _on_texels(found, px)
    out = np.empty_like(placements)
    out[first] = found
    out = out[leader]
    uvs, at = [], 0
    for own, islands in zip(painted, laid, strict=True):
        mine = out[at : at + islands.count]
        at += islands.count
        corner_island = islands.face_island[own.mesh.corner_face]
        new = np.zeros((len(corner_island), 2))
        has = corner_island >= 0
        new[has] = apply_placements(islands.uv[has], corner_island[has], mine)
        _points_between(new, corner_island, px)
        uvs.append(new)
    return Arranged(tuple(uvs), scale, coverage, every.count, int((~first).sum()), tuple(unrolled))


def _points_between(uv: FloatArray, corner_island: IntArray, px: FloatArray) -> None:
    """Move islands that are a point to where plain colours are kept best; in place."""
    has = np.flatnonzero(corner_island >= 0)
    if not len(has):
        return
    count = int(corner_island.max()) + 1
    low, high = np.full((count, 2), np.inf), np.full((count, 2), -np.inf)
    np.minimum.at(low, corner_island[has], uv[has])
    np.maximum.at(high, corner_island[has], uv[has])
    point = ((high - low) * px).max(axis=1) < 1e-3
    own = has[point[corner_island[has]]]
    top = np.stack([uv[own, 0], 1.0 - uv[own, 1]], axis=1) * px
    placed = best_place(top) / px
    uv[own] = np.stack([placed[:, 0], 1.0 - placed[:, 1]], axis=1)


def _px_of(
    own: Painted,
    materials: Sequence[TexturedMaterial],
    sizes: Callable[[int, TextureBinding], tuple[int, int] | None],
) -> tuple[FloatArray, bool]:
    """(C, 2) where corners lie in their textures, px, origin at the bottom left, and whether some
    face reaches over more than one repeat. What has no texture is a point of its material."""
    corner_material_of = own.face_materials[own.mesh.corner_face]
    out = np.empty((len(corner_material_of), 2))
    repeats = False
    for number in np.unique(corner_material_of):
        mine = corner_material_of == number
        out[mine] = (-1000.0 * (number + 1), -1000.0)
        binding = reference_binding(materials[number], partial(sizes, int(number)))
        size = sizes(int(number), binding) if binding else None
        if binding is None or size is None or binding.channel >= len(own.stored):
            continue
        read = own.stored[binding.channel][mine] @ binding.matrix[:, :2].T + binding.matrix[:, 2]
        px = np.stack([read[:, 0] * size[0], (1.0 - read[:, 1]) * size[1]], axis=1)
        known = np.isfinite(px).all(axis=1)
        places = np.flatnonzero(mine)[known]
        out[places] = px[known]
        repeats |= own.repeats(int(number), binding)
    # A face of which one corner has no UVs is a point as a whole.
    lost = (out[:, 0] <= -999.0) & (out[:, 1] == -1000.0)
    bad = np.unique(own.mesh.corner_face[lost])
    if len(bad):
        whole = np.isin(own.mesh.corner_face, bad)
        out[whole] = np.stack(
            [-1000.0 * (corner_material_of[whole] + 1), np.full(int(whole.sum()), -1000.0)], axis=1
        )
    return out, repeats


def kept_density(
    own: Painted,
    px: FloatArray,
    materials: Sequence[TexturedMaterial],
    sizes: Callable[[int, TextureBinding], tuple[int, int] | None],
) -> float | None:
    """How dense an object's texels are where its corners lie now (C, 2), px, as a part of what they were
    painted with; None where it has no texture."""
    old = _px_of(own, materials, sizes)[0]
    tri = own.mesh.triangles

    def area(points: FloatArray) -> FloatArray:
        corner = points[tri]
        a, b = corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]
        return np.asarray(0.5 * np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]))

    before, after = area(old), area(px)
    fine = np.isfinite(after) & (before > 1e-6)
    if not fine.any():
        return None
    return float(np.sqrt(after[fine].sum() / before[fine].sum()))


def _island_materials(painted: Sequence[Painted], laid: Sequence[Islands]) -> list[tuple[int, ...]]:
    """Materials that each island's faces have."""
    out: list[tuple[int, ...]] = []
    for own, islands in zip(painted, laid, strict=True):
        pairs = np.unique(np.stack([islands.face_island, own.face_materials], axis=1), axis=0)
        sets: list[list[int]] = [[] for _ in range(islands.count)]
        for island, material in pairs.tolist():
            if island >= 0:
                sets[island].append(material)
        out += [tuple(row) for row in sets]
    return out


def _leaders(
    islands: IslandSet, which: list[tuple[int, ...]], materials: Sequence[TexturedMaterial]
) -> IntArray:
    """(I,) the first island that was painted as one with each: the same triangles of the same
    textures, which hold all there is of their materials."""
    rows, starts = islands.triangle_rows
    leader = np.arange(islands.count)
    seen: dict[tuple[tuple[int, ...], bytes], int] = {}
    for island in range(islands.count):
        if any(
            len({binding.channel for binding in materials[k].bindings.values()}) > 1
            for k in which[island]
        ):
            continue
        own = islands.triangles[rows[starts[island] : starts[island + 1]]]
        points = np.rint(own / SAME_PX).astype(np.int64)
        # Corners in order within each triangle, whichever way it is wound, and triangles in order.
        key = points[..., 0] * (1 << 32) + points[..., 1]
        corners = np.sort(key, axis=1)
        order = np.lexsort(corners.T[::-1])
        mark = (which[island], corners[order].tobytes())
        leader[island] = seen.setdefault(mark, island)
    return leader


def _factors(islands: IslandSet, density: str | float) -> FloatArray:
    """(I,) what each island is scaled by before it is packed."""
    if density == "keep":
        return np.ones(islands.count)
    real = (islands.uv_area > 1e-6) & (islands.world_area > 0)
    out = np.ones(islands.count)
    out[real] = np.sqrt(islands.world_area[real] / islands.uv_area[real])
    if density != "equal":
        return np.where(real, out * float(density), 1.0)
    if real.any():
        # As large together as they were painted.
        out[real] *= np.sqrt(islands.uv_area[real].sum() / islands.world_area[real].sum())
    return out


def _packed(
    islands: IslandSet,
    placements: FloatArray,
    settings: PackSettings,
    density: str | float,
    tell: Callable[[float], bool],
) -> tuple[FloatArray, float, float]:
    """Placements, the common scale, and the coverage."""
    px = settings.width * settings.height * max(1, len(settings.tiles))
    area = float((islands.placed(placements).uv_area * px).sum())
    stopped = False

    def run(how: PackSettings) -> tuple[FloatArray, float, float, bool]:
        nonlocal stopped
        best: tuple[FloatArray, float, float, bool] | None = None
        for attempt, found, placed in pack_islands(islands, placements, how, stop=lambda: stopped):  # noqa: B023
            stopped = stopped or not tell(attempt.step / max(attempt.steps, 1))
            if attempt.whole:
                best = found, attempt.scale, attempt.coverage, bool(placed.all())
            if attempt.done:
                break
        if best is None:
            raise LayoutError("The layout was given up.", "", "Run it again.")
        return best

    if area < FULLEST * px:
        roomy = replace(
            settings,
            fixed_scale=True,
            padding=settings.padding + BLEED_ROOM + SNAP_ROOM,
            margin=settings.margin + SNAP_ROOM,
        )
        try:
            found, _, coverage, fits = run(roomy)
        except LayoutError:
            fits = False
        if fits:
            return found, 1.0, coverage
    if not isinstance(density, str):
        tiles = f"{len(settings.tiles)} tiles of " if len(settings.tiles) > 1 else ""
        raise LayoutError(
            f"The islands do not fit into {tiles}{settings.width} x {settings.height} px at {density:g} px per metre.",
            "density",
            "Give a larger size, or a lower density.",
        )
    roomy = replace(settings, fixed_scale=False, padding=settings.padding + BLEED_ROOM)
    found, scale, coverage, _ = run(roomy)
    if density == "keep" and scale >= 1.0:
        # There is room after all: painted texels are kept, none is made up.
        return _smaller(islands, found, scale), 1.0, coverage / scale**2
    return found, scale, coverage


def _smaller(islands: IslandSet, placements: FloatArray, scale: float) -> FloatArray:
    """Placements with each island made smaller by a factor, about its middle."""
    box = islands.placed(placements).bounds()
    middle = 0.5 * (box[:, :2] + box[:, 2:])
    out = placements / scale
    out[:, :, 2] = middle + (placements[:, :, 2] - middle) / scale
    return out


def _on_texels(placements: FloatArray, px: FloatArray) -> FloatArray:
    """The same moved so that old texels lie on new ones, where islands turn by quarters."""
    out = placements.copy()
    shift = out[:, :, 2] * px
    turn = out[:, :, :2] * px[:, None]
    straight = (np.abs(turn - np.rint(turn)) < 1e-9).all(axis=(1, 2))
    out[straight, :, :2] = np.rint(turn[straight]) / px[:, None]
    out[straight, :, 2] = np.rint(shift[straight]) / px
    return out
