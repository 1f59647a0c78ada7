"""Edits of a layout: what each gives, from closed forms, numpy's singular values and libigl, a general
geometry library."""

from __future__ import annotations

import igl
import numpy as np
import pytest
from hypothesis import example, given, settings
from hypothesis import strategies as st

from quilt_core.errors import LayoutError
from quilt_core.scene.islands import triangle_areas
from quilt_core.unwrap._island_loops import singular_values
from quilt_core.unwrap.edits.anew import unwrap_along
from quilt_core.unwrap.edits.corners import align_corners, move_corners
from quilt_core.unwrap.edits.cut import cut_edges, cut_folds, rip_corner, split_faces
from quilt_core.unwrap.edits.ease import ease
from quilt_core.unwrap.edits.join import close_near, join_edges, join_neighbours, merge_tiny
from quilt_core.unwrap.edits.laid import lay_out
from quilt_core.unwrap.edits.level import align_edges
from quilt_core.unwrap.edits.project import project
from quilt_core.unwrap.edits.straighten import straighten
from quilt_core.unwrap.edits.symmetrize import symmetrize
from quilt_core.unwrap.edits.verbs import EditOptions, Picks, edit_layout
from quilt_core.unwrap.pieces import find_pieces
from quilt_core.unwrap.relax import relax_island
from quilt_core.unwrap.start import border_loops, is_open, lscm, spectral, tutte
from tests.core.examples import examples
from tests.core.unwrap_samples import cube, grid, mesh_of, sphere


def sheet(n: int = 10, height: float = 0.3, size: float = 0.5):
    """A wavy sheet of quads, laid out as seen from above."""
    mesh = grid(n, n, lambda u, v: (u, v, height * np.sin(3 * u) * np.cos(2 * v)))
    return mesh, mesh.positions[mesh.corner_vertex][:, :2] * size


def edges_at(mesh, test) -> np.ndarray:
    """Edges both ends of which pass a test, by the corner where each starts."""
    sizes = np.diff(mesh.face_offsets)
    after = np.arange(1, len(mesh.corner_vertex) + 1)
    after[mesh.face_offsets[1:] - 1] = mesh.face_offsets[:-1]
    good = np.array([test(p) for p in mesh.positions])[mesh.corner_vertex]
    assert sizes.min() >= 3
    return np.flatnonzero(good & good[after])


def islands(mesh, uv) -> int:
    laid = lay_out(mesh, uv)
    return len(np.unique(laid.work.label[laid.known]))


def every(laid) -> np.ndarray:
    return np.ones(laid.pieces.count, bool)


def singular(mesh, uv) -> np.ndarray:
    """(N, 2) singular values of the surface's map at equal area, by numpy."""
    tri = mesh.triangles
    xyz, flat = mesh.positions[mesh.corner_vertex[tri]], uv[tri]
    out, area = [], 0.0
    for p, q in zip(xyz, flat, strict=True):
        x = (p[1] - p[0]) / np.linalg.norm(p[1] - p[0])
        y = np.cross(np.cross(x, p[2] - p[0]), x)
        y = y / np.linalg.norm(y)
        rest = np.array([[(p[k] - p[0]) @ x, (p[k] - p[0]) @ y] for k in (1, 2)]).T
        out.append(np.linalg.svd(np.array([q[1] - q[0], q[2] - q[0]]).T @ np.linalg.inv(rest))[1])
        area += 0.5 * abs(np.linalg.det(rest))
    return np.array(out) * np.sqrt(area / np.abs(triangle_areas(flat)).sum())


MIDDLE = staticmethod(lambda p: abs(p[0] - 0.5) < 1e-9)


def test_a_cut_parts_an_island_and_a_join_gives_the_same_uvs_again():
    mesh, uv = sheet()
    line = edges_at(mesh, MIDDLE)
    cut = cut_edges(lay_out(mesh, uv), line, 0.02)
    assert islands(mesh, cut.uv) == 2
    moved = (cut.uv != uv).any(axis=1)
    # One half did not move at all, the other by the gap, square to the cut.
    assert moved.sum() == 200
    np.testing.assert_allclose(np.abs(cut.uv - uv)[moved], [[0.02, 0.0]] * 200, atol=1e-12)
    joined = join_edges(lay_out(mesh, cut.uv), line)
    np.testing.assert_allclose(joined.uv, uv, atol=1e-12)
    assert islands(mesh, joined.uv) == 1


