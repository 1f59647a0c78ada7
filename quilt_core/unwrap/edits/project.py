"""Projections of faces: plane, box, cylinder, cone and sphere, with seams where they belong."""

from __future__ import annotations

import numpy as np

from quilt_core.errors import LayoutError
from quilt_core.scene.islands import triangle_areas
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.scene.weld import groups
from quilt_core.unwrap.edits.laid import Edited, Laid
from quilt_core.unwrap.edits.names import AXES, SHAPES
from quilt_core.unwrap.result import in_rows, with_slivers

CAP = 0.85
"""Faces whose normal follows the axis by more than this cosine are caps of a cylinder."""


def project(
    laid: Laid, own: BoolArray, shape: str, axis: str | FloatArray = "average", room: float = 1.0
) -> Edited:
    """Lay faces out by a projection. They become islands of their own.

    Parameters
    ----------
    laid : Laid
    own : (N,) bool
        Triangles of the faces.
    shape : str
        plane; box: each face along the axis that it faces most; cylinder and cone round the axis,
        with caps apart; sphere: longitude and latitude.
    axis : str or (3,) float64
        average: of the faces' normals for a plane; for the round ones the direction that their
        normals avoid. Else x, y, z or a direction, such as that of the view.
    room : float
        Side of the square in whose rows the new islands lie, in the layout's unit.

    Raises
    ------
    LayoutError
        When no face is given, or the shape or the axis is none of these.

    References
    ----------
    Snyder 1987, Map Projections: A Working Manual (equidistant cylindrical; a cone is unrolled).
    """
    if shape not in SHAPES:
        raise LayoutError(f"A projection “{shape}”.", "shape", f"Give {', '.join(SHAPES)}.")
    tris = np.flatnonzero(own)
    if not len(tris):
        raise LayoutError("No face to project.", "faces", "Select some faces or islands.")
    pieces = laid.pieces
    frame = _frame(pieces.normal[tris], pieces.area[tris], shape, axis)
    points = pieces.points[tris] @ frame.T
    normal = pieces.normal[tris] @ frame.T
    kind, flat = _SHAPES[shape](points, normal, pieces.area[tris])
    flat = _islands_apart(laid, tris, flat, kind)
    out = laid.work.uv.copy()
    out[tris] = flat * room
    count = len(np.unique(_pieces(laid, tris, flat, kind)))
    return Edited(
        with_slivers(laid.mesh, pieces, laid.having(out, own)),
        f"{shape}: {count} {'island' if count == 1 else 'islands'}",
        aside=True,
    )


def _frame(normal: FloatArray, area: FloatArray, shape: str, axis: str | FloatArray) -> FloatArray:
    """(3, 3) rows: two directions across, and the axis."""
    if not isinstance(axis, str):
        main = np.asarray(axis, np.float64)
    elif axis in "xyz" and len(axis) == 1:
        main = np.eye(3)["xyz".index(axis)]
    elif axis != "average":
        raise LayoutError(f"An axis “{axis}”.", "axis", f"Give {', '.join(AXES)}.")
    elif shape == "plane":
        main = (normal * area[:, None]).sum(axis=0)
        if np.linalg.norm(main) < 1e-3 * area.sum():
            main = np.linalg.eigh((normal * area[:, None]).T @ normal)[1][:, 2]
    elif shape in ("cylinder", "cone"):
        centred = normal - (normal * area[:, None]).sum(axis=0) / area.sum()
        spread = centred if shape == "cone" else normal
        main = np.linalg.eigh((spread * area[:, None]).T @ spread)[1][:, 0]
    else:
        main = np.array([0.0, 1.0, 0.0])
    size = float(np.linalg.norm(main))
    if not size > 0 or not np.isfinite(size):
        raise LayoutError("An axis without a direction.", "axis", "Give another one.")
    main = main / size
    # Up on the model stays up on the sheet where it can.
    up = np.eye(3)[1] if abs(main[1]) < 0.9 else np.eye(3)[2] * -np.sign(main[1] or 1.0)
    if shape in ("plane", "box"):
        across = np.cross(up, main)
        across /= np.linalg.norm(across)
        return np.stack([across, np.cross(main, across), main])
    main = main if main[np.argmax(np.abs(main))] > 0 else -main
    one = np.cross(up, main)
    one /= np.linalg.norm(one)
    return np.stack([one, np.cross(main, one), main])


def _plane(points: FloatArray, normal: FloatArray, area: FloatArray) -> tuple[IntArray, FloatArray]:
    back = normal[:, 2] < -1e-9
    flat = points[..., :2].copy()
    flat[back, :, 0] *= -1
    return back.astype(np.int64), flat


def _box(points: FloatArray, normal: FloatArray, area: FloatArray) -> tuple[IntArray, FloatArray]:
    axis = np.argmax(np.abs(normal) + [2e-6, 1e-6, 0.0], axis=1)
    side = np.sign(np.take_along_axis(normal, axis[:, None], axis=1))[:, 0]
    side[side == 0] = 1.0
    # Across and up as seen from outside: u x v points along the normal.
    u, v = np.array([2, 0, 0])[axis], np.array([1, 2, 1])[axis]
    sign = side * np.array([-1.0, -1.0, 1.0])[axis]
    row = np.arange(len(points))
    flat = np.stack([points[row, :, u] * sign[:, None], points[row, :, v]], axis=-1)
    return 2 * axis + (side > 0), flat


