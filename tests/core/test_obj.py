"""OBJ in and out: nothing but vt lines and face indices may change."""

import re

import numpy as np
import pytest

from quilt_core.errors import FileFormatError
from quilt_core.formats import read_scene, write_scene
from quilt_core.scene import island_set
from tests.core.meshes import QUAD_OBJ


def read(data: bytes, **more):
    return read_scene("props.obj", data, **more)


def moved(scene, shift=0.25):
    return [obj.mesh.channels[0].per_corner + shift for obj in scene.objects]


def test_untouched_it_is_the_same_file():
    for data in (QUAD_OBJ, QUAD_OBJ.replace(b"\n", b"\r\n"), QUAD_OBJ.rstrip(b"\n")):
        scene = read(data)
        assert write_scene(scene, 0, [None, None])["props.obj"] == data
        same = [obj.mesh.channels[0].per_corner for obj in scene.objects]
        assert write_scene(scene, 0, same)["props.obj"] == data


def test_only_vt_lines_and_face_indices_change():
    data = QUAD_OBJ.replace(b"\n", b"\r\n")
    out = write_scene(read(data), 0, moved(read(data)))["props.obj"]
    strip = lambda text: [
        re.sub(rb"/\d*/", b"/", line) for line in text.splitlines() if not line.startswith(b"vt")
    ]
    assert strip(out) == strip(data)
    assert out.count(b"\r\n") == out.count(b"\n")


def test_objects_that_shared_vt_lines_can_part():
    scene = read(QUAD_OBJ)
    new = [scene.objects[0].mesh.channels[0].per_corner, scene.objects[1].mesh.channels[0].per_corner + 0.5]
    again = read(write_scene(scene, 0, new)["props.obj"])
    for obj, want in zip(again.objects, new, strict=True):
        assert obj.mesh.channels[0].per_corner == pytest.approx(want)


def test_names_materials_and_polygons_survive():
    scene = read(QUAD_OBJ)
    assert [obj.name for obj in scene.objects] == ["Left plate", "Right plate"]
    assert [m.name for m in scene.materials] == ["brass", "iron"]
    assert [obj.mesh.face_count for obj in scene.objects] == [1, 1]


DIALECTS = {
    "relative": QUAD_OBJ.replace(b"f 1/1/1 2/2/1 3/3/1 4/4/1", b"f -4/-4/-1 -3/-3/-1 -2/-2/-1 -1/-1/-1"),
    "continued": QUAD_OBJ.replace(b"2/2/1 3/3/1", b"2/2/1 \\\n 3/3/1"),
    "vertex colours": QUAD_OBJ.replace(b"v 1 1 0", b"v 1 1 0 0.5 0.5 0.5"),
    "groups only": QUAD_OBJ.replace(b"o Left plate", b"g Left plate").replace(
        b"o Right plate", b"g Right plate"
    ),
    "comments": QUAD_OBJ.replace(b"4/4/1\n", b"4/4/1 # the last\n", 1),
    "tabs": QUAD_OBJ.replace(b"v 1 0 0", b"v\t1\t0\t0"),
    "three numbers per vt": QUAD_OBJ.replace(b"vt 0.5 0\n", b"vt 0.5 0 0\n"),
}


@pytest.mark.parametrize("name", DIALECTS)
def test_dialects(name):
    scene = read(DIALECTS[name])
    assert [o.name for o in scene.objects] == ["Left plate", "Right plate"]
    assert island_set(scene.objects[0], 0, 1.0).uv_area == pytest.approx([0.25])
    again = read(write_scene(scene, 0, moved(scene))["props.obj"])
    assert again.objects[0].mesh.channels[0].per_corner == pytest.approx(moved(scene)[0])
    assert np.array_equal(again.objects[0].mesh.positions, scene.objects[0].mesh.positions)


def test_faces_without_vt_are_unflattened_and_stay_so():
    data = QUAD_OBJ.replace(b"f 5/1/1 6/2/1 7/3/1 8/4/1", b"f 5//1 6//1 7//1 8//1")
    scene = read(data)
    assert island_set(scene.objects[1], 0, 1.0).unflattened == (1,)
    assert b"f 5//1 6//1 7//1 8//1" in write_scene(scene, 0, [moved(scene)[0], None])["props.obj"]


def test_a_material_file_gives_colours_and_a_missing_one_a_word():
    scene = read(QUAD_OBJ, siblings=lambda name: b"newmtl brass\nKd 0.7 0.5 0.2\n")
    assert scene.materials[0].base_color == (0.7, 0.5, 0.2)
    assert "props.mtl" in read(QUAD_OBJ, siblings=lambda name: None).warnings[0]


BAD = {
    "no mesh": (b"Dear reader,\nthis is a letter.\n", "no vertex"),
    "no faces": (b"v 0 0 0\nv 1 0 0\n", "0 faces"),
    "binary": (b"v \0\0\0", "binary"),
    "out of range": (QUAD_OBJ.replace(b"f 5/1/1", b"f 55/1/1"), "asks for vertex 55, but the file has 8"),
    "vt out of range": (QUAD_OBJ.replace(b"f 5/1/1", b"f 5/9/1"), "texture coordinate 9"),
    "words for numbers": (QUAD_OBJ.replace(b"v 1 1 0", b"v 1 one 0"), "not a vertex"),
    "two corners": (QUAD_OBJ.replace(b"f 5/1/1 6/2/1 7/3/1 8/4/1", b"f 5 6"), "2 corners"),
    "bad corner": (QUAD_OBJ.replace(b"f 5/1/1", b"f 5/x/1"), "not a face corner"),
    "vertex zero": (QUAD_OBJ.replace(b"f 5/1/1", b"f 0/1/1"), "asks for vertex 0"),
    "empty": (b"", "empty"),
}


@pytest.mark.parametrize("name", BAD)
def test_bad_input_is_told_with_file_and_cure(name):
    data, said = BAD[name]
    with pytest.raises(FileFormatError) as caught:
        read(data)
    assert said in str(caught.value)
    assert caught.value.where.startswith("props.obj")
    assert caught.value.cure


def test_the_line_is_named():
    with pytest.raises(FileFormatError, match="line 7"):
        read(QUAD_OBJ.replace(b"v 1 1 0", b"v 1 one 0"))