def test_the_part_that_comes_over_may_have_been_turned_scaled_and_mirrored():
    mesh, uv = sheet()
    line = edges_at(mesh, MIDDLE)
    cut = cut_edges(lay_out(mesh, uv), line, 0.02).uv
    side = mesh.positions[mesh.corner_vertex][:, 0] > 0.5 + 1e-9
    far = np.repeat(side.reshape(-1, 4).any(axis=1), 4)
    turned = cut.copy()
    turned[far] = cut[far] @ (0.6 * np.array([[0.0, 1.0], [1.0, 0.0]])) + (3.0, 1.0)
    joined = join_edges(lay_out(mesh, turned), line)
    assert islands(mesh, joined.uv) == 1
    # It comes over to the larger one on the sheet: both halves are equally large on the surface.
    whole = joined.uv - joined.uv[0]
    size = np.linalg.norm(whole.max(axis=0) - whole.min(axis=0))
    assert size == pytest.approx(np.linalg.norm(np.ptp(uv, axis=0)), rel=1e-6) or size == (
        pytest.approx(0.6 * np.linalg.norm(np.ptp(uv, axis=0)), rel=1e-6)
    )
    assert np.abs(triangle_areas(whole[mesh.triangles])).min() > 0


def test_cuts_that_part_nothing_and_edges_that_are_seams_are_refused():
    mesh, uv = sheet(4)
    laid = lay_out(mesh, uv)
    inside = edges_at(mesh, lambda p: abs(p[0] - 0.5) < 1e-9 and 0.1 < p[1] < 0.9)
    with pytest.raises(LayoutError, match="do not part"):
        cut_edges(laid, inside, 0.02)
    border = edges_at(mesh, lambda p: p[0] < 1e-9)
    with pytest.raises(LayoutError, match="seams already"):
        cut_edges(laid, border, 0.02)
    with pytest.raises(LayoutError, match="no seam"):
        join_edges(laid, inside)
    with pytest.raises(LayoutError, match="There is no edge 999"):
        cut_edges(laid, np.array([999]), 0.02)


def test_faces_are_split_off_and_the_rest_stays_to_the_bit():
    mesh, uv = sheet(6)
    faces = np.array([14, 15, 20, 21])
    made = split_faces(lay_out(mesh, uv), faces, 0.01)
    assert islands(mesh, made.uv) == 2
    own = np.isin(mesh.corner_face, faces)
    assert (made.uv[~own] == uv[~own]).all() and (made.uv[own] != uv[own]).any()
    with pytest.raises(LayoutError, match="whole islands"):
        split_faces(lay_out(mesh, uv), np.arange(36), 0.01)


def test_an_unpicked_vertex_lets_go_of_its_neighbours():
    mesh, uv = sheet(4)
    corner = 4 * 5 + 2
    made = rip_corner(lay_out(mesh, uv), corner, 0.01)
    assert np.flatnonzero((made.uv != uv).any(axis=1)).tolist() == [corner]
    assert np.linalg.norm(made.uv[corner] - uv[corner]) == pytest.approx(0.01)
    assert islands(mesh, made.uv) == 1
    alone = mesh_of([(0, 0, 0), (1, 0, 0), (0, 1, 0)], [[0, 1, 2]])
    with pytest.raises(LayoutError, match="free already"):
        rip_corner(lay_out(alone, np.eye(3)[:, :2]), 0, 0.1)


def test_all_neighbours_are_joined_as_far_as_stretch_allows():
    mesh = cube()
    flat = project(lay_out(mesh, np.full((24, 2), np.nan)), np.ones(12, bool), "box").uv
    assert islands(mesh, flat) == 6
    laid = lay_out(mesh, flat)
    joined = join_neighbours(laid, np.arange(12), 1.01)
    assert islands(mesh, joined.uv) == 1 and joined.note == "5 fewer islands"
    np.testing.assert_allclose(singular(mesh, joined.uv), 1.0, atol=1e-6)
    mesh, uv = sheet(4)
    with pytest.raises(LayoutError, match="No two"):
        join_neighbours(lay_out(mesh, uv), np.arange(32), 1.01)


