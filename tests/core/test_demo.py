"""The demo: flattened without stretch, and with the faults it has on purpose."""

import numpy as np
import pytest

from demo.diorama import files
from demo.islands import band, disk, gear, ring, strip
from quilt_core.check import Rules, check_layout
from quilt_core.formats import read_scene
from quilt_core.measure import measure
from quilt_core.measure.density import face_densities
from quilt_core.scene import TileSize, concatenate, island_set, join_surfaces, read_surface
from quilt_core.scene.placement import identity

pytestmark = pytest.mark.slow


@pytest.fixture(scope="module")
def scenes():
    made = files()
    return [
        read_scene(name, made[name], made.get)
        for name in ("lighthouse.glb", "yard.obj", "lamps.glb")
    ]


def edge_lengths(island):
    pairs = [(f[k], f[(k + 1) % len(f)]) for f in island.faces for k in range(len(f))]
    a, b = np.array(pairs).T
    return np.linalg.norm(island.points[a] - island.points[b], axis=1), np.linalg.norm(
        island.flat[a] - island.flat[b], axis=1
    )


@pytest.mark.parametrize(
    "island",
    [
        band(1.0, 1.0, 0, 2),
        band(1.0, 0.4, 0, 1.5),
        band(0.3, 0.9, 0, 0.5),
        disk(1.0),
        ring(0.5, 1.0),
        gear(1.0, 0.4, 8),
    ],
)
def test_developable_surfaces_are_flattened_without_stretch(island):
    """Elementary geometry: a cylinder and a cone flatten with all lengths kept."""
    in_space, flat = edge_lengths(island)
    assert flat == pytest.approx(in_space, rel=1e-9)


def test_a_cone_s_sector_angle_is_360_degrees_times_radius_over_slant():
    island = band(0.5, 1e-9, 0, 1.2, sides=720)
    tip = island.flat[-1]
    first, last = island.flat[0] - tip, island.flat[720] - tip
    angle = np.degrees(np.arccos(first @ last / np.linalg.norm(first) / np.linalg.norm(last)))
    slant = np.hypot(0.5, 1.2)
    assert angle == pytest.approx(360 * 0.5 / slant, abs=0.05)


def test_a_strip_is_as_long_as_its_path():
    path = np.column_stack([np.linspace(0, 3, 10), np.zeros(10), np.zeros(10)])
    island = strip(0.2, path, np.array([0.0, 1.0, 0.0]))
    assert np.ptp(island.flat[:, 0]) == pytest.approx(3)


def test_the_faults_are_there(scenes):
    sets = [island_set(o, 0, 1.0) for scene in scenes for o in scene.objects]
    islands = concatenate(sets)
    figures = measure(islands, identity(islands.count), 2048, 2048)
    known = figures.density[~figures.collapsed]
    assert 150 <= islands.count <= 300
    assert known.max() / known.min() > 10, "uneven density"
    assert len(figures.overlaps.pairs) > 100
    assert figures.outside.sum() >= 2
    assert figures.mirrored.sum() >= 2
    assert sum(n > 0 for n in islands.unflattened) == 1


def test_the_faults_that_only_proving_sees_are_there(scenes):
    parts = [read_surface(o, 0, s.metres_per_unit, s.materials) for s in scenes for o in s.objects]
    islands = concatenate([p[0] for p in parts])
    surface = join_surfaces([p[1] for p in parts], [p[0].count for p in parts])
    names = [o.name for s in scenes for o in s.objects]
    tile = (TileSize(1001, 2048, 2048),)
    checked = check_layout(
        islands, surface, identity(islands.count), tile, names, Rules(house_density=128.0)
    )
    assert {"hard edge", "stretch", "duplicate vertices", "far away", "without UVs"} <= set(
        checked.totals
    )
    assert {f.object for f in checked.findings if f.kind == "hard edge"} == {"Quay crates"}
    assert {f.object for f in checked.findings if f.kind == "stretch"} == {"Notice board"}


def test_duplicates_have_equal_topology(scenes):
    drums = [o.mesh for o in scenes[1].objects if o.name.startswith("Oil drum")]
    assert len(drums) == 3
    for drum in drums[1:]:
        assert np.array_equal(drum.face_offsets, drums[0].face_offsets)


def test_polygons_stay_polygons(scenes):
    winch = next(o.mesh for o in scenes[1].objects if o.name == "Signal winch")
    assert np.diff(winch.face_offsets).max() > 4


def test_density_per_face_is_that_of_its_island(scenes):
    lamp = scenes[2].objects[0]
    per_face = face_densities(lamp, 0, 1.0, 2048, 2048)
    assert per_face.shape == (lamp.mesh.face_count,)
    assert per_face == pytest.approx(np.full(len(per_face), np.nanmean(per_face)), rel=1e-3)


def test_pictures_of_both_sizes_are_there():
    import io

    from PIL import Image

    sizes = {
        Image.open(io.BytesIO(data)).size for name, data in files().items() if name.endswith(".png")
    }
    assert sizes == {(512, 512), (1024, 1024)}
