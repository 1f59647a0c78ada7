"""Flattening, judged from outside: closed forms of developable surfaces, Shapely for overlaps, numpy's
singular values for stretch."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st

from quilt_core.errors import LayoutError
from quilt_core.formats import read_scene
from quilt_core.scene.mesh import Mesh, UVChannel
from quilt_core.scene.seams import seam_edges
from quilt_core.scene.weld import next_corner
from quilt_core.unwrap import UnwrapSettings, unwrap_mesh
from quilt_core.unwrap.both_sides import find_mirror
from quilt_core.unwrap.pieces import find_pieces
from quilt_core.unwrap.regions import start_islands
from quilt_core.unwrap.result import measured
from quilt_core.unwrap.straight import straightened
from quilt_core.unwrap.surface_islands import SurfaceIslands, joined_up, limits_for
from quilt_core.unwrap.useless import UVState, uv_state
from tests.core.examples import LONG, examples
from tests.core.unwrap_samples import cube, fins, grid, mesh_of, sphere, with_needles

NEAT = UnwrapSettings(stretch=1.003)


def judged(mesh: Mesh, made, alike: bool = True) -> np.ndarray:
    """Singular values (N, 2) of surface to plane at equal area; every face has UVs, none is turned
    against its island where faces are wound alike, none lies on another one."""
    tri = mesh.triangles
    uv, xyz = made.uv[tri], mesh.positions[mesh.corner_vertex[tri]]
    normal = np.cross(xyz[:, 1] - xyz[:, 0], xyz[:, 2] - xyz[:, 0])
    area = 0.5 * np.linalg.norm(normal, axis=1)
    solid = area > 1e-9 * area.sum()
    assert np.isfinite(made.uv[np.isin(mesh.corner_face, mesh.triangle_face)]).all()
    uv, xyz, area = uv[solid], xyz[solid], area[solid]
    one, two = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    signed = 0.5 * (one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0])
    total = np.abs(signed).sum()
    covered = shapely.union_all(shapely.polygons(uv)).area
    assert covered == pytest.approx(total, rel=1e-6)
    scale = np.sqrt(area.sum() / total)
    values = []
    for p, q in zip(xyz, uv * scale, strict=True):
        x = (p[1] - p[0]) / np.linalg.norm(p[1] - p[0])
        z = np.cross(x, p[2] - p[0])
        y = np.cross(z / np.linalg.norm(z), x)
        rest = np.array([[(p[k] - p[0]) @ x, (p[k] - p[0]) @ y] for k in (1, 2)]).T
        flat = np.array([q[1] - q[0], q[2] - q[0]]).T
        values.append(np.linalg.svd(flat @ np.linalg.inv(rest))[1])
    island = made.face_island[mesh.triangle_face[solid]]
    for number in np.unique(island):
        mine = signed[island == number]
        assert not alike or (mine > 0).all() or (mine < 0).all()
        assert np.abs(mine).sum() / total == pytest.approx(
            area[island == number].sum() / area.sum(), rel=1e-3
        )
    return np.array(values)


def bent(u: float, v: float) -> tuple[float, float, float]:
    return np.cos(2 * u), np.sin(2 * u), 3 * v


def on_cone(u: float, v: float) -> tuple[float, float, float]:
    r = 0.2 + 0.8 * v
    return r * np.cos(2 * np.pi * u), r * np.sin(2 * np.pi * u), 2 * v


def s_curve(u: float, v: float) -> tuple[float, float, float]:
    """An arc, then an arc the other way."""
    a = np.pi * u
    return (np.sin(a), v, 1 - np.cos(a)) if u < 0.5 else (2 - np.sin(a), v, 1 - np.cos(a))


DEVELOPABLE = {
    "cylinder": grid(24, 5, lambda u, v: bent(np.pi * u, v), closed=True),
    "frustum": grid(24, 5, on_cone, closed=True),
    "bent sheet": grid(16, 4, bent),
    "sheet bent twice": grid(20, 4, s_curve),
    "cube": cube(),
}


@pytest.mark.parametrize("name", DEVELOPABLE)
def test_what_can_be_unrolled_is_not_stretched(name):
    # Elementary geometry: cylinders, cones and bent sheets unroll without stretch.
    made = unwrap_mesh(DEVELOPABLE[name], NEAT)
    values = judged(DEVELOPABLE[name], made)
    assert np.abs(values - 1).max() < 2e-2
    assert made.stretch_l2 == pytest.approx(1, abs=1e-4)
    assert made.energy == pytest.approx(4, abs=2e-3)


def test_a_cube_becomes_a_cross_or_another_net():
    # A spanning tree of six faces joins five of twelve edges: seven are cut.
    made = unwrap_mesh(cube(), NEAT)
    assert made.islands == 1
    assert made.seam_length == pytest.approx(7 / np.sqrt(6), abs=1e-9)


def test_a_tube_is_cut_along_one_line():
    made = unwrap_mesh(DEVELOPABLE["cylinder"], NEAT)
    surface = 3 * 24 * 2 * np.sin(np.pi / 24)
    assert made.islands == 1
    assert made.seam_length == pytest.approx(3 / np.sqrt(surface), rel=0.15)


@pytest.mark.parametrize("stretch", [1.003, 1.02, 1.08] if LONG else [1.003, 1.08])
@pytest.mark.slow
def test_a_sphere_keeps_the_limit_and_needs_fewer_seams_the_more_is_allowed(stretch):
    ball = sphere()
    made = unwrap_mesh(ball, UnwrapSettings(stretch=stretch))
    values = judged(ball, made)
    area = np.linalg.norm(
        np.cross(
            *np.diff(ball.positions[ball.corner_vertex[ball.triangles]], axis=1).swapaxes(0, 1)
        ),
        axis=1,
    )
    l2 = np.sqrt((area * (values**-2.0).sum(axis=1) / 2).sum() / area.sum())
    assert l2 <= stretch
    assert made.stretch_l2 == pytest.approx(l2, rel=1e-3)
    if stretch > 1.003:
        assert made.seam_length < unwrap_mesh(ball, NEAT).seam_length


def two_sided() -> Mesh:
    """A square with a copy of itself, and one turned over."""
    points = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)]
    return mesh_of(points, [[0, 1, 2, 3], [0, 1, 2, 3], [3, 2, 1, 0]])


def twisted() -> Mesh:
    """A band that has one side only."""

    def place(u, v):
        a, w = 2 * np.pi * u, v - 0.5
        return (
            (2 + w * np.cos(a / 2)) * np.cos(a),
            (2 + w * np.cos(a / 2)) * np.sin(a),
            w * np.sin(a / 2),
        )

    # The last column lies on the first, upside down: vertices at one place are one.
    return grid(24, 2, place)


def badly_wound() -> Mesh:
    ball = sphere(6)
    corner = ball.corner_vertex.copy()
    for face in range(0, ball.face_count, 3):
        a, b = ball.face_offsets[face : face + 2]
        corner[a:b] = corner[a:b][::-1]
    return mesh_of(ball.positions, np.split(corner, ball.face_offsets[1:-1]))


NASTY = {
    "copies": two_sided(),
    "fins": fins(),
    "one side only": twisted(),
    "badly wound": badly_wound(),
    "needles": with_needles(),
    "one triangle": mesh_of([(0, 0, 0), (1, 0, 0), (0, 2, 0)], [[0, 1, 2]]),
    "one point": mesh_of([(0, 0, 0)] * 3, [[0, 1, 2]]),
}


@pytest.mark.parametrize("name", NASTY)
@pytest.mark.slow
def test_every_face_gets_uvs_whatever_the_mesh(name):
    mesh = NASTY[name]
    made = unwrap_mesh(mesh, UnwrapSettings(stretch=1.05))
    if name == "one point":
        assert made.islands == 0
        return
    assert np.isfinite(made.uv).all()
    judged(mesh, made, alike=name not in ("badly wound", "fins"))
    assert made.flipped == 0


@settings(max_examples=examples(25))
@given(st.integers(0, 10_000), st.floats(0, 1.5), st.floats(0.001, 1))
@pytest.mark.slow
def test_no_face_is_turned_over_on_bumpy_sheets(seed, height, thin):
    rng = np.random.default_rng(seed)
    bumps = rng.normal(size=(9, 9)) * height
    mesh = grid(8, 8, lambda u, v: (u * 8, v * 8 * thin, bumps[round(v * 8), round(u * 8)] * thin))
    corners = np.split(mesh.corner_vertex, mesh.face_offsets[1:-1])
    halves = [(a, b, c) for a, b, c, _ in corners] + [(a, c, d) for a, _, c, d in corners]
    mesh = mesh_of(mesh.positions, halves)
    made = unwrap_mesh(mesh, UnwrapSettings(stretch=1.05, seconds=0))
    judged(mesh, made)
    assert made.flipped == 0


def test_seams_by_angle_and_by_material():
    by_angle = unwrap_mesh(cube(), UnwrapSettings(seams="angle", angle=45))
    assert by_angle.islands == 6
    assert unwrap_mesh(cube(), UnwrapSettings(seams="angle", angle=100)).islands == 1
    box = cube()
    painted = Mesh(
        positions=box.positions, face_offsets=box.face_offsets, corner_vertex=box.corner_vertex,
        channels=(), face_material=np.array([0, 0, 1, 1, 1, 1]),
    )  # fmt: skip
    # Floor and ceiling do not meet; the walls are a ring that is opened once.
    assert unwrap_mesh(painted, UnwrapSettings(seams="material")).islands == 3


def test_one_piece_is_one_piece():
    made = unwrap_mesh(sphere(8), UnwrapSettings(seams="one"))
    assert made.islands == 1
    judged(sphere(8), made)


@pytest.mark.slow
def test_the_same_mesh_gives_the_same_layout():
    one, two = (unwrap_mesh(sphere(6), NEAT) for _ in range(2))
    assert np.array_equal(one.uv, two.uv)


def test_settings_out_of_bounds_say_what_is_right():
    for wrong in ({"seams": "pelts"}, {"angle": 0}, {"stretch": 1}, {"seconds": -1}):
        with pytest.raises(LayoutError, match=r"(?s)."):
            UnwrapSettings(**wrong)


def test_what_uvs_are_good_for():
    square = [(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)]
    faces = [[0, 1, 2, 3]]
    good = [(0, 0), (1, 0), (1, 1), (0, 1)]
    assert uv_state(mesh_of(square, faces), 0) is UVState.MISSING
    assert uv_state(mesh_of(square, faces, good), 1) is UVState.MISSING
    assert uv_state(mesh_of(square, faces, good), 0) is UVState.USABLE
    for bad in ([(0, 0)] * 4, [(0.3, 0.3)] * 4, [(0, 0), (1, 0), (0.5, 0), (0.2, 0)]):
        assert uv_state(mesh_of(square, faces, bad), 0) is UVState.USELESS
    # Six sides on one square are kept, forty faces on one another are not.
    assert (
        uv_state(mesh_of(cube().positions, np.split(cube().corner_vertex, 6), good * 6), 0)
        is UVState.USABLE
    )
    strip = grid(40, 1, lambda u, v: (u * 40, v, 0))
    assert (
        uv_state(mesh_of(strip.positions, np.split(strip.corner_vertex, 40), good * 40), 0)
        is UVState.USELESS
    )


@pytest.mark.slow
def test_work_that_is_stopped_keeps_what_is_flat():
    ball = sphere(30)
    told = []

    def tell(stage):
        told.append(stage.progress)
        return False

    made = unwrap_mesh(ball, UnwrapSettings(stretch=1.02), tell=tell)
    judged(ball, made)
    assert made.flipped == 0
    assert all(0 <= progress <= 1 for progress in told)


@pytest.mark.parametrize("shape", ["sphere", "pipe", "ring"])
@pytest.mark.slow
def test_straight_seams_are_never_longer_and_all_islands_stay_valid(shape):
    """The order of joining leaves zigzags; a closed pipe's lengthwise seam ends as a straight line."""
    mesh = {
        "sphere": lambda: sphere(16),
        "pipe": lambda: grid(
            24, 12, lambda u, v: (np.cos(2 * np.pi * u), 4 * v, np.sin(2 * np.pi * u)), closed=True
        ),
        "ring": lambda: grid(24, 12, lambda u, v: (
            (2 + np.cos(2 * np.pi * v)) * np.cos(2 * np.pi * u),
            (2 + np.cos(2 * np.pi * v)) * np.sin(2 * np.pi * u), np.sin(2 * np.pi * v),
        ), closed=True),
    }[shape]()  # fmt: skip
    pieces, limits = find_pieces(mesh), limits_for(1.05)
    # Pieces of many triangles: their borders are ragged.
    work = joined_up(start_islands(pieces, limits, pieces.count // 12), limits)
    after = straightened(work, limits)
    assert after.seam <= work.seam * (1 + 1e-9)
    if shape == "pipe":
        assert after.seam == pytest.approx(4.0, rel=1e-6)
    made = measured(mesh, pieces, after, 0.0)
    judged(mesh, made)
    assert made.flipped == 0 and made.islands == len(after.islands())


def test_near_vertices_are_welded_for_the_layout_only():
    # Two halves of a bent sheet, a thousandth of their size apart.
    left = grid(6, 6, lambda u, v: (u, v, 0.0))
    right = grid(6, 6, lambda u, v: (1.002 + u, v, 0.0))
    count = len(left.positions)
    both = mesh_of(
        np.concatenate([left.positions, right.positions]),
        np.concatenate([left.corner_vertex, right.corner_vertex + count]).reshape(-1, 4),
    )
    assert unwrap_mesh(both, UnwrapSettings()).islands == 2
    joined = unwrap_mesh(both, UnwrapSettings(weld=0.002))
    assert joined.islands == 1
    assert joined.stretch_l2 == pytest.approx(1, abs=1e-4)
    with pytest.raises(LayoutError, match="weld"):
        UnwrapSettings(weld=0.5)


OBJ_GROUPS = b"""o sheet
v 0 0 0
v 1 0 0
v 2 0 0
v 0 1 0
v 1 1 0
v 2 1 0
g left
f 1 2 5 4
g right
f 2 3 6 5
"""


def test_groups_of_the_file_are_islands():
    (obj,) = read_scene("sheet.obj", OBJ_GROUPS).objects
    assert obj.mesh.group.tolist() == [0, 1]
    assert unwrap_mesh(obj.mesh, UnwrapSettings(seams="group")).islands == 2
    assert unwrap_mesh(obj.mesh, UnwrapSettings()).islands == 1
    # Where groups are the objects there is nothing to tell apart within one.
    apart = read_scene("sheet.obj", OBJ_GROUPS.replace(b"o sheet\n", b"")).objects
    assert [one.mesh.group for one in apart] == [None, None]


def head(seed: int, uneven: bool = False) -> Mesh:
    """A closed lump of quads that is the mirror image of itself along x; or nearly."""
    rng = np.random.default_rng(seed)
    bumps = rng.normal(size=(5, 4)) * 0.12

    def place(u, v):
        a, b = 2 * np.pi * u, np.pi * (0.06 + 0.88 * v)
        far = 1 + sum(
            bumps[j, k] * np.cos(j * a) * np.sin((k + 1) * b) for j in range(5) for k in range(4)
        )
        x, y, z = far * np.sin(b) * np.sin(a), far * np.cos(b), far * np.sin(b) * np.cos(a)
        return (x + 0.02 * uneven * (x > 0.3), y, z)

    return grid(24, 14, place, closed=True)


@pytest.mark.parametrize("seed", range(3))
@pytest.mark.slow
def test_a_symmetric_mesh_gets_symmetric_islands(seed):
    mesh = head(seed)
    mirror = find_mirror(mesh)
    assert mirror.axis == 0 and mirror.side.sum() == mesh.face_count / 2
    image = mesh.positions[mesh.corner_vertex[mirror.corner]] * (-1, 1, 1)
    np.testing.assert_allclose(image, mesh.positions[mesh.corner_vertex], atol=1e-6)
    made = unwrap_mesh(mesh, UnwrapSettings(symmetric=True))
    assert made.symmetric
    judged(mesh, made, alike=False)
    # Each seam has its mirror image: corners that are one point here are one point there.
    uv = made.uv
    seam = seam_edges(mesh, UVChannel("UV 1", uv, np.arange(len(uv))))
    after = next_corner(mesh.face_offsets, len(uv))
    ends = {
        frozenset(mesh.corner_vertex[[corner, after[corner]]].tolist()) for corner in seam.tolist()
    }
    vertex = np.empty(len(mesh.positions), np.int64)
    vertex[mesh.corner_vertex] = mesh.corner_vertex[mirror.corner]
    assert ends == {frozenset(vertex[list(edge)].tolist()) for edge in ends}


@pytest.mark.slow
def test_what_is_not_symmetric_is_flattened_as_ever():
    mesh = head(0, uneven=True)
    assert find_mirror(mesh) is None
    asked = unwrap_mesh(mesh, UnwrapSettings(symmetric=True))
    assert not asked.symmetric
    np.testing.assert_array_equal(asked.uv, unwrap_mesh(mesh, UnwrapSettings()).uv)


def test_a_long_seam_is_closed_everywhere_or_not_at_all():
    # Two halves of a long strip, one flattened a little longer than it is: only some of so many triangles are relaxed.
    strip = grid(300, 8, lambda u, v: (300 * u, 8 * v, 0.0))
    pieces, limits = find_pieces(strip), limits_for(1.05)
    upper = pieces.points[..., 1].mean(axis=1) > 4
    far = np.where(pieces.across >= 0, pieces.across // 3, 0)
    joined = (pieces.across >= 0) & (np.repeat(upper, 3) == upper[far])
    uv = pieces.points[..., :2].copy()
    uv[upper] = uv[upper] * (1.01, 1.0) + (0.0, 3.0)
    work = joined_up(SurfaceIslands(pieces, upper.astype(np.int64), joined, uv), limits)
    half = np.flatnonzero(work.joined)
    other = pieces.across[half]
    here = work.uv[half // 3, half % 3], work.uv[half // 3, (half % 3 + 1) % 3]
    there = work.uv[other // 3, (other % 3 + 1) % 3], work.uv[other // 3, other % 3]
    for one, two in zip(here, there, strict=True):
        np.testing.assert_allclose(one, two, atol=1e-6)
    assert work.joined.sum() > joined.sum()