def test_near_seams_are_closed_and_wider_ones_are_not():
    mesh, uv = sheet(4)
    right = np.repeat((mesh.positions[mesh.corner_vertex][:, 0] > 0.51).reshape(-1, 4).any(1), 4)
    apart = uv.copy()
    apart[right] += (1e-4, 0.0)
    assert islands(mesh, apart) == 2
    closed = close_near(lay_out(mesh, apart), np.arange(32), 2e-4)
    assert islands(mesh, closed.uv) == 1 and np.abs(closed.uv - uv).max() <= 1e-4
    with pytest.raises(LayoutError, match="that near"):
        close_near(lay_out(mesh, apart), np.arange(32), 5e-5)


def test_tiny_islands_are_joined_to_the_neighbour_with_the_longest_common_border():
    mesh, uv = sheet(6)
    tiny = split_faces(lay_out(mesh, uv), np.array([14]), 0.3).uv
    assert islands(mesh, tiny) == 2
    made = merge_tiny(lay_out(mesh, tiny), np.arange(72), 0.12)
    assert islands(mesh, made.uv) == 1
    np.testing.assert_allclose(made.uv, uv, atol=1e-9)
    with pytest.raises(LayoutError, match="No tiny island"):
        merge_tiny(lay_out(mesh, tiny), np.arange(72), 0.001)


def test_what_is_folded_over_is_cut_off():
    mesh, uv = sheet(6)
    folded = uv.copy()
    over = folded[:, 0] > 0.34
    folded[over, 0] = 2 * 0.3333333333333333 - folded[over, 0] + 0.0
    laid = lay_out(mesh, folded)
    made = cut_folds(laid, np.arange(72), 0.05)
    after = lay_out(mesh, made.uv)
    assert len(np.unique(after.work.label)) == 2
    for name in np.unique(after.work.label):
        signs = np.sign(triangle_areas(after.work.uv[after.work.label == name]))
        assert (signs == signs[0]).all()
    with pytest.raises(LayoutError, match="folded"):
        cut_folds(lay_out(mesh, uv), np.arange(72), 0.05)


def random_island(seed: int):
    """A disc of triangles with bumps, spikes and thin triangles, and a valid but poor map of it."""
    rng = np.random.default_rng(seed)
    n = int(rng.integers(3, 9))
    squash = float(np.exp(rng.uniform(np.log(1e-3), 0)))
    bump, spike = rng.uniform(0, 1.5), rng.uniform(0, 3) * (rng.random() < 0.4)
    at = rng.integers(1, n, 2) if n > 1 else (0, 0)

    def place(u, v):
        z = bump * np.sin(4 * u + seed) * np.cos(3 * v)
        if (round(u * n), round(v * n)) == (at[0], at[1]):
            z += spike
        return u, v * squash, z

    quads = grid(n, n, place)
    corners = np.split(quads.corner_vertex, quads.face_offsets[1:-1])
    halves = [(a, b, c) for a, b, c, _ in corners] + [(a, c, d) for a, _, c, d in corners]
    mesh = mesh_of(quads.positions, halves)
    return mesh, mesh.positions[mesh.corner_vertex][:, :2] * (1.0, 1 / squash)


@settings(max_examples=examples(200))
@given(st.integers(0, 10**6), st.sampled_from([0.0, 0.3, 0.5, 0.8, 1.0]), st.booleans())
@example(178, 0.0, True)  # a step along which the slope falls
@pytest.mark.slow
def test_easing_never_turns_a_face_over_and_never_makes_it_worse(seed, balance, hold):
    mesh, uv = random_island(seed)
    made = ease(lay_out(mesh, uv), np.ones(len(mesh.triangles), bool), hold, balance)
    signed = triangle_areas(made.uv[mesh.triangles])
    assert (signed > 0).all() and np.isfinite(made.uv).all()
    if balance == 0.5:
        energy = lambda s: (s**2 + 1.0 / s**2).sum(axis=1)
        world = 0.5 * np.linalg.norm(
            np.cross(
                *(
                    np.diff(mesh.positions[mesh.corner_vertex[mesh.triangles]], axis=1).swapaxes(
                        0, 1
                    )
                )
            ),
            axis=1,
        )
        mean = lambda v: float((energy(singular(mesh, v)) * world).sum() / world.sum())
        assert mean(made.uv) <= mean(uv) * (1 + 1e-6)
    if hold:
        rim = np.isclose(uv, 0).any(axis=1) | np.isclose(uv, 1).any(axis=1)
        assert (made.uv[rim] == uv[rim]).all()


