"""Faults of meshes: cases worked out by hand, and a real file counted once more in plain Python."""

import io
from collections import Counter
from pathlib import Path

import numpy as np
import pytest

from quilt_core.document.base import base_arrays, base_bytes, read_base, surface_from
from quilt_core.document.base_checks import check_arrays
from quilt_core.formats import read_scene
from quilt_core.scene import read_surface
from quilt_core.scene.island_set import object_size
from quilt_core.scene.surface import ADDED_LATER
from tests.core.meshes import POINTS, UVS, plain_glb
from tests.core.test_check import of_kind, prove_file

BOX = """v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
v 0 0 1
v 1 0 1
v 1 1 1
v 0 1 1
"""
SIDES = ["4 3 2 1", "5 6 7 8", "1 2 6 5", "2 3 7 6", "3 4 8 7", "4 1 5 8"]


def box(*faces: str, more: str = "") -> bytes:
    lines = "".join(f"f {row}\n" for row in (*SIDES, *faces))
    return (BOX + more + lines).encode()


def faults(data: bytes, name: str = "box.obj"):
    (one,) = read_scene(name, data).objects
    return read_surface(one, 0, 1.0)[1]


def test_a_closed_box_has_none():
    surface = faults(box())
    assert surface.faults.tolist() == [[0, 0, 0, 0]]
    assert not len(surface.wound) and not len(surface.open) and not len(surface.many)


def test_a_box_without_its_lid_has_one_open_border_of_four_edges():
    data = BOX + "".join(f"f {row}\n" for row in SIDES[:1] + SIDES[2:])
    surface = faults(data.encode())
    assert surface.faults.tolist() == [[0, 4, 1, 0]]
    assert surface.open.tolist() == [1, 2, 3, 4]  # all but the bottom


def test_an_inner_wall_makes_its_two_edges_non_manifold():
    # A wall across the box from edge 1-5 to edge 3-7: both of these have three faces then, and
    # its edges in bottom and top are its alone.
    surface = faults(box("1 3 7 5"))
    assert surface.faults.tolist() == [[2, 2, 2, 0]]
    assert surface.many.tolist() == [2, 3, 4, 5, 6]


@pytest.mark.parametrize("turned", [[1], [0, 3], [2, 4]])
def test_the_faces_that_run_the_other_way_are_told(turned):
    rows = [" ".join(reversed(row.split())) if k in turned else row for k, row in enumerate(SIDES)]
    surface = faults((BOX + "".join(f"f {row}\n" for row in rows)).encode())
    assert surface.wound.tolist() == turned


def test_a_strip_with_one_twist_has_no_right_side():
    angles = np.linspace(0, 2 * np.pi, 12, endpoint=False)
    points = [
        ((1 + 0.3 * s * np.cos(a / 2)) * np.cos(a), (1 + 0.3 * s * np.cos(a / 2)) * np.sin(a),
         0.3 * s * np.sin(a / 2))
        for a in angles for s in (-1, 1)
    ]  # fmt: skip
    faces = [(2 * k + 1, 2 * k + 2, 2 * k + 4, 2 * k + 3) for k in range(11)] + [(23, 24, 1, 2)]
    text = "".join("v {} {} {}\n".format(*p) for p in points)
    text += "".join("f {} {} {} {}\n".format(*f) for f in faces)
    surface = faults(text.encode())
    assert not len(surface.wound)
    assert surface.faults.tolist() == [[0, 24, 1, 0]]  # a Moebius strip has one border


def test_both_sides_of_a_card_and_faces_in_one_another_count_once():
    card = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nf 1 2 3 4\nf 4 3 2 1\nf 2 3 4 1\n"
    surface = faults(card.encode())
    assert surface.faults.tolist() == [[0, 4, 1, 0]] and not len(surface.wound)


def test_vertices_that_nothing_uses():
    # Two more vertices; a line uses one of them.
    surface = faults(box(more="v 5 5 5\nv 6 6 6\nl 1 9\n"))
    assert surface.faults.tolist() == [[0, 0, 0, 1]]
    checked = prove_file("box.obj", box(more="v 5 5 5\nv 6 6 6\nv 7 7 7\n"))
    (found,) = of_kind(checked, "loose vertices")
    assert found.amount == 3 and "3 vertices lie where no face or line uses them" in found.text


