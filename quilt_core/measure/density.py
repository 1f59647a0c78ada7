"""Texel density: texture pixels per metre of surface.

Density of a face = sqrt(UV area x tile width x tile height / world area); of a set, the square root
of the ratio of the sums. Source: arithmetic.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import LayoutError
from quilt_core.scene.island_set import IslandSet, face_uv_areas, object_face_areas
from quilt_core.scene.islands import triangle_areas
from quilt_core.scene.lengths import density_words
from quilt_core.scene.model import SceneObject
from quilt_core.scene.placement import determinants, identity
from quilt_core.scene.proportion import in_shape
from quilt_core.scene.types import FloatArray, IntArray

Size = int | NDArray[np.float64]
Rows = slice | NDArray[np.int64]
EVERY = slice(None)

COLLAPSED = 1e-3
"""An island whose density by area is below this part of that by length has collapsed to a line."""
LONGER = 10.0
"""An island is made at most so many times as long as it should be by its length."""


def density(uv_area: FloatArray, world_area: FloatArray, width: Size, height: Size) -> FloatArray:
    """Density in px per metre.

    Parameters
    ----------
    uv_area : (N,) float64
        Unsigned areas in UV units.
    world_area : (N,) float64
        Areas in square metres.
    width, height : int or (N,) float64
        Resolution of the tile in px.

    Returns
    -------
    (N,) float64
        NaN where either area is zero: a collapsed face has no density.

    Examples
    --------
    >>> density(np.array([1.0]), np.array([1.0]), 1024, 1024).tolist()
    [1024.0]
    """
    ok = (world_area > 0) & (np.abs(uv_area) > 0)
    out = np.full(len(uv_area), np.nan)
    pixels = np.abs(uv_area) * width * height
    out[ok] = np.sqrt(pixels[ok] / world_area[ok])
    return out


def flat_faces(uv: FloatArray, points: FloatArray, face: IntArray) -> int:
    """Faces that have no density: no area in the layout, or none in space.

    Parameters
    ----------
    uv : (N, 3, 2) float64
        Triangles in UVs.
    points : (N, 3, 3) float64
        The same triangles in space.
    face : (N,) int64
        Face of each triangle.

    Examples
    --------
    >>> corner = np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]])
    >>> space = np.array([[0.0, 0, 0], [1, 0, 0], [0, 1, 0]])
    >>> flat_faces(np.stack([corner, corner * [1, 0]]), np.stack([space, space]), np.array([0, 1]))
    1
    """
    if not len(face):
        return 0
    _, of = np.unique(face, return_inverse=True)
    surface = np.cross(points[:, 1] - points[:, 0], points[:, 2] - points[:, 0])
    in_layout = np.bincount(of, np.abs(triangle_areas(uv)))
    in_space = np.bincount(of, np.sqrt((surface**2).sum(axis=1)))
    return int((~(in_layout > 0) | ~(in_space > 0)).sum())


def house_band(
    house: float | None,
    tolerance: float,
    least: float | None = None,
    most: float | None = None,
) -> tuple[float, float] | None:
    """Lowest and highest density that count as the house density: as many times below as above.

    Parameters
    ----------
    house : float, optional
        px per metre.
    tolerance : float
    least, most : float, optional
        Ends of the band that are said themselves, in px per metre.

    Returns
    -------
    (low, high) or None
        None where neither a house density nor an end is said; 0 or infinite for an end that is not.

    Raises
    ------
    LayoutError
        When it would end before it begins.

    Examples
    --------
    >>> house_band(100.0, 0.25)
    (80.0, 125.0)
    >>> house_band(100.0, 0.25, most=400.0)
    (80.0, 400.0)
    >>> house_band(None, 0.25, least=50.0)
    (50.0, inf)
    >>> house_band(100.0, 0.25, least=200.0)
    (200.0, 200.0)
    """
    if house is None and least is None and most is None:
        return None
    low, high = (
        (0.0, float("inf")) if house is None else (house / (1 + tolerance), house * (1 + tolerance))
    )
    if least is not None and most is not None and least > most:
        raise LayoutError(
            f"The least density, {density_words(least)}, is above the most, {density_words(most)}.",
            "least_density", "Give a least density that is below the most, or leave one of them out.",
        )  # fmt: skip
    # What is said goes before what follows from the tolerance.
    if least is not None:
        low, high = least, high if most is not None else max(high, least)
    if most is not None:
        low, high = low if least is not None else min(low, most), most
    return low, high


def proposed_house(density_per_island: FloatArray, world_area: FloatArray) -> float | None:
    """A house density for a set as it came in: the area-weighted median, as the nearest power of
    two.

    Parameters
    ----------
    density_per_island : (I,) float64
        px per metre; NaN ones are left out.
    world_area : (I,) float64

    Returns
    -------
    float or None
        px per metre; None when no island has a density.

    Examples
    --------
    >>> proposed_house(np.array([60.0, 500.0, 900.0]), np.array([1.0, 5.0, 1.0]))
    512.0
    """
    known = np.isfinite(density_per_island) & (density_per_island > 0) & (world_area > 0)
    if not known.any():
        return None
    values, weights = density_per_island[known], world_area[known]
    order = np.argsort(values)
    reached = np.cumsum(weights[order])
    median = values[order][np.searchsorted(reached, 0.5 * reached[-1])]
    return float(2.0 ** np.clip(np.round(np.log2(median)), -9, 23))


FILLED = 0.5
"""Part of a tile that bare surfaces shall fill at the density that is proposed for them."""


def house_for_surface(world_area: float, width: int, height: int) -> float | None:
    """A house density for objects without UVs: the power of two below that at which their surface
    fills half of a tile.

    Parameters
    ----------
    world_area : float
        Square metres.
    width, height : int
        Of the tile, px.

    Returns
    -------
    float or None
        px per metre; None for no surface.

    Examples
    --------
    >>> house_for_surface(6.0, 2048, 2048)
    512.0
    """
    if not 0.0 < world_area < np.inf:
        return None
    full = np.sqrt(FILLED * width * height / world_area)
    return float(2.0 ** np.clip(np.floor(np.log2(full)), -9, 23))


def face_densities(
    obj: SceneObject, channel: int, metres_per_unit: float, width: int, height: int
) -> FloatArray:
    """Density of each face of an object in px per metre, over all its instances.

    Parameters
    ----------
    obj : SceneObject
    channel : int
        UV channel from 0.
    metres_per_unit : float
    width, height : int
        Resolution of the tile in px.

    Returns
    -------
    (F,) float64
        NaN for faces without UVs and for collapsed ones.
    """
    areas = np.nan_to_num(face_uv_areas(obj.mesh, obj.mesh.channels[channel].per_corner)[0])
    return density(areas, object_face_areas(obj, metres_per_unit), width, height)


def island_densities(
    islands: IslandSet, placements: FloatArray, width: Size, height: Size, rows: Rows = EVERY
) -> FloatArray:
    """(I,) density of each island in px per metre; NaN for those that have collapsed to a line or
    point.

    With `rows` of some islands only; placements and sizes are then theirs.
    """
    areas = islands.uv_area[rows] * determinants(placements)
    found = density(areas, islands.world_area[rows], width, height)
    with np.errstate(invalid="ignore"):
        flat = ~(found > COLLAPSED * length_densities(islands, placements, width, height, rows))
    found[flat] = np.nan
    return found


def length_densities(
    islands: IslandSet, placements: FloatArray, width: Size, height: Size, rows: Rows = EVERY
) -> FloatArray:
    """(I,) px per metre by the lengths of the triangles' sides; of an isometric island its density.

    NaN where there is no length in space, 0 where there is none in the layout. With `rows` of some
    islands only; placements and sizes are then theirs.
    """
    length = islands.world_length[rows]
    if not len(placements):
        return np.full(len(length), np.nan)
    (a, b), (c, d) = placements[:, :, :2].transpose(1, 2, 0)
    xx, xy, yy = islands.second_moments[rows].reshape(-1, 4)[:, [0, 1, 3]].T
    # The diagonal of linear @ moments @ linear^T, value by value: the same whatever the rows are.
    wide, high = (p * p * xx + 2.0 * p * q * xy + q * q * yy for p, q in ((a, b), (c, d)))
    squared = np.maximum(wide, 0.0) * np.square(width) + np.maximum(high, 0.0) * np.square(height)
    with np.errstate(invalid="ignore", divide="ignore"):
        return np.where(length > 0, np.sqrt(squared) / length, np.nan)


def set_density(
    islands: IslandSet,
    placements: FloatArray,
    width: Size,
    height: Size,
    which: NDArray[np.bool_] | None = None,
    known: NDArray[np.bool_] | None = None,
) -> float:
    """Density of many islands together in px per metre; NaN when none has an area.

    `known` are the islands that have a density, when that was found out before.
    """
    if known is None:
        known = np.isfinite(island_densities(islands, placements, width, height))
    use = known.copy()
    if which is not None:
        use &= which
    if not use.any():
        return float("nan")
    pixels = np.abs(islands.uv_area * determinants(placements)) * width * height
    return float(np.sqrt(pixels[use].sum() / islands.world_area[use].sum()))


def equalize(
    islands: IslandSet,
    placements: FloatArray,
    width: Size,
    height: Size,
    target: float | None = None,
    weights: FloatArray | None = None,
    per_object: bool = False,
    which: NDArray[np.bool_] | None = None,
) -> FloatArray:
    """Scale islands about their centres until their density is the target times their weight.

    Parameters
    ----------
    islands : IslandSet
    placements : (I, 2, 3) float64
    width, height : int or (I,) float64
        Resolution in px of the tile, or of each island's tile.
    target : float, optional
        px per metre. Without it: the average, so that the total UV area stays the same.
    weights : (I,) float64, optional
        Deliberate exceptions; 2 means twice the density.
    per_object : bool
        Keep each object's own average (times its weight) instead of one for all.
    which : (I,) bool, optional
        Islands to change; the others keep their size.

    Returns
    -------
    (I, 2, 3) float64
        New placements. An island that is nearly collapsed is not enlarged beyond `LONGER` times its
        true length, one that has collapsed to a line gets that length, and one that is a point
        stays as it is.
    """
    now = island_densities(islands, placements, width, height)
    by_length = length_densities(islands, placements, width, height)
    line = np.isnan(now) & (by_length > 0)
    now = np.where(line, by_length, np.fmax(now, by_length / LONGER))
    use = np.isfinite(now) & (now > 0)
    if which is not None:
        use &= which
    weight = np.ones(islands.count) if weights is None else weights
    goal = np.full(islands.count, np.nan if target is None else target)
    groups = islands.object_index if per_object else np.zeros(islands.count, np.int64)
    if target is None:
        # Sum of UV areas after = sum before: goal^2 = sum(uv px) / sum(world x weight^2).
        counted = use & ~line
        pixels = np.where(counted, np.nan_to_num(now) ** 2 * islands.world_area, 0.0)
        world = np.where(counted, islands.world_area * weight**2, 0.0)
        top, bottom = np.bincount(groups, pixels), np.bincount(groups, world)
        with np.errstate(invalid="ignore", divide="ignore"):
            goal = np.sqrt(top / bottom)[groups]
    use &= np.isfinite(goal)
    factor = np.where(use, goal * weight / np.where(use, now, 1.0), 1.0)
    return scale_about_centres(islands, reshaped(islands, placements, width, height, use), factor)


def reshaped(
    islands: IslandSet, placements: FloatArray, width: Size, height: Size, which: NDArray[np.bool_]
) -> FloatArray:
    """Placements that give islands laid out for images that are not square the shapes that were
    meant.

    They keep their area and the middle of their box. Islands of square images stay as they are.
    """
    use = which & (islands.proportion != 1.0)
    if not use.any():
        return placements
    pixels = np.broadcast_to(
        np.stack(np.broadcast_arrays(width, height), axis=-1), (islands.count, 2)
    )[use]
    out = placements.copy()
    linear = placements[use, :, :2] * pixels[:, :, None]
    out[use, :, :2] = in_shape(linear, islands.proportion[use]) / pixels[:, :, None]
    before, after = (islands.placed(p).bounds()[use] for p in (placements, out))
    shift = 0.5 * (before[:, :2] + before[:, 2:] - after[:, :2] - after[:, 2:])
    out[use, :, 2] += np.where(np.isfinite(shift), shift, 0.0)
    return out


def scale_about_centres(
    islands: IslandSet, placements: FloatArray, factor: FloatArray
) -> FloatArray:
    """Scale each placed island by its factor, (I,), about the middle of its bounding box."""
    box = islands.placed(placements).bounds()
    centre = np.where(np.isfinite(box[:, :2]), 0.5 * (box[:, :2] + box[:, 2:]), 0.0)
    out = placements.copy() if len(placements) else identity(0)
    out[:, :, :2] *= factor[:, None, None]
    out[:, :, 2] = centre + (placements[:, :, 2] - centre) * factor[:, None]
    return out