def test_a_tangle_is_turned_right_and_a_closed_border_that_does_not_allow_it_is_refused():
    mesh, uv = sheet(6, 0.5)
    tangled = uv.copy()
    inner = (np.abs(uv - 0.25) < 0.2).all(axis=1)
    tangled[inner] = 0.5 - tangled[inner]
    laid = lay_out(mesh, tangled)
    for hold in (False, True):
        made = ease(laid, every(laid), hold)
        assert (triangle_areas(made.uv[mesh.triangles]) > 0).all()
    folded = uv.copy()
    folded[uv[:, 0] > 0.3] *= (-1.0, 1.0)
    with pytest.raises(LayoutError, match="turned over"):
        ease(lay_out(mesh, folded), every(laid), True)


def test_a_region_is_eased_and_what_is_around_it_stays():
    mesh, uv = sheet(8, 0.5)
    faces = np.array([27, 28, 35, 36])
    laid = lay_out(mesh, uv)
    made = ease(laid, laid.triangles(faces))
    own = np.isin(mesh.corner_face, faces)
    moved = (made.uv != uv).any(axis=1)
    # Of the four quads only the vertex in their middle is free.
    assert moved.sum() == 4 and own[moved].all()


def bulged():
    mesh, _ = random_island(11)
    tri = mesh.triangles
    from quilt_core.unwrap.pieces import find_pieces

    pieces = find_pieces(mesh)
    return mesh, mesh.corner_vertex[tri], pieces


def test_conformal_maps_come_to_the_energy_of_libigl():
    """Lévy et al. 2002: the same least squares with the same two pins."""
    mesh, faces, pieces = bulged()
    n = len(mesh.positions)
    mine = lscm(mesh.corner_vertex[pieces.corner], pieces.rest, n)
    far = np.array([np.argmin(mine @ [1.0, 0.3]), np.argmax(mine @ [1.0, 0.3])])
    theirs = igl.lscm(mesh.positions, faces.astype(np.int64), far, mine[far])
    theirs = theirs[0] if isinstance(theirs, tuple) else theirs
    theirs = np.asarray(theirs).reshape(n, 2)

    def conformal(x) -> float:
        s = singular(mesh, x[mesh.corner_vertex])
        return float(((s[:, 0] / s[:, 1] + s[:, 1] / s[:, 0]) / 2).mean())

    assert conformal(mine) == pytest.approx(conformal(theirs), rel=0.01)


def test_a_free_border_gives_less_distortion_than_pins_and_none_on_what_unrolls():
    """Mullen et al. 2008: among maps of one size at the border the spectral one has the least energy;
    what is developable is unrolled exactly."""
    mesh, _, pieces = bulged()
    n, own = len(mesh.positions), mesh.corner_vertex[pieces.corner]
    rim = np.unique(np.concatenate(border_loops(own)))

    def ratio(x) -> float:
        """Conformal energy over the spread of the border."""
        s = singular(mesh, x[mesh.corner_vertex])
        energy = (0.5 * (s[:, 0] - s[:, 1]) ** 2 * pieces.area).sum()
        return float(energy / ((x[rim] - x[rim].mean(axis=0)) ** 2).sum())

    free, pinned = spectral(own, pieces.rest, n), lscm(own, pieces.rest, n)
    assert ratio(free) <= ratio(pinned) * (1 + 1e-6)
    sheet = grid(8, 5, lambda u, v: (np.sin(2.4 * u), np.cos(2.4 * u), v))
    flat = find_pieces(sheet)
    x = spectral(sheet.corner_vertex[flat.corner], flat.rest, len(sheet.positions))
    one, two = singular_values(flat.rest, x[sheet.corner_vertex[flat.corner]])
    np.testing.assert_allclose([one, two], 1.0, atol=1e-4)


