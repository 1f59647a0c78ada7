"""Islands: faces joined through edges that agree in position and in UV."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.spatial import cKDTree

from quilt_core.scene import Mesh, UVChannel, find_islands, weld
from quilt_core.scene.island_set import face_uv_areas
from quilt_core.scene.triangulate import triangulate
from quilt_core.scene.weld import SCRAMBLE, _near_pairs, weld_ids
from tests.core.examples import examples

GRID = np.array([[0, 0, 0], [1, 0, 0], [2, 0, 0], [0, 1, 0], [1, 1, 0], [2, 1, 0]], float)


def mesh_of(faces, uv=None, positions=GRID, corner_uv=None):
    corners = np.array([v for face in faces for v in face], np.int64)
    offsets = np.concatenate([[0], np.cumsum([len(f) for f in faces])]).astype(np.int64)
    coords = positions[:, :2].copy() if uv is None else np.array(uv, float)
    channel = UVChannel(
        "UV 1", coords, corners.copy() if corner_uv is None else np.array(corner_uv, np.int64)
    )
    return Mesh(
        positions.copy(), offsets, corners, (channel,), np.full(len(faces), -1, np.int64)
    ), channel


def test_faces_that_share_an_edge_are_one_island():
    islands = find_islands(*mesh_of([(0, 1, 4, 3), (1, 2, 5, 4)]))
    assert islands.count == 1
    assert len(islands.edges) == 6


def test_a_uv_seam_divides_them():
    uv = [*GRID[:, :2], (5, 0), (5, 1)]
    islands = find_islands(
        *mesh_of([(0, 1, 4, 3), (1, 2, 5, 4)], uv, corner_uv=[0, 1, 4, 3, 6, 2, 5, 7])
    )
    assert islands.count == 2
    assert islands.face_island.tolist() == [0, 1]


def test_repeated_vertices_are_welded_by_value():
    positions = np.concatenate([GRID, GRID[[1, 4]]])
    islands = find_islands(*mesh_of([(0, 1, 4, 3), (6, 2, 5, 7)], positions=positions))
    assert islands.count == 1


def test_touching_in_one_point_does_not_join():
    positions = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [2, 1, 0], [2, 2, 0]], float)
    assert find_islands(*mesh_of([(0, 1, 2), (2, 3, 4)], positions=positions)).count == 2


def test_faces_without_uvs_belong_to_none():
    islands = find_islands(
        *mesh_of([(0, 1, 4, 3), (1, 2, 5, 4)], corner_uv=[0, 1, 4, 3, -1, 2, 5, 4])
    )
    assert islands.face_island.tolist() == [0, -1]


def test_a_fold_is_part_of_the_outline():
    uv = [(0, 0), (1, 0), (0.2, 0), (0, 1), (1, 1), (0.2, 1)]
    islands = find_islands(*mesh_of([(0, 1, 4, 3), (1, 2, 5, 4)], uv))
    assert islands.count == 1
    # The border of two layers counts twice: the fold, the edges beside it, and one where they end.
    assert len(islands.edges) == 8


def test_areas_are_the_shoelace_formula_and_pick_s_theorem():
    """Elementary geometry: A = inner + border / 2 - 1 for lattice polygons."""
    lattice = np.array([[0, 0, 0], [4, 0, 0], [4, 3, 0], [1, 1, 0], [0, 3, 0]], float)
    mesh, channel = mesh_of([(0, 1, 2, 3, 4)], positions=lattice)
    area = face_uv_areas(mesh, channel.per_corner)[0][0]
    inside = sum(
        1 for x in range(5) for y in range(4)
        if _strictly_inside(x, y, lattice[:, :2])
    )  # fmt: skip
    edges = zip(lattice, np.roll(lattice, -1, 0), strict=True)
    border = sum(np.gcd(int(abs(a[0] - b[0])), int(abs(a[1] - b[1]))) for a, b in edges)
    assert area == inside + border / 2 - 1


def _strictly_inside(x, y, ring):
    import shapely

    return shapely.Polygon(ring).contains(shapely.Point(x, y))


def test_concave_faces_are_cut_inside():
    arrow = np.array([[0, 0, 0], [2, 0, 0], [0.3, 0.3, 0], [0, 2, 0]], float)
    triangles = triangulate(arrow, np.array([0, 4]))
    corners = arrow[triangles]
    areas = 0.5 * np.cross(corners[:, 1] - corners[:, 0], corners[:, 2] - corners[:, 0])[:, 2]
    assert (areas > 0).all()
    assert areas.sum() == np.float64(0.6)


def test_islands_are_numbered_by_their_first_face():
    positions = np.concatenate([GRID + [0, 0, k] for k in range(3)])
    faces = [(12, 13, 16, 15), (0, 1, 4, 3), (13, 14, 17, 16), (6, 7, 10, 9)]
    islands = find_islands(*mesh_of(faces, positions=positions))
    assert islands.face_island.tolist() == [0, 1, 0, 2]


@pytest.mark.parametrize("scramble", [SCRAMBLE, np.uint64(0)])
def test_equal_rows_get_equal_numbers_even_when_the_scrambled_ones_are_mixed_up(
    scramble, monkeypatch
):
    # With 0 all rows look alike at first, and the columns decide.
    monkeypatch.setattr("quilt_core.scene.weld.SCRAMBLE", scramble)
    rng = np.random.default_rng(4)
    rows = rng.choice([-1.5, -0.0, 0.0, 1e-30, 7.0], (300, 3))
    whole = rng.integers(-2, 2, 300)
    ids = weld_ids(*rows.T, whole)
    same = (rows[:, None] == rows[None]).all(axis=2) & (whole[:, None] == whole[None])
    assert np.array_equal(ids[:, None] == ids[None], same)


@pytest.mark.parametrize("seed", range(20))
def test_few_things_are_grouped_as_many_are(seed, monkeypatch):
    rng = np.random.default_rng(seed)
    count = int(rng.integers(1, weld.FEW_PLACES))
    pairs = rng.integers(0, count, (int(rng.integers(0, 40)), 2))
    points = np.round(rng.random((count, 2)), 2)
    few = weld.groups(pairs, count), weld.near_ids(points, 0.03)
    monkeypatch.setattr(weld, "FEW_PLACES", 0)
    np.testing.assert_array_equal(few[0], weld.groups(pairs, count))
    np.testing.assert_array_equal(few[1], weld.near_ids(points, 0.03))


@settings(max_examples=examples(60))
@given(
    st.integers(0, 10_000),
    st.integers(1, 4),
    st.sampled_from([1e-9, 1e-6, 1e-3, 0.2]),
    st.sampled_from([0.0, 1.0, 1e6]),
)
def test_near_points_are_those_of_a_tree(seed, dimensions, tolerance, away):
    """Against SciPy's cKDTree, also far from the origin and where a tree is taken anyway."""
    rng = np.random.default_rng(seed)
    # Far away and across the line that they are sorted along, a sum of large numbers is small.
    points = rng.random((40, dimensions)) + away * np.array([1, -0.8165, 1e-3, 0])[:dimensions]
    step = rng.normal(size=points.shape)
    step *= tolerance * rng.uniform(0, 2, (40, 1)) / np.linalg.norm(step, axis=1, keepdims=True)
    points = np.concatenate([points, points + step])
    want = cKDTree(points).query_pairs(tolerance, output_type="ndarray")
    found = np.sort(_near_pairs(points, tolerance), axis=1)
    assert set(map(tuple, found.tolist())) == set(map(tuple, np.sort(want, axis=1).tolist()))