def test_what_a_check_says():
    checked = prove_file("box.obj", box("1 3 7 5"))
    (many,) = of_kind(checked, "non-manifold")
    assert many.text == "2 edges of more than two faces" and many.severity == "warning"
    assert many.faces == (2, 3, 4, 5, 6)
    (hole,) = of_kind(checked, "hole")
    assert hole.text == "2 open borders of 2 edges" and hole.severity == "hint"
    assert not of_kind(checked, "uneven scale") and not of_kind(checked, "winding")


def test_a_scale_that_differs_along_the_axes_is_told():
    even, uneven = (
        prove_file("plate.glb", plain_glb(nodes=[{"name": "Plate", "mesh": 0, "scale": scale}]))
        for scale in ([2, 2, 2], [2, 1, 0.5])
    )
    assert not of_kind(even, "uneven scale")
    (found,) = of_kind(uneven, "uneven scale")
    assert found.text == "scaled by 2 x 1 x 0.5: 4 times as much one way as another"


REAL = Path("/usr/share/assimp/models/OBJ")


@pytest.mark.skipif(not REAL.exists(), reason="needs Debian's assimp-testmodels")
@pytest.mark.parametrize("name", ["WusonOBJ.obj", "spider.obj", "regr01.obj"])
def test_open_edges_of_real_files_are_those_counted_in_plain_python(name):
    scene = read_scene(name, (REAL / name).read_bytes())
    for one in scene.objects:
        mesh = one.mesh
        if len({tuple(p) for p in mesh.positions.tolist()}) != len(mesh.positions):
            continue  # which vertices count as one is another test's
        surface = read_surface(one, 0, 1.0, scene.materials)[1]
        out = {*surface.duplicate.tolist(), *surface.backs.tolist()}
        sharing: Counter[tuple[int, int]] = Counter()
        for f in range(mesh.face_count):
            ring = mesh.corner_vertex[mesh.face_offsets[f] : mesh.face_offsets[f + 1]].tolist()
            if f in out or len(set(ring)) < len(ring):
                continue
            sharing.update(
                (min(a, b), max(a, b)) for a, b in zip(ring, ring[1:] + ring[:1], strict=True)
            )
        assert surface.faults[0, 0] == sum(n > 2 for n in sharing.values())
        assert surface.faults[0, 1] == sum(n == 1 for n in sharing.values())


def test_a_vertex_of_a_glb_that_no_index_names_is_loose():
    more = np.vstack([POINTS, [[9, 9, 9]]]).astype("<f4")
    surface = faults(plain_glb(np.vstack([UVS, [[0, 0]]]).astype("<f4"), more), "plate.glb")
    assert surface.faults.tolist() == [[0, 4, 1, 1]]


def test_an_older_base_layout_says_nothing_of_them():
    scene = read_scene("box.obj", box("1 3 7 5"))
    (one,) = scene.objects
    data = base_bytes(one, read_base(one, 0, scene, 1e-5))
    with np.load(io.BytesIO(data)) as found:
        older = {n: a for n, a in found.items() if n.removeprefix("surface_") not in ADDED_LATER}
    assert len(older) < len(base_arrays(data))
    out = io.BytesIO()
    np.savez(out, **older)
    arrays = check_arrays(out.getvalue(), 0, 7, 7, "box.quilt")
    assert surface_from(arrays).faults.tolist() == [[0, 0, 0, 0]]


def test_sizes_are_along_the_object_s_own_axes_where_it_stands_largest():
    def node(**more):
        return read_scene("plate.glb", plain_glb(nodes=[{"name": "Plate", "mesh": 0, **more}]))

    # A plate of 1 x 1; turned by 30 degrees about Z it is as large as before.
    turned = [0, 0, np.sin(np.radians(15)), np.cos(np.radians(15))]
    for more, size in (
        ({}, [1, 1, 0]),
        ({"rotation": turned}, [1, 1, 0]),
        ({"scale": [2, 0.5, 1]}, [2, 0.5, 0]),
        ({"rotation": turned, "scale": [2, 0.5, 1]}, [2, 0.5, 0]),
    ):
        (one,) = node(**more).objects
        np.testing.assert_allclose(object_size(one, 1.0), size, atol=1e-6)
        np.testing.assert_allclose(object_size(one, 0.001), np.array(size) / 1000, atol=1e-9)