def _about(points: FloatArray) -> FloatArray:
    """(2,) middle of what goes round an axis: of its extent, as the points may be uneven."""
    flat = points[..., :2].reshape(-1, 2)
    return np.asarray(0.5 * (flat.min(axis=0) + flat.max(axis=0)))


def _angles(points: FloatArray) -> tuple[FloatArray, FloatArray]:
    """(K, 3) angle about the axis and distance from it; each triangle's angles within half a
    turn of one another, and of its middle's."""
    off = points[..., :2] - _about(points)
    far = np.hypot(off[..., 0], off[..., 1])
    angle = np.arctan2(off[..., 1], off[..., 0])
    centre = off.mean(axis=1)
    mean = np.arctan2(centre[:, 1], centre[:, 0])[:, None]
    angle = mean + (angle - mean + np.pi) % (2 * np.pi) - np.pi
    # On the axis there is no angle but the triangle's own.
    return np.where(far > 1e-9 * far.max(initial=1e-300), angle, mean), far


def _cylinder(
    points: FloatArray, normal: FloatArray, area: FloatArray
) -> tuple[IntArray, FloatArray]:
    angle, far = _angles(points)
    cap = np.abs(normal[:, 2]) > CAP
    body = ~cap
    weight = area[body].sum()
    radius = (far[body].mean(axis=1) * area[body]).sum() / weight if weight > 0 else 1.0
    flat = np.stack([angle * radius, points[..., 2]], axis=-1)
    kind = np.where(cap, 1 + (normal[:, 2] > 0), 0)
    _, flat_cap = _plane(points, normal, area)
    flat[cap] = flat_cap[cap]
    return kind, flat


def _cone(points: FloatArray, normal: FloatArray, area: FloatArray) -> tuple[IntArray, FloatArray]:
    angle, far = _angles(points)
    cap = np.abs(normal[:, 2]) > CAP
    body = ~cap
    if not body.any():
        return _plane(points, normal, area)
    # Distance from the axis over height is a line; where it is none lies the apex.
    height = points[body][..., 2].ravel()
    slope, at = np.polyfit(height, far[body].ravel(), 1)
    if abs(slope) < 1e-3:
        return _cylinder(points, normal, area)
    apex = -at / slope
    slant = np.hypot(far, points[..., 2] - apex)
    sine = abs(slope) / np.hypot(1.0, slope)
    way = angle * sine * (1.0 if slope < 0 else -1.0)
    flat = np.stack([slant * np.sin(way), -slant * np.cos(way)], axis=-1)
    flat = flat if slope < 0 else -flat
    kind = np.where(cap, 1 + (normal[:, 2] > 0), 0)
    _, flat_cap = _plane(points, normal, area)
    flat[cap] = flat_cap[cap]
    return kind, flat


def _sphere(
    points: FloatArray, normal: FloatArray, area: FloatArray
) -> tuple[IntArray, FloatArray]:
    angle, far = _angles(points)
    flat = points[..., 2].reshape(-1)
    height = points[..., 2] - 0.5 * (flat.min() + flat.max())
    radius = float(np.hypot(far, height).mean())
    latitude = np.arctan2(height, far)
    return np.zeros(len(points), np.int64), np.stack([angle, latitude], axis=-1) * radius


_SHAPES = {
    "plane": _plane,
    "box": _box,
    "cylinder": _cylinder,
    "cone": _cone,
    "sphere": _sphere,
}


def _pieces(laid: Laid, tris: IntArray, flat: FloatArray, kind: IntArray) -> IntArray:
    """(K,) number of the island that each triangle comes to lie in: of one kind, over edges whose
    ends agree."""
    pieces = laid.pieces
    row = np.full(pieces.count, -1, np.int64)
    row[tris] = np.arange(len(tris))
    half = (3 * tris[:, None] + np.arange(3)).ravel()
    half = half[pieces.across[half] >= 0]
    half = half[row[pieces.across[half] // 3] >= 0]
    far = pieces.across[half]
    one, two = row[half // 3], row[far // 3]
    size = float(np.ptp(flat.reshape(-1, 2), axis=0).max(initial=0.0))
    near = np.abs(flat[one, half % 3] - flat[two, (far % 3 + 1) % 3]).max(axis=1) <= 1e-6 * size
    near &= np.abs(flat[one, (half % 3 + 1) % 3] - flat[two, far % 3]).max(axis=1) <= 1e-6 * size
    # A polygon is never parted.
    near = (near & (kind[one] == kind[two])) | pieces.inner[half]
    return groups(np.stack([one[near], two[near]], axis=1), len(tris))


def _islands_apart(laid: Laid, tris: IntArray, flat: FloatArray, kind: IntArray) -> FloatArray:
    """The islands of a projection side by side, each as dense as the faces were."""
    pieces = laid.pieces
    _whole_polygons(pieces.face[tris], kind, flat)
    label = _pieces(laid, tris, flat, kind)
    islands = [np.flatnonzero(label == name) for name in np.unique(label)]
    total = float(pieces.area[tris].sum())
    laid_out = flat.copy()
    for island in islands:
        size = float(np.abs(triangle_areas(flat[island])).sum())
        if size > 0:
            laid_out[island] *= np.sqrt(pieces.area[tris[island]].sum() / size)
    return in_rows(laid_out, islands, total)


def _whole_polygons(face: IntArray, kind: IntArray, flat: FloatArray) -> None:
    """All triangles of a polygon are of the kind of its first."""
    first = np.full(int(face.max(initial=0)) + 1, -1, np.int64)
    first[face[::-1]] = np.arange(len(face))[::-1]
    kind[:] = kind[first[face]]