def test_relaxing_comes_to_the_symmetric_dirichlet_energy_of_libigl():
    """Rabinovich et al. 2017, as libigl has it."""
    mesh, faces, pieces = bulged()
    n = len(mesh.positions)
    own = mesh.corner_vertex[pieces.corner]
    start = tutte(own, pieces.rest, n)
    mine = relax_island(own, pieces.rest, start, steps=2000)
    data = igl.slim_precompute(
        mesh.positions, faces.astype(np.int32), start, igl.MappingEnergyType.SYMMETRIC_DIRICHLET,
        np.empty(0, np.int32), np.empty((0, 2)), 0.0,
    )  # fmt: skip
    theirs = np.asarray(igl.slim_solve(data, 400))[:, :2]
    area = pieces.area / pieces.area.sum()

    def energy(x) -> float:
        from quilt_core.unwrap._island_loops import singular_values

        one, two = singular_values(pieces.rest, x[own])
        return float((area * (one**2 + two**2 + one**-2.0 + two**-2.0)).sum())

    assert energy(mine) == pytest.approx(energy(theirs), rel=0.01)


def half_sphere(rings: int = 16):
    mesh = sphere(2 * rings)
    keep = [
        f
        for f in np.split(mesh.corner_vertex, mesh.face_offsets[1:-1])
        if (mesh.positions[f][:, 2] >= -1e-9).all()
    ]
    used, index = np.unique(np.concatenate(keep), return_inverse=True)
    sizes = np.cumsum([len(f) for f in keep])[:-1]
    return mesh_of(mesh.positions[used], np.split(index, sizes))


@pytest.mark.slow
def test_a_half_sphere_keeps_angles_or_areas_as_well_as_the_known_projections():
    """Snyder 1987: the stereographic projection keeps angles, Lambert's azimuthal one areas; on the
    same triangles ours keep them as well, and in between distort less than both."""
    mesh = half_sphere()
    corner = mesh.positions[mesh.corner_vertex]
    stereographic = corner[:, :2] / (1 + corner[:, 2:])
    lambert = corner[:, :2] * np.sqrt(2 / (1 + corner[:, 2:]))
    world = 0.5 * np.linalg.norm(
        np.cross(
            *np.diff(mesh.positions[mesh.corner_vertex[mesh.triangles]], axis=1).swapaxes(0, 1)
        ),
        axis=1,
    )
    angles = lambda s: (s[:, 0] / s[:, 1]) @ world / world.sum()
    areas = lambda s: np.maximum(s.prod(axis=1), 1 / s.prod(axis=1)) @ world / world.sum()
    both = lambda s: (s**2 + 1 / s**2).sum(axis=1) @ world / world.sum()
    laid = lay_out(mesh, lambert)
    made = {b: singular(mesh, ease(laid, every(laid), balance=b).uv) for b in (0.0, 0.5, 1.0)}
    known = [singular(mesh, uv) for uv in (stereographic, lambert)]
    assert angles(made[0.0]) <= angles(known[0]) + 0.002
    assert areas(made[1.0]) <= areas(known[1]) + 0.002
    assert both(made[0.5]) <= min(both(s) for s in known)
    assert angles(made[0.0]) < angles(made[0.5]) < angles(made[1.0])
    assert areas(made[0.0]) > areas(made[0.5]) > areas(made[1.0])


def test_a_bent_strip_becomes_a_rectangle_with_its_edges_in_proportion():
    """A strip in an arc: each quad as long as its arc, as wide as the strip."""
    place = lambda u, v: ((2 + v) * np.cos(u * u * 2), (2 + v) * np.sin(u * u * 2), 0.1 * u)
    mesh = grid(12, 2, place)
    uv = mesh.positions[mesh.corner_vertex][:, :2] * 0.1
    laid = lay_out(mesh, uv)
    made = straighten(laid, every(laid)).uv
    assert islands(mesh, made) == 1
    columns, rows = (np.unique(np.round(made[:, k], 9)) for k in (0, 1))
    if len(columns) == 3:
        columns, rows = rows, columns
    assert (len(columns), len(rows)) == (13, 3)
    point = np.array([[place(u, v) for v in (0, 0.5, 1)] for u in np.linspace(0, 1, 13)])
    long = np.linalg.norm(np.diff(point, axis=0), axis=2).mean(axis=1)
    wide = np.linalg.norm(np.diff(point, axis=1), axis=2).mean(axis=0)
    ratio = np.diff(columns).sum() / long.sum()
    steps = np.diff(columns)
    assert np.allclose(steps / ratio, long) or np.allclose(steps[::-1] / ratio, long)
    np.testing.assert_allclose(np.sort(np.diff(rows) / ratio), np.sort(wide))


