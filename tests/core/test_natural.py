"""Natural unwrap on shapes with a known best answer. Lengths of seams, areas and sizes are elementary geometry of prisms, frusta and
rings; whether islands lie apart and are rectangles is asked of Shapely."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest
import shapely
from hypothesis import given
from hypothesis import strategies as st

from quilt_core.formats import read_scene
from quilt_core.scene.mesh import Mesh
from quilt_core.unwrap import UnwrapSettings, unwrap_mesh
from quilt_core.unwrap.upright import upright_turn
from tests.core.natural_samples import (
    DRUM,
    ROUNDED,
    bevelled_box,
    box,
    cut_at_random,
    elbow,
    gear,
    lathe,
    turned,
)
from tests.core.unwrap_samples import mesh_of, sphere


def ring(radius: float, n: int) -> float:
    """Length of a regular polygon about a circle's centre."""
    return 2 * n * radius * np.sin(np.pi / n)


def way(profile: list[tuple[float, float]]) -> float:
    return float(np.linalg.norm(np.diff(np.array(profile), axis=0), axis=1).sum())


def surface(mesh: Mesh) -> float:
    xyz = mesh.positions[mesh.corner_vertex[mesh.triangles]]
    return float(
        np.linalg.norm(np.cross(xyz[:, 1] - xyz[:, 0], xyz[:, 2] - xyz[:, 0]), axis=1).sum() / 2
    )


def outlines(mesh: Mesh, made) -> list[shapely.Geometry]:
    """Islands at the size of the surface, the largest first."""
    uv = made.uv[mesh.triangles]
    flat = shapely.area(shapely.polygons(uv))
    uv = uv * np.sqrt(surface(mesh) / flat.sum())
    island = made.face_island[mesh.triangle_face]
    found = [
        shapely.union_all(shapely.polygons(uv[island == k]), grid_size=1e-9)
        for k in range(made.islands)
    ]
    return sorted(found, key=lambda g: -g.area)


def fullness(outline: shapely.Geometry) -> float:
    """Part of the upright box about an island that it covers."""
    x, y, z, w = outline.bounds
    return float(outline.area / ((z - x) * (w - y)))


SHAFT = [(1.0, 0.0), (1.0, 2.0), (0.6, 2.0), (0.6, 4.0)]
FRUSTUM = [(1.0, 0.0), (0.6, 2.0)]
KNOWN = {
    "cylinder": (lathe([(1, 0), (1, 3)], 32), 3, 2 * ring(1, 32) + 3),
    "cylinder of rings": (lathe([(1, 0), (1, 1), (1, 2), (1, 3)], 48), 3, 2 * ring(1, 48) + 3),
    "prism of six sides": (lathe([(1, 0), (1, 0.7)], 6), 3, 2 * ring(1, 6) + 0.7),
    "frustum": (lathe(FRUSTUM, 32), 3, ring(1, 32) + ring(0.6, 32) + way(FRUSTUM)),
    "cone": (lathe([(1, 0), (1e-9, 2)], 32, (True, False)), 2, ring(1, 32) + np.hypot(1, 2)),
    "stepped shaft": (lathe(SHAFT, 40), 5, 2 * ring(1, 40) + 2 * ring(0.6, 40) + 4),
    "tube": (
        lathe([(1, 0), (1, 3), (0.8, 3), (0.8, 0), (1, 0)], 32, (False, False)), 4,
        2 * ring(1, 32) + 2 * ring(0.8, 32) + 6,
    ),
    "cube": (box(1, 1, 1), 1, 7),
    "gear": (gear(20, 5, 1, 1.5), 3, None),
    "thin gear": (gear(40, 5, 0.4, 0.3), 3, None),
    "pipe elbow": (elbow(5, 1), 1, 4 * 24 * np.sin(np.pi / 48)),
    "drum with a rib": (lathe(DRUM, 24), 3, 2 * ring(0.95, 24) + way(DRUM)),
}  # fmt: skip
REAL = Path("/usr/share/assimp/models/OBJ/regr01.obj")
STRETCHED = {"pipe elbow": 1.016, "drum with a rib": 1.001}


