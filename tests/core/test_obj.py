"""OBJ in and out: nothing but vt lines and face indices may change."""

import re

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from quilt_core.errors import FileFormatError
from quilt_core.formats import read_scene, write_scene
from quilt_core.formats.obj_text import library_names
from quilt_core.scene import find_islands, island_set
from tests.core.examples import examples
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
    new = [
        scene.objects[0].mesh.channels[0].per_corner,
        scene.objects[1].mesh.channels[0].per_corner + 0.5,
    ]
    again = read(write_scene(scene, 0, new)["props.obj"])
    for obj, want in zip(again.objects, new, strict=True):
        assert obj.mesh.channels[0].per_corner == pytest.approx(want)


def test_names_materials_and_polygons_survive():
    scene = read(QUAD_OBJ)
    assert [obj.name for obj in scene.objects] == ["Left plate", "Right plate"]
    assert [m.name for m in scene.materials] == ["brass", "iron"]
    assert [obj.mesh.face_count for obj in scene.objects] == [1, 1]


DIALECTS = {
    "relative": QUAD_OBJ.replace(
        b"f 1/1/1 2/2/1 3/3/1 4/4/1", b"f -4/-4/-1 -3/-3/-1 -2/-2/-1 -1/-1/-1"
    ),
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
    "out of range": (
        QUAD_OBJ.replace(b"f 5/1/1", b"f 55/1/1"),
        "asks for vertex 55, but the file has 8",
    ),
    "vt out of range": (QUAD_OBJ.replace(b"f 5/1/1", b"f 5/9/1"), "texture coordinate 9"),
    "words for numbers": (QUAD_OBJ.replace(b"v 1 1 0", b"v 1 one 0"), "not a vertex"),
    "two corners": (
        QUAD_OBJ.replace(b"f 5/1/1 6/2/1 7/3/1 8/4/1", b"f 5 6").replace(
            b"f 1/1/1 2/2/1 3/3/1 4/4/1", b""
        ),
        "0 faces",
    ),
    "bad corner": (QUAD_OBJ.replace(b"f 5/1/1", b"f 5/x/1"), "not a face corner"),
    "vertex zero": (QUAD_OBJ.replace(b"f 5/1/1", b"f 0/1/1"), "asks for vertex 0"),
    "empty": (b"", "empty"),
}


@pytest.mark.parametrize("name", BAD)
def test_bad_input_is_told_with_file_and_fix(name):
    data, said = BAD[name]
    with pytest.raises(FileFormatError) as caught:
        read(data)
    assert said in str(caught.value)
    assert caught.value.where.startswith("props.obj")
    assert caught.value.fix


def test_the_line_is_named():
    with pytest.raises(FileFormatError, match="line 7"):
        read(QUAD_OBJ.replace(b"v 1 1 0", b"v 1 one 0"))


SHORT = b"v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\n"


def test_faces_of_two_corners_stay_in_the_file_and_are_counted():
    data = SHORT + b"f 1/1 2/2\nf 1/1 2/2 3/3\nf 2/2\nl 1/1 -1/-1\nf 1/1 3/3 4/4\n"
    scene = read_scene("a.obj", data)
    assert scene.objects[0].mesh.face_count == 2
    assert any("2 faces have fewer than three corners" in note for note in scene.warnings)
    new = np.array([[0.1, 0], [0.2, 0], [0.2, 0.1], [0.6, 0.5], [0.7, 0.6], [0.6, 0.6]])
    out = write_scene(scene, 0, [new])["a.obj"]
    again = read_scene("a.obj", out)
    assert again.objects[0].mesh.channels[0].per_corner == pytest.approx(new)
    # What is kept still points at the vt lines of the file as it was, wherever they stand now.
    vt = [line for line in out.splitlines() if line.startswith(b"vt")]
    (line,) = [line for line in out.splitlines() if line.startswith(b"l ")]
    pointed = [vt[int(end.split(b"/")[1]) - 1] for end in line.split()[1:]]
    assert pointed == [b"vt 0.1 0", b"vt 0.6 0.6"], "the first and the last, as they were moved"


def test_a_file_that_nothing_changed_comes_back_as_the_same_bytes():
    text = "\ufeff" + SHORT.decode() + "f 1/1 2/2 3/3\n"
    for data in (
        text.encode("utf-8"),
        text[1:].encode("utf-16"),
        SHORT.replace(b"\n", b"\r") + b"f 1/1 2/2 3/3",
    ):
        scene = read_scene("a.obj", data)
        assert scene.objects[0].mesh.face_count == 1
        assert write_scene(scene, 0, [None])["a.obj"] == data


