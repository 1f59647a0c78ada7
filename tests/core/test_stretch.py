"""Stretch against tabulated scale factors of map projections and against developable surfaces."""

import numpy as np
import pytest

from quilt_core.measure.stretch import measure_triangles, stretch_of

R = 6371.0

# Snyder 1987, Map Projections: A Working Manual, USGS Professional Paper 1395: for a sphere, scale
# factor
# h along the meridian and k along the parallel by latitude.
PROJECTIONS = {
    "equidistant cylindrical": (
        lambda lat, lon: (lon, lat),
        {0: (1, 1), 30: (1, 1.1547), 45: (1, 1.4142), 60: (1, 2)},
    ),
    "Mercator": (
        lambda lat, lon: (lon, np.log(np.tan(np.pi / 4 + lat / 2))),
        {0: (1, 1), 30: (1.1547, 1.1547), 45: (1.4142, 1.4142), 60: (2, 2)},
    ),
    "Lambert cylindrical equal-area": (
        lambda lat, lon: (lon, np.sin(lat)),
        {0: (1, 1), 30: (0.8660, 1.1547), 45: (0.7071, 1.4142), 60: (0.5, 2)},
    ),
    # k = 2 / (1 + sin phi)
    "polar stereographic": (
        lambda lat, lon: (
            2 * np.tan(np.pi / 4 - lat / 2) * np.sin(lon),
            -2 * np.tan(np.pi / 4 - lat / 2) * np.cos(lon),
        ),
        {90: (1, 1), 60: (1.0718, 1.0718), 30: (1.3333, 1.3333), 0: (2, 2)},
    ),
}


def patch(project, degrees, step=1e-4):
    """Two triangles of a sphere around a latitude, and their places on the map."""
    lat = np.radians(degrees) + np.array([-1, -1, 1, 1]) * step
    lon = 0.3 + np.array([-1, 1, 1, -1]) * step / max(np.cos(np.radians(degrees)), 1e-3)
    lat = np.minimum(lat, np.pi / 2)
    points = R * np.stack([np.cos(lat) * np.cos(lon), np.cos(lat) * np.sin(lon), np.sin(lat)], -1)
    uv = R * np.stack(project(lat, lon), -1)
    faces = np.array([(0, 1, 2), (0, 2, 3)])
    return uv[faces], points[faces]


@pytest.mark.parametrize(
    ("name", "degrees"), [(n, d) for n, (_, rows) in PROJECTIONS.items() for d in rows]
)
def test_singular_values_are_the_scale_factors_of_map_projections(name, degrees):
    project, rows = PROJECTIONS[name]
    found = measure_triangles(*patch(project, degrees))
    use = np.isfinite(found.high) & (found.area > 0)
    # The factors go from the sphere to the map, the singular values back: they are the inverses.
    h, k = rows[degrees]
    small, large = sorted((h, k))
    assert found.high[use] == pytest.approx(np.full(use.sum(), 1 / small), rel=4e-4)
    assert found.low[use] == pytest.approx(np.full(use.sum(), 1 / large), rel=4e-4)
    if name == "Mercator":
        assert found.high[use] / found.low[use] == pytest.approx(np.ones(use.sum()), abs=1e-3), (
            "conformal"
        )
    if name.endswith("equal-area"):
        assert found.area[use] == pytest.approx(np.abs(found.uv_area[use]), rel=4e-4)


def grid(rows, columns):
    """Triangles of a grid as indices, and the (rows + 1) x (columns + 1) parameters in 0 to 1."""
    s, t = np.meshgrid(np.linspace(0, 1, columns + 1), np.linspace(0, 1, rows + 1))
    number = np.arange((rows + 1) * (columns + 1)).reshape(rows + 1, columns + 1)
    a, b, c, d = number[:-1, :-1], number[:-1, 1:], number[1:, 1:], number[1:, :-1]
    faces = np.concatenate([np.stack([a, b, c], -1), np.stack([a, c, d], -1)]).reshape(-1, 3)
    return faces, s.ravel(), t.ravel()


def whole(uv, points):
    return stretch_of(measure_triangles(uv, points), np.zeros(len(uv), np.int64), 1)


def test_a_cylinder_flattens_without_stretch():
    faces, s, t = grid(4, 400)
    angle, radius, height = 2 * np.pi * s, 0.7, 2.0
    points = np.stack([radius * np.cos(angle), radius * np.sin(angle), height * t], -1)
    uv = np.stack([radius * angle, height * t], -1) * 512
    found = whole(uv[faces], points[faces])
    for value in (found.l2, found.linf, found.angle, found.area):
        assert value == pytest.approx([1.0], abs=1e-4)