@pytest.mark.parametrize("cut", [False, True])
@pytest.mark.parametrize("name", KNOWN)
def test_shapes_come_apart_as_one_would_cut_them_out_of_paper(name, cut):
    shape, islands, seam = KNOWN[name]
    mesh = turned(cut_at_random(shape) if cut else shape)
    made = unwrap_mesh(mesh)
    assert made.islands == islands
    if name == "pipe elbow":
        # Twelve chords of the inner arc, of a quarter circle of radius 4.
        seam = 12 * 2 * 4 * np.sin(np.pi / 48)
    if seam is not None:
        assert made.seam_length * np.sqrt(surface(mesh)) == pytest.approx(seam, rel=1e-6)
    assert made.flipped == 0
    assert made.stretch_l2 == pytest.approx(1, abs=1e-6) or made.stretch_l2 < STRETCHED[name]
    found = outlines(mesh, made)
    assert sum(g.area for g in found) == pytest.approx(surface(mesh), rel=1e-6)


@pytest.mark.parametrize("cut", [False, True])
def test_a_cylinder_is_an_upright_rectangle_and_two_discs(cut):
    shape = KNOWN["cylinder"][0]
    mesh = turned(cut_at_random(shape) if cut else shape)
    side, *caps = outlines(mesh, unwrap_mesh(mesh))
    x, y, z, w = side.bounds
    np.testing.assert_allclose([z - x, w - y], [ring(1, 32), 3], rtol=1e-6)
    assert fullness(side) == pytest.approx(1, abs=1e-6)
    for cap in caps:
        assert cap.area == pytest.approx(16 * np.sin(2 * np.pi / 32), rel=1e-6)


@pytest.mark.parametrize("name", ["pipe elbow", "drum with a rib"])
def test_strips_are_rectangles(name):
    mesh = turned(KNOWN[name][0])
    assert fullness(outlines(mesh, unwrap_mesh(mesh))[0]) == pytest.approx(1, abs=1e-6)


def test_a_frustum_is_a_sector_of_a_ring():
    mesh = turned(lathe([(1.0, 0.0), (0.5, np.sqrt(3) / 2)], 64))
    sector = outlines(mesh, unwrap_mesh(mesh))[0]
    # A cone of radius 1 and slant 2 unrolls to half a disc of radius 2; its upper half is cut away.
    corners = shapely.get_coordinates(sector)
    around = shapely.minimum_bounding_circle(sector)
    assert around.area == pytest.approx(np.pi * 4, rel=1e-2)
    far = np.linalg.norm(corners - shapely.get_coordinates(around.centroid), axis=1)
    assert np.minimum(np.abs(far - 2), np.abs(far - 1)).max() < 3e-2


def test_caps_come_off_a_pipe_that_is_rounded():
    mesh = turned(lathe(ROUNDED, 24))
    made = unwrap_mesh(mesh)
    found = outlines(mesh, made)
    assert made.islands == 3
    assert fullness(found[0]) > 0.999
    assert sorted(g.area for g in found[1:]) == pytest.approx(
        [12 * r * r * np.sin(np.pi / 12) for r in (0.8, 1.0)], rel=1e-6
    )


def test_bevels_stay_with_the_sides_of_their_box():
    shape = bevelled_box(2, 1, 1.5, 0.08)
    mesh = turned(shape)
    sides = 2 * (1.84 * 0.84 + 0.84 * 1.34 + 1.34 * 1.84)
    wide = 0.08 * np.sqrt(2)
    bevels = 4 * wide * (1.84 + 0.84 + 1.34) + 8 * np.sqrt(3) / 4 * wide**2
    assert surface(mesh) == pytest.approx(sides + bevels, rel=1e-9)
    made = unwrap_mesh(mesh)
    # Left in one frame of bevels the six sides would be islands of their own.
    assert made.islands <= 3
    assert made.stretch_l2 == pytest.approx(1, abs=1e-6)