@pytest.mark.parametrize(
    ("line", "said"),
    [
        (b"f 1/1 2/2 99999999999999999999/3\n", "99999999999999999999"),
        (b"f 1/1 2/2 -99999999999999999999\n", "corner"),
    ],
)
def test_indices_beyond_all_measure_are_told(line, said):
    with pytest.raises(FileFormatError, match="line 9"):
        read_scene("a.obj", SHORT + line)


def test_numbers_written_in_any_way_and_beyond_all_measure():
    data = (
        SHORT.replace(b"vt 1 1", b"vt 1.e0 .1e+1 0").replace(b"v 1 1 0", b"v 1 1 0 0.5 0.5 0.5")
        + b"s 99999999999999999999\n"
    )
    scene = read_scene("a.obj", data + b"f 1/1 2/2 3/3\nf 1/1 3/3 4/4\n")
    assert scene.objects[0].mesh.channels[0].coords[2].tolist() == [1, 1]
    far = read_scene(
        "a.obj", SHORT.replace(b"vt 1 1", b"vt 1e308 1") + b"f 1/1 2/2 3/3\nf 1/1 2/2 4/4\n"
    )
    assert find_islands(
        far.objects[0].mesh, far.objects[0].mesh.channels[0]
    ).face_island.tolist() == [-1, 0]
    new = np.array([[np.nan, np.nan]] * 3 + [[0.1, 0], [0.2, 0], [0.1, 0.1]])
    assert b"1e308" in write_scene(far, 0, [new])["a.obj"]
    again = read_scene("a.obj", write_scene(far, 0, [new])["a.obj"])
    assert again.objects[0].mesh.channels[0].corner_uv[2] >= 0, (
        "the broken corner still has its texture coordinate"
    )


def test_blank_and_indented_lines_are_what_they_are():
    text = b"\n  v 0 0 0\n\t v 1 0 0\r\n \nv 1 1 0\nvt 0 0\n\nvt 1 0\n\nvt 1 1\n \nf 1/1 2/2 3/3\n"
    mesh = read_scene("blank.obj", text).objects[0].mesh
    assert mesh.positions.tolist() == [[0, 0, 0], [1, 0, 0], [1, 1, 0]]
    assert mesh.channels[0].per_corner.tolist() == [[0, 0], [1, 0], [1, 1]]


CAREFUL = b" # so"


@settings(max_examples=examples(100))
@given(
    st.lists(st.tuples(*[st.floats(-1e9, 1e9)] * 3), min_size=3, max_size=12),
    st.sampled_from(["{0}", "{0}/{0}", "{0}//1", "{0}/{0}/1", "-{0}", "-{0}/-{0}"]),
    st.sampled_from([" ", "\t", "  "]),
    st.sampled_from(["\n", "\r\n"]),
    st.booleans(),
)
def test_many_lines_at_once_are_read_as_one_by_one(points, form, apart, end, colours):
    """A remark behind a line makes the reader take it word by word."""
    more = [0.5, 0.25, 1] if colours else []
    lines = [["v", *map(repr, [*p, *more])] for p in points]
    lines += [["vt", repr(x), repr(y)] for x, y, _ in points]
    lines += [["vn", "0", "0", "1"]]
    lines += [["f", *(form.format(k) for k in (1 + at, 2 + at, 3 + at))] for at in range(len(points) - 2)]  # fmt: skip
    plain = [apart.join(line).encode() for line in lines]
    one, other = (
        read_scene("a.obj", b"".join(line + remark + end.encode() for line in plain))
        for remark in (b"", CAREFUL)
    )
    one_mesh, other_mesh = one.objects[0].mesh, other.objects[0].mesh
    for name in ("positions", "corner_vertex", "face_offsets", "corner_normal"):
        np.testing.assert_array_equal(getattr(one_mesh, name), getattr(other_mesh, name))
    np.testing.assert_array_equal(
        one_mesh.channels[0].per_corner, other_mesh.channels[0].per_corner
    )


@pytest.mark.parametrize(
    "text, names",
    [
        (b"mtllib a b.mtl\nv 0 0 0\n", ["a b.mtl"]),
        (b"\xef\xbb\xbfmtllib a.mtl\r\n \tmtllib b.mtl\r\n", ["a.mtl", "b.mtl"]),
        (b"v 0 0 0\rmtllib c.mtl\rv 1 0 0\r", ["c.mtl"]),
        (b"# mtllib no.mtl\no mtllib no.mtl\nmtllib\n", []),
        (b"mtllib last.mtl", ["last.mtl"]),
        (b"", []),
    ],
)
def test_material_files_are_found_by_their_lines(text, names):
    assert library_names(text) == names


def test_a_hostile_row_of_material_files_is_read_in_one_go():
    """Each is looked at by itself: work grows with the text."""
    assert library_names(b"mtllib\r" * 200_000) == []
    assert len(library_names(b"mtllib a\r" * 100_000)) == 100_000