def test_an_island_of_triangles_gets_a_rectangle_for_its_border():
    mesh, uv = random_island(5)
    laid = lay_out(mesh, uv)
    made = straighten(laid, every(laid)).uv
    assert (triangle_areas(made[mesh.triangles]) > 0).all()
    box = np.ptp(made, axis=0).prod()
    assert triangle_areas(made[mesh.triangles]).sum() == pytest.approx(box, rel=1e-9)


def test_part_of_an_island_that_is_no_grid_is_refused():
    mesh, uv = random_island(5)
    laid = lay_out(mesh, uv)
    with pytest.raises(LayoutError, match="no grid"):
        straighten(laid, laid.triangles(np.array([0, 1, 2])))


def test_an_island_across_a_symmetric_surface_becomes_symmetric():
    mesh = grid(8, 6, lambda u, v: (2 * u - 1, v, 0.4 * (2 * u - 1) ** 2 + 0.1 * v))
    uv = mesh.positions[mesh.corner_vertex][:, :2] * 0.3
    rng = np.random.default_rng(3)
    shift = rng.normal(0, 0.004, (len(mesh.positions), 2))[mesh.corner_vertex]
    turned = (uv + shift) @ np.array([[0.8, 0.6], [-0.6, 0.8]])
    made = symmetrize(lay_out(mesh, turned), np.ones(96, bool)).uv
    assert islands(mesh, made) == 1
    # Partners are mirror images about one line: their middles lie on it, their ways square to it.
    x = np.zeros((len(mesh.positions), 2))
    x[mesh.corner_vertex] = made
    at = {tuple(np.round(p, 9)): k for k, p in enumerate(mesh.positions)}
    other = np.array([at[tuple(np.round((-p[0], p[1], p[2]), 9))] for p in mesh.positions])
    middle = 0.5 * (x + x[other])
    along = np.linalg.svd(middle - middle.mean(axis=0))[2][0]
    off = (middle - middle.mean(axis=0)) @ np.array([-along[1], along[0]])
    assert np.abs(off).max() < 1e-9 and np.abs((x - x[other]) @ along).max() < 1e-9
    assert np.linalg.norm(made - turned, axis=1).max() < 0.02
    lopsided = grid(6, 6, lambda u, v: (u * u, v * v * v, u * v))
    bent = lopsided.positions[lopsided.corner_vertex][:, :2]
    with pytest.raises(LayoutError, match="symmetric on the model"):
        symmetrize(lay_out(lopsided, bent), np.ones(72, bool))


def test_edges_are_laid_level_upright_and_round():
    mesh, uv = sheet(8, 0.2)
    angle = np.radians(20)
    turned = uv @ np.array([[np.cos(angle), np.sin(angle)], [-np.sin(angle), np.cos(angle)]])
    line = edges_at(mesh, MIDDLE)
    for way, axis in (("level", 1), ("upright", 0)):
        made = align_edges(lay_out(mesh, turned), line, way).uv
        on = np.abs(mesh.positions[mesh.corner_vertex][:, 0] - 0.5) < 1e-9
        assert np.ptp(made[on, axis]) < 1e-12
        assert (triangle_areas(made[mesh.triangles]) > 0).all() and islands(mesh, made) == 1
    rim = edges_at(mesh, lambda p: min(p[0], p[1], 1 - p[0], 1 - p[1]) < 1e-9)
    made = align_edges(lay_out(mesh, uv), rim, "round").uv
    edge = np.abs(mesh.positions[mesh.corner_vertex][:, :2] - 0.5).max(axis=1) > 0.5 - 1e-9
    far = np.linalg.norm(made[edge] - made[edge].mean(axis=0), axis=1)
    assert far.std() < 0.02 * far.mean()
    with pytest.raises(LayoutError, match="no closed loop"):
        align_edges(lay_out(mesh, uv), line, "round")