def test_what_is_bent_both_ways_is_cut_with_little_stretch():
    made = unwrap_mesh(sphere(10))
    assert made.flipped == 0
    assert made.stretch_l2 <= 1.03


def test_a_low_round_leg_is_no_machine_part():
    # Seven sides that turn by 51 degrees each: cut at every crease it would be seven splinters.
    radii = [0.5, 0.45, 0.5, 0.3, 0.35, 0.2, 0.15]
    leg = turned(lathe([(r, 0.8 * k) for k, r in enumerate(radii)], 7))
    made = unwrap_mesh(leg)
    fewest = unwrap_mesh(leg, UnwrapSettings(seams="shape"))
    assert made.islands <= 4
    assert made.seam_length < 1.5 * fewest.seam_length


def test_copies_are_laid_alike():
    points, faces = lathe(SHAFT, 24)
    turn = np.linalg.qr(np.random.default_rng(1).normal(size=(3, 3)))[0]
    turn *= np.sign(np.linalg.det(turn))
    n = len(points)
    both = mesh_of(
        np.concatenate([points, points @ turn + 10]),
        [*faces, *(tuple(v + n for v in face) for face in faces)],
    )
    made = unwrap_mesh(both)
    assert made.islands == 10
    half = len(made.uv) // 2
    one, two = made.uv[:half], made.uv[half:]
    for k in range(5):
        corners = np.flatnonzero(
            np.repeat(made.face_island[: len(faces)] == k, np.diff(both.face_offsets)[: len(faces)])
        )
        np.testing.assert_allclose(
            one[corners] - one[corners[0]], two[corners] - two[corners[0]], atol=1e-7
        )


def test_a_real_machine_part_keeps_its_plates_flat():
    if not REAL.exists():
        pytest.skip("needs Debian's assimp-testmodels")
    for obj in read_scene(str(REAL), REAL.read_bytes()).objects:
        made = unwrap_mesh(obj.mesh)
        assert made.flipped == 0
        assert made.stretch_p95 < 1.02


@given(angle=st.floats(0, 2 * np.pi), wide=st.floats(1, 20), high=st.floats(1, 20))
def test_rectangles_are_stood_upright(angle, wide, high):
    corners = np.array([[0, 0], [wide, 0], [wide, high], [0, high]])
    c, s = np.cos(angle), np.sin(angle)
    tilted = corners @ np.array([[c, s], [-s, c]])
    size = np.ptp(tilted @ upright_turn(tilted, tilted, np.roll(tilted, -1, axis=0)), axis=0)
    np.testing.assert_allclose(size, [max(wide, high), min(wide, high)], rtol=1e-6)


def test_the_longest_straight_border_decides_how_an_island_stands():
    # A quarter of a disc with a handle: its round rim has no direction of note.
    round_ = np.linspace(0, np.pi / 2, 40)
    points = np.concatenate([[[0, 0]], np.stack([np.cos(round_), np.sin(round_)], axis=1)])
    c, s = np.cos(0.4), np.sin(0.4)
    tilted = points @ np.array([[c, s], [-s, c]])
    up = tilted @ upright_turn(tilted, tilted, np.roll(tilted, -1, axis=0))
    side = up[1] - up[0]
    assert min(abs(side)) == pytest.approx(0, abs=1e-9)


def test_a_triangle_without_area_parts_no_plate():
    points = np.array(
        [(0, 0, 0), (1, 0, 0), (2, 0, 0), (2, 1, 0), (0, 1, 0), (0, -1, 0), (1, -1, 0), (2, -1, 0)],
        float,
    )
    # Between one long edge and two short ones a triangle that is a line, as programs leave them.
    faces = [(0, 2, 3, 4), (2, 0, 1), (5, 6, 1, 0), (6, 7, 2, 1)]
    made = unwrap_mesh(turned((points, faces)))
    assert made.islands == 1
    assert np.isfinite(made.uv).all()
