"""Random layouts through the writers and back: what was laid out is what is read."""

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from quilt_core.formats import read_scene, write_scene
from quilt_core.formats.gltf_build import Node, Primitive, build_glb
from quilt_core.scene import apply_placements, compose, find_islands, island_set
from quilt_core.scene.placement import determinants, identity
from tests.core.corners import object_corner_uvs
from tests.core.examples import examples

pytestmark = pytest.mark.slow


def random_obj(rng: np.random.Generator) -> bytes:
    """Grids of quads and triangles in several objects that share vt lines across islands and
    objects."""
    lines = ["mtllib made up.mtl"]
    n = int(rng.integers(2, 5))
    v = 0
    lines += [f"vt {x / n:.4f} {y / n:.4f}" for y in range(n + 1) for x in range(n + 1)]
    for number in range(int(rng.integers(1, 4))):
        lines += [f"o part {number}", "usemtl tin", "s off"]
        lines += [f"v {x} {y} {number}" for y in range(n + 1) for x in range(n + 1)]
        for y in range(n):
            for x in range(n):
                if rng.random() < 0.25:
                    continue
                a = y * (n + 1) + x
                quad = [a, a + 1, a + n + 2, a + n + 1]
                written = [f"{q + 1 + v}/{q + 1}" for q in quad]
                if rng.random() < 0.3:
                    lines += [
                        "f " + " ".join(written[:3]),
                        "f " + " ".join([written[0], *written[2:]]),
                    ]
                else:
                    lines.append("f " + " ".join(written))
        lines.append(f"f {v + 1}/1 {v + 2}/2 {v + n + 3}/{n + 3}")
        v += (n + 1) ** 2
    return "\n".join(lines).encode() + b"\n"


def random_placements(rng: np.random.Generator, count: int) -> np.ndarray:
    out = identity(count)
    angle, scale = rng.uniform(0, 7, count), rng.uniform(0.1, 2, count)
    out[:, 0, 0] = out[:, 1, 1] = np.cos(angle) * scale
    out[:, 0, 1], out[:, 1, 0] = -np.sin(angle) * scale, np.sin(angle) * scale
    out[:, :, 2] = rng.uniform(-2, 2, (count, 2))
    still = rng.random(count) < 0.2
    out[still] = identity(1)[0]
    return out


@settings(max_examples=examples(50))
@given(st.integers(0, 10**6), st.booleans())
def test_obj(seed, windows):
    rng = np.random.default_rng(seed)
    data = random_obj(rng).replace(b"\n", b"\r\n") if windows else random_obj(rng)
    scene = read_scene("a.obj", data)
    wanted = []
    for obj in scene.objects:
        islands = find_islands(obj.mesh, obj.mesh.channels[0])
        placements = random_placements(rng, islands.count)
        wanted.append((object_corner_uvs(obj, 0, placements), islands, placements))
    out = write_scene(scene, 0, [w[0] for w in wanted])["a.obj"]
    again = read_scene("a.obj", out)
    keep = lambda text: [line for line in text.splitlines() if line[:2] not in (b"vt", b"f ")]
    assert keep(out) == keep(data)
    for obj, old, (_, islands, placements) in zip(
        again.objects, scene.objects, wanted, strict=True
    ):
        which = islands.face_island[old.mesh.corner_face]
        want = apply_placements(old.mesh.channels[0].per_corner, which, placements)
        assert obj.mesh.channels[0].per_corner == pytest.approx(want, rel=1e-8, abs=1e-9)
        assert np.array_equal(obj.mesh.positions, old.mesh.positions)
        assert np.array_equal(obj.mesh.face_offsets, old.mesh.face_offsets)


@settings(max_examples=examples(40))
@given(st.integers(0, 10**6))
def test_glb(seed):
    """Triangles that share vertices at random: islands that meet in points must part."""
    rng = np.random.default_rng(seed)
    n = int(rng.integers(3, 7))
    grid = np.array([(x, y) for y in range(n) for x in range(n)], np.float32)
    cells = [
        (y * n + x, y * n + x + 1, (y + 1) * n + x + 1) for y in range(n - 1) for x in range(n - 1)
    ]
    chosen = [c for c in cells if rng.random() < 0.7] or cells[:1]
    points = np.column_stack([grid, np.zeros(len(grid))]).astype(np.float32)
    primitive = Primitive(
        {"POSITION": points, "TEXCOORD_0": grid / n}, np.array(chosen, np.uint16).ravel()
    )
    scene = read_scene("a.glb", build_glb([Node("Net", -1, None, 0)], [("net", [primitive])]))
    islands = find_islands(scene.objects[0].mesh, scene.objects[0].mesh.channels[0])
    placements = random_placements(rng, islands.count)
    new = object_corner_uvs(scene.objects[0], 0, placements)
    again = read_scene("a.glb", write_scene(scene, 0, [new])["a.glb"]).objects[0].mesh
    old = scene.objects[0].mesh
    want = apply_placements(
        old.channels[0].per_corner, islands.face_island[old.corner_face], placements
    )
    assert again.channels[0].per_corner == pytest.approx(want, abs=1e-6)
    assert np.array_equal(again.positions[again.corner_vertex], old.positions[old.corner_vertex])


@settings(max_examples=examples(50))
@given(st.integers(0, 10**6))
def test_placements_compose(seed):
    rng = np.random.default_rng(seed)
    first, second = random_placements(rng, 5), random_placements(rng, 5)
    points, which = rng.normal(size=(20, 2)), rng.integers(-1, 5, 20)
    both = apply_placements(points, which, compose(second, first))
    assert both == pytest.approx(
        apply_placements(apply_placements(points, which, first), which, second)
    )
    assert determinants(compose(second, first)) == pytest.approx(
        determinants(first) * determinants(second)
    )


@settings(max_examples=examples(30))
@given(st.integers(0, 10**6), st.floats(0.2, 5))
def test_density_follows_a_uniform_scale_of_the_world(seed, factor):
    """Arithmetic: the same layout on a surface k times as long has 1 / k of the density."""
    data = random_obj(np.random.default_rng(seed))
    small = read_scene("a.obj", data, obj_metres_per_unit=1.0)
    large = read_scene("a.obj", data, obj_metres_per_unit=factor)
    for a, b in zip(small.objects, large.objects, strict=True):
        assert island_set(b, 0, factor).world_area == pytest.approx(
            island_set(a, 0, 1.0).world_area * factor**2
        )
