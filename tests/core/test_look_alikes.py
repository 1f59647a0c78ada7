"""Look-alikes, found by topology alone."""

from __future__ import annotations

import numpy as np
import pytest

from quilt_core.errors import LayoutError
from quilt_core.unwrap.alike import find_match, topology_mark
from quilt_core.unwrap.part_alike import find_part
from tests.core.look_alikes_samples import lumpy, shuffled
from tests.core.unwrap_samples import cube, fins, grid, mesh_of, sphere, with_needles


@pytest.mark.parametrize("mirror", [False, True])
@pytest.mark.parametrize("seed", range(4))
def test_a_shuffled_turned_scaled_copy_is_matched_exactly(seed, mirror):
    mesh = lumpy(seed)
    other, corner = shuffled(mesh, seed, mirror)
    match = find_match(mesh, other)
    assert match.mirrored == mirror
    assert np.array_equal(match.corner, corner)
    assert match.misfit == pytest.approx(0, abs=1e-6)
    assert match.matches >= 4  # a square sheet is like itself in eight ways


@pytest.mark.parametrize("mesh", [cube(), sphere(6), fins(), with_needles()])
def test_symmetric_and_odd_meshes_match_themselves(mesh):
    other, _ = shuffled(mesh, 3)
    match = find_match(mesh, other)
    assert match is not None
    assert match.misfit == pytest.approx(0, abs=1e-6)
    assert np.array_equal(np.sort(match.corner), np.arange(len(match.corner)))
    # A face's corners stay together, in order.
    face = mesh.corner_face[match.corner]
    for a, b in zip(other.face_offsets, other.face_offsets[1:], strict=False):
        assert len(set(face[a:b])) == 1


def test_moved_vertices_are_matched_and_the_misfit_says_so():
    mesh = lumpy(1)
    other, corner = shuffled(mesh, 1)
    moved = mesh_of(
        other.positions + np.random.default_rng(2).normal(size=other.positions.shape) * 0.05,
        np.split(other.corner_vertex, other.face_offsets[1:-1]),
    )
    match = find_match(mesh, moved)
    assert np.array_equal(match.corner, corner)
    assert 1e-3 < match.misfit < 0.1


def test_several_shells_go_to_those_at_their_places():
    points, faces = [], []
    for k, size in enumerate((1.0, 1.0, 2.0)):
        box = cube()
        faces += [part + 8 * k for part in np.split(box.corner_vertex, 6)]
        points.append(box.positions * size + (4 * k, 0.3 * k * k, 0))
    mesh = mesh_of(np.concatenate(points), faces)
    other, corner = shuffled(mesh, 5)
    match = find_match(mesh, other)
    piece = mesh.corner_face[match.corner] // 6
    assert np.array_equal(piece, mesh.corner_face[corner] // 6)


def test_other_topology_is_no_match():
    assert find_match(cube(), sphere(4)) is None
    one = grid(4, 3, lambda u, v: (u, v, 0))
    two = grid(3, 4, lambda u, v: (u, v, 0))
    assert find_match(one, two) is not None  # turned by a quarter
    assert find_match(one, grid(6, 2, lambda u, v: (u, v, 0))) is None
    closed = grid(6, 2, lambda u, v: (np.cos(7 * u), np.sin(7 * u), v), closed=True)
    assert find_match(grid(6, 2, lambda u, v: (u, v, 0)), closed) is None


def test_marks_are_equal_where_there_is_a_match_and_differ_where_there_is_none():
    def flat(u, v):
        return (u, v, 0)

    kinds = [cube(), sphere(4), sphere(6), fins(), with_needles(), lumpy(1), grid(4, 3, flat), grid(6, 2, flat)]  # fmt: skip
    meshes = [
        *kinds,
        *(shuffled(mesh, 7, mirror)[0] for mesh in kinds for mirror in (False, True)),
        grid(3, 4, flat),
    ]
    marks = [topology_mark(mesh) for mesh in meshes]
    for i, a in enumerate(meshes):
        for j in range(i):
            assert (marks[i] == marks[j]) == (find_match(a, meshes[j]) is not None), (i, j)


def test_all_ways_of_a_symmetric_mesh_can_be_stepped_through():
    sheet = grid(3, 3, lambda u, v: (u, v, 0.0))
    ways = [find_match(sheet, sheet, number) for number in range(8)]
    assert [way.number for way in ways] == list(range(8))
    assert {way.matches for way in ways} == {8}
    # A square is like itself in eight ways, four of them mirrored; each is a real one.
    assert len({way.corner.tobytes() for way in ways}) == 8
    assert sum(way.mirrored for way in ways) == 4
    assert all(way.misfit == pytest.approx(0, abs=1e-6) for way in ways)
    assert np.array_equal(find_match(sheet, sheet, 8).corner, ways[0].corner)


def knobs(places, mirrored=()):
    """A sheet of quads on which crooked knobs of 3 x 2 quads stand, each the same, some mirrored."""
    height = np.zeros((25, 25))
    knob = np.array([[0.1, 0.5, 0.3], [0.9, 0.2, 0.6]])
    for k, (x, y) in enumerate(places):
        height[y : y + 2, x : x + 3] = knob[:, ::-1] if k in mirrored else knob
    mesh = grid(24, 24, lambda u, v: (u * 24, v * 24, height[round(v * 24), round(u * 24)]))
    centre = mesh.positions[mesh.corner_vertex].reshape(-1, 4, 3).mean(axis=1)[:, :2] - 0.5

    def faces(x, y):
        inside = (centre >= (x - 1, y - 1)) & (centre <= (x + 2, y + 1))
        return np.flatnonzero(inside.all(axis=1))

    return mesh, faces


@pytest.mark.slow
def test_a_part_is_found_elsewhere_in_its_mesh_and_in_a_larger_one():
    mesh, faces = knobs([(3, 3), (12, 4), (5, 15)], mirrored=(2,))
    part = faces(3, 3)
    assert len(part) == 12
    found = find_part(mesh, part, mesh)
    assert [place.mirrored for place in found] == [False, True]
    for place, (x, y) in zip(found, [(12, 4), (5, 15)], strict=True):
        assert place.misfit == pytest.approx(0, abs=1e-6)
        assert set(mesh.corner_face[place.corner]) == set(faces(x, y))
    larger, where = knobs([(18, 18)])
    turned, corner = shuffled(larger, 5)
    (place,) = find_part(mesh, part, turned)
    assert set(larger.corner_face[corner[place.corner]]) == set(where(18, 18))


def test_a_part_in_pieces_and_one_that_is_nowhere_else():
    mesh, faces = knobs([(3, 3), (12, 4)])
    with pytest.raises(LayoutError, match="2 parts"):
        find_part(mesh, np.concatenate([faces(3, 3), faces(12, 4)]), mesh)
    assert find_part(mesh, np.arange(mesh.face_count), cube()) == []