@pytest.mark.slow
def test_a_sphere_by_longitude_and_latitude_has_the_known_scale():
    """Snyder 1987, equidistant cylindrical: 1 along meridians, sec(latitude) along parallels."""
    mesh = sphere(40)
    laid = lay_out(mesh, np.full((len(mesh.corner_vertex), 2), np.nan))
    made = project(laid, every(laid), "sphere", "z").uv
    tri = mesh.triangles
    middle = mesh.positions[mesh.corner_vertex[tri]].mean(axis=1)
    latitude = np.arcsin(middle[:, 2] / np.linalg.norm(middle, axis=1))
    s = singular(mesh, made)
    between = np.abs(latitude) < np.radians(60)
    # At their common scale: the ratio of the two is what the projection says.
    np.testing.assert_allclose(
        (s[:, 0] / s[:, 1])[between], 1 / np.cos(latitude[between]), rtol=0.05
    )


def test_a_cone_is_unrolled_to_its_sector_and_a_cylinder_to_its_side():
    """The sector's angle is 360° r / s; a side is as long as the rim."""
    cone = grid(48, 6, lambda u, v: (
        (0.2 + 0.8 * v) * np.cos(2 * np.pi * u), 1.5 * (1 - v), (0.2 + 0.8 * v) * np.sin(2 * np.pi * u)
    ), closed=True)  # fmt: skip
    laid = lay_out(cone, np.full((len(cone.corner_vertex), 2), np.nan))
    made = project(laid, every(laid), "cone", "y")
    assert islands(cone, made.uv) == 1
    np.testing.assert_allclose(singular(cone, made.uv), 1.0, atol=0.004)
    pipe = grid(48, 3, lambda u, v: (np.cos(2 * np.pi * u), v, np.sin(2 * np.pi * u)), closed=True)
    laid = lay_out(pipe, np.full((len(pipe.corner_vertex), 2), np.nan))
    made = project(laid, every(laid), "cylinder")
    wide, high = sorted(np.ptp(made.uv, axis=0), reverse=True)
    assert wide / high == pytest.approx(2 * np.pi, rel=2e-3) and islands(pipe, made.uv) == 1


@pytest.mark.parametrize("shape", ["plane", "box", "cylinder", "cone", "sphere"])
def test_projections_give_every_face_uvs_and_keep_polygons_whole(shape):
    mesh = cube()
    laid = lay_out(mesh, np.full((24, 2), np.nan))
    for axis in ("average", "x", np.array([0.3, 0.5, 0.2])):
        made = project(laid, every(laid), shape, axis)
        assert np.isfinite(made.uv).all() and made.aside
    with pytest.raises(LayoutError, match="projection"):
        project(laid, every(laid), "torus")
    with pytest.raises(LayoutError, match="axis"):
        project(laid, every(laid), shape, np.zeros(3))


def test_a_pipe_cut_along_one_line_lies_flat_without_stretch():
    pipe = grid(40, 4, lambda u, v: (np.cos(2 * np.pi * u), v, np.sin(2 * np.pi * u)), closed=True)
    laid = lay_out(pipe, np.full((len(pipe.corner_vertex), 2), np.nan))
    line = edges_at(pipe, lambda p: abs(p[0] - 1) < 1e-9)
    made = unwrap_along(laid, every(laid), line)
    assert islands(pipe, made.uv) == 1 and "cut further" not in made.note
    np.testing.assert_allclose(singular(pipe, made.uv), 1.0, atol=1e-4)


def test_what_cannot_lie_flat_is_cut_further_and_told():
    mesh = sphere(8)
    laid = lay_out(mesh, np.full((len(mesh.corner_vertex), 2), np.nan))
    made = unwrap_along(laid, every(laid), np.empty(0, np.int64))
    assert "cut further" in made.note and np.isfinite(made.uv).all()
    after = lay_out(mesh, made.uv)
    assert (triangle_areas(after.work.uv) > 0).all()
    equator = edges_at(mesh, lambda p: abs(p[2]) < 1e-9)
    halves = unwrap_along(laid, every(laid), equator)
    assert islands(mesh, halves.uv) == 2 and "cut further" not in halves.note