def test_a_cone_flattens_without_stretch_into_a_sector_of_360_r_over_s():
    faces, s, t = grid(4, 400)
    radius, slant = 1.0, 2.5
    height = np.sqrt(slant**2 - radius**2)
    t = 0.2 + 0.8 * t
    angle = 2 * np.pi * s
    points = np.stack(
        [t * radius * np.cos(angle), t * radius * np.sin(angle), height * (1 - t)], -1
    )
    sector = angle * radius / slant
    assert np.degrees(sector.max()) == pytest.approx(360 * radius / slant)
    uv = np.stack([t * slant * np.cos(sector), t * slant * np.sin(sector)], -1)
    found = whole(uv[faces], points[faces])
    assert found.l2 == pytest.approx([1.0], abs=1e-4)
    assert found.linf == pytest.approx([1.0], abs=1e-3)


def test_a_square_drawn_twice_as_wide():
    # Sander et al. 2001: singular values at the set's own scale are sqrt(2) and 1 / sqrt(2).
    uv = np.array([[[0.0, 0], [2, 0], [2, 1]], [[0, 0], [2, 1], [0, 1]]])
    points = np.array([[[0.0, 0, 0], [1, 0, 0], [1, 1, 0]], [[0, 0, 0], [1, 1, 0], [0, 1, 0]]])
    found = whole(uv, points)
    assert found.l2 == pytest.approx([np.sqrt((2 + 0.5) / 2)])
    assert found.linf == pytest.approx([np.sqrt(2)])
    assert found.angle == pytest.approx([2.0])
    assert found.area == pytest.approx([1.0])


def test_collapsed_triangles_are_no_stretch_and_an_empty_group_has_none():
    uv = np.array([[[0.0, 0], [1, 0], [0, 1]], [[0, 0], [1, 0], [2, 0]]])
    points = np.array([[[0.0, 0, 0], [1, 0, 0], [0, 1, 0]]] * 2)
    figures = measure_triangles(uv, points)
    found = stretch_of(figures, np.array([0, 0]), 2)
    assert found.l2[0] == pytest.approx(1)
    assert np.isnan(found.l2[1])
    assert found.worst.tolist() == [0, -1]
    assert figures.uv_slim[1] == 0
    assert figures.slim[0] == pytest.approx(0.5), "a right triangle: height 1/sqrt(2) over sqrt(2)"


@pytest.mark.parametrize(
    ("corners", "slim"),
    [
        ([(0, 0), (2, 0), (1, np.sqrt(3))], np.sqrt(3) / 2),  # equilateral
        ([(0, 0), (3, 0), (0, 4)], 2.4 / 5),  # legs 3 and 4: height 2.4 over the longest edge 5
        ([(0, 0), (1, 0), (0.5, 0.01)], 0.01),
        ([(0, 0), (0.5, 0.01), (1, 0)], 0.01),
        ([(0, 0), (1, 1), (2, 2)], 0.0),
        ([(1, 1), (1, 1), (1, 1)], 0.0),
    ],
)
def test_slimness_is_height_over_longest_edge_in_both(corners, slim):
    """Elementary geometry."""
    flat = np.array([corners], float) * 7
    space = np.concatenate([flat[..., 1:], np.zeros((1, 3, 1)), flat[..., :1]], axis=2)
    figures = measure_triangles(flat, space)
    assert figures.uv_slim[0] == pytest.approx(slim, abs=1e-12)
    assert figures.slim[0] == pytest.approx(slim, abs=1e-7)


def test_areas_and_singular_values_of_random_triangles_are_those_of_numpy():
    rng = np.random.default_rng(2)
    uv, points = rng.normal(size=(50, 3, 2)), rng.normal(size=(50, 3, 3))
    figures = measure_triangles(uv, points)
    for n in range(50):
        e = (points[n, 1:] - points[n, 0]).T
        f = (uv[n, 1:] - uv[n, 0]).T
        assert figures.uv_area[n] == pytest.approx(0.5 * np.linalg.det(f))
        assert figures.area[n] == pytest.approx(0.5 * np.linalg.norm(np.cross(*e.T)))
        want = np.linalg.svd(e @ np.linalg.inv(f))[1]
        assert (figures.high[n], figures.low[n]) == pytest.approx(tuple(want))
