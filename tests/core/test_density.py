"""Texel density. Source of the values: arithmetic."""

import numpy as np
import pytest

from quilt_core.formats import read_scene
from quilt_core.measure import equalize, island_densities, set_density
from quilt_core.measure.density import density, flat_faces
from quilt_core.scene import concatenate, island_set
from quilt_core.scene.placement import identity
from tests.core.meshes import QUAD_OBJ, UVS, plain_glb

METRE_SQUARE = QUAD_OBJ.replace(b"0.5", b"1")


def first(data: bytes, name: str = "a.obj", metres: float = 1.0):
    scene = read_scene(name, data, obj_metres_per_unit=metres)
    return island_set(scene.objects[0], 0, scene.metres_per_unit)


def test_a_metre_square_that_fills_a_1024_tile_has_1024_px_per_metre():
    islands = first(METRE_SQUARE)
    assert island_densities(islands, identity(1), 1024, 1024) == pytest.approx([1024])
    assert island_densities(islands, identity(1), 2048, 2048) == pytest.approx([2048])


def test_half_the_uv_edge_is_half_the_density():
    assert island_densities(first(QUAD_OBJ), identity(1), 1024, 1024) == pytest.approx([512])


def test_the_same_surface_reads_a_hundred_times_less_per_centimetre():
    per_metre = island_densities(first(METRE_SQUARE), identity(1), 1024, 1024)[0]
    in_centimetres = first(METRE_SQUARE, metres=0.01)
    assert island_densities(in_centimetres, identity(1), 1024, 1024)[0] == pytest.approx(
        100 * per_metre
    )


def test_width_and_height_of_the_tile_count_as_their_product():
    assert density(np.array([1.0]), np.array([1.0]), 2048, 512)[0] == pytest.approx(1024)


def test_collapsed_faces_have_no_density():
    assert np.isnan(density(np.array([0.0, 1.0]), np.array([1.0, 0.0]), 64, 64)).all()


def test_of_a_set_it_is_the_root_of_the_ratio_of_sums():
    islands = concatenate([first(METRE_SQUARE), first(QUAD_OBJ)])
    assert set_density(islands, identity(2), 1024, 1024) == pytest.approx(
        1024 * np.sqrt((1 + 0.25) / 2)
    )


def test_texture_transform_changes_the_density_that_is_seen():
    """Khronos extension text KHR_texture_transform: uv' = T R S uv."""
    info = {
        "index": 0,
        "extensions": {
            "KHR_texture_transform": {"scale": [2, 2], "rotation": 0.5, "offset": [0.1, 0.2]}
        },
    }
    more = {"materials": [{"pbrMetallicRoughness": {"baseColorTexture": info}}], "textures": [{}]}
    plain, seen = first(plain_glb(), "a.glb"), first(plain_glb(**more), "a.glb")
    assert island_densities(seen, identity(1), 1024, 1024)[0] == pytest.approx(
        2 * island_densities(plain, identity(1), 1024, 1024)[0]
    )


def test_of_instances_with_scale_the_least_dense_decides():
    nodes = [{"mesh": 0}, {"mesh": 0, "scale": [3, 3, 3]}]
    islands = first(plain_glb(nodes=nodes, scenes=[{"nodes": [0, 1]}]), "a.glb")
    assert islands.world_area == pytest.approx([9])
    assert len(UVS) == 4


class TestEqualize:
    @pytest.fixture
    def islands(self):
        return concatenate([first(METRE_SQUARE), first(QUAD_OBJ)])

    def test_to_a_number(self, islands):
        out = equalize(islands, identity(2), 1024, 1024, 300.0)
        assert island_densities(islands, out, 1024, 1024) == pytest.approx([300, 300])

    def test_to_the_average_keeps_the_total_uv_area(self, islands):
        out = equalize(islands, identity(2), 1024, 1024)
        assert np.abs(islands.placed(out).uv_area).sum() == pytest.approx(1.25)
        assert np.ptp(island_densities(islands, out, 1024, 1024)) == pytest.approx(0, abs=1e-9)

    def test_weights_make_exceptions(self, islands):
        out = equalize(islands, identity(2), 1024, 1024, 100.0, np.array([2.0, 1.0]))
        assert island_densities(islands, out, 1024, 1024) == pytest.approx([200, 100])

    def test_per_object_keeps_each_objects_average(self, islands):
        out = equalize(islands, identity(2), 1024, 1024, per_object=True)
        assert island_densities(islands, out, 1024, 1024) == pytest.approx([1024, 512])

    def test_only_the_chosen_islands_change_and_middles_stay(self, islands):
        out = equalize(islands, identity(2), 1024, 1024, 64.0, which=np.array([False, True]))
        assert np.array_equal(out[0], identity(1)[0])
        before, after = islands.bounds()[1], islands.placed(out).bounds()[1]
        assert before[:2] + before[2:] == pytest.approx(after[:2] + after[2:])


def test_faces_without_an_area_are_counted_wherever_they_lie():
    """Three points on a line have no area, also far from the origin (arithmetic)."""
    flat = np.array([[0.0, 0.0, 0.0], [1.0, 2.0, 3.0], [2.0, 4.0, 6.0]]) + [5.0, -7.0, 11.0]
    bent = flat + np.array([[0, 0, 0], [0, 0, 0], [1.0, 0, 0]])
    uv = np.array([[0.0, 0.0], [1.0, 0.0], [0.0, 1.0]]) + 3.0
    line = np.array([[0.0, 0.0], [1.0, 1.0], [2.0, 2.0]]) + 3.0
    for uvs, points, expected in (
        ([uv, uv], [bent, bent], 0),
        ([uv, uv], [flat, bent], 1),
        ([line, uv], [bent, bent], 1),
        ([line, uv], [flat, flat], 2),
    ):
        assert flat_faces(np.array(uvs), np.array(points), np.array([0, 1])) == expected
    # Of two triangles of one face one is enough.
    assert flat_faces(np.array([line, uv]), np.array([flat, bent]), np.array([4, 4])) == 0