def test_the_borders_that_there_are_stay_or_go():
    mesh = cube()
    six = project(lay_out(mesh, np.full((24, 2), np.nan)), np.ones(12, bool), "box").uv
    laid = lay_out(mesh, six)
    none = np.empty(0, np.int64)
    assert islands(mesh, unwrap_along(laid, every(laid), none, keep=True).uv) == 6
    assert islands(mesh, unwrap_along(laid, every(laid), none, keep=False).uv) < 6


def test_corners_move_with_all_that_are_the_same_point_and_line_up():
    mesh, uv = sheet(4)
    laid = lay_out(mesh, uv)
    inner = 4 * 5 + 2
    made = move_corners(laid, np.array([inner]), np.array([0.01, -0.02]))
    moved = (made.uv != uv).any(axis=1)
    assert moved.sum() == 4
    np.testing.assert_allclose((made.uv - uv)[moved], [[0.01, -0.02]] * 4)
    far = move_corners(laid, np.array([inner]), np.array([0.4, 0.0]))
    assert "turned over" in far.note
    four = np.array([0, 4 * 5 + 2, 4 * 11 + 2, 4 * 12 + 3])
    for way, axis in (("left", 0), ("right", 0), ("middle", 0), ("top", 1), ("level", 1)):
        lined = align_corners(laid, four, way).uv[four]
        assert np.ptp(lined[:, axis]) == 0
    even = align_corners(laid, four, "even").uv[four]
    steps = np.sort(np.linalg.norm(even - even[0], axis=1))
    np.testing.assert_allclose(np.diff(steps), np.diff(steps)[0])
    with pytest.raises(LayoutError, match="line up"):
        align_corners(laid, four[:1], "left")
    with pytest.raises(LayoutError, match="finite"):
        move_corners(laid, four, np.array([np.inf, 0]))


def test_what_can_lie_flat_is_told_by_its_topology():
    ring = grid(8, 1, lambda u, v: (np.cos(2 * np.pi * u), v, np.sin(2 * np.pi * u)), closed=True)
    flat, _ = sheet(3)
    for mesh, open_ in ((ring, True), (flat, True), (sphere(6), False), (cube(), False)):
        faces = mesh.corner_vertex[mesh.triangles]
        assert is_open(faces, len(mesh.positions)) is open_
    torus = grid(8, 8, lambda u, v: (
        (2 + np.cos(2 * np.pi * v)) * np.cos(2 * np.pi * u),
        (2 + np.cos(2 * np.pi * v)) * np.sin(2 * np.pi * u), np.sin(2 * np.pi * v)
    ), closed=True)  # fmt: skip
    # Open along one line it still has its handle: a pipe bent round.
    faces = torus.corner_vertex[torus.triangles]
    assert is_open(faces, len(torus.positions)) is True


def test_seams_on_a_bare_shell_flatten_all_of_it_and_no_other_one():
    tube = grid(12, 4, lambda u, v: (np.cos(2 * np.pi * u), v, np.sin(2 * np.pi * u)), closed=True)
    shift = tube.positions + (5, 0, 0)
    both = mesh_of(
        np.concatenate([tube.positions, shift]),
        np.concatenate([tube.corner_vertex, tube.corner_vertex + len(shift)]).reshape(-1, 4),
    )
    laid = lay_out(both, np.full((len(both.corner_vertex), 2), np.nan))
    # One line along the first tube: the edges from the second to the third corner of its last column.
    line = np.array([4 * (12 * row + 11) + 1 for row in range(4)])
    made = edit_layout(laid, "unwrap along", Picks(edges=line), EditOptions())
    known = np.isfinite(made.uv).all(axis=1)
    assert known[: 4 * 48].all() and not known[4 * 48 :].any()
    assert made.note == "1 island"


def test_triangles_without_area_get_uvs_too_when_a_shell_is_flattened_by_hand():
    cap = sphere(6)
    # A needle whose two corners lie at one place, beside the first face.
    a, b = cap.corner_vertex[:2]
    rows = np.split(cap.corner_vertex, cap.face_offsets[1:-1])
    mesh = mesh_of(cap.positions, [*[row.tolist() for row in rows], [a, b, b]])
    laid = lay_out(mesh, np.full((len(mesh.corner_vertex), 2), np.nan))
    picks = Picks(faces=np.arange(mesh.face_count))
    made = edit_layout(laid, "unwrap along", picks, EditOptions())
    assert np.isfinite(made.uv).all()
