"""UVs that were laid out for images that are not square: what they mean is known by
construction."""

import io
import json
import math
import struct

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from quilt_cli.main import main
from quilt_core.formats import read_scene
from quilt_core.formats._images import image_size, mtl_image
from quilt_core.measure import equalize, island_densities
from quilt_core.measure.stretch import measure_triangles, stretch_of
from quilt_core.pack import PackSettings, pack_islands
from quilt_core.scene import read_surface
from quilt_core.scene.placement import identity
from quilt_core.scene.proportion import in_shape, suggested_proportion
from tests.core.meshes import POINTS, glb_of, json_of, plain_glb

WIDE, HIGH = 853, 1461
"""An image of a real prop had this size."""


def image(width=WIDE, height=HIGH, kind="PNG"):
    out = io.BytesIO()
    Image.new("RGB", (width, height)).save(out, kind)
    return out.getvalue()


def laid_out_for(width, height, turn=0.0):
    """UVs of the unit square of `POINTS`, 300 px a metre in an image of that size, turned
    there."""
    c, s = math.cos(turn), math.sin(turn)
    px = POINTS[:, :2] @ np.array([[c, s], [-s, c]]) * 300
    px = px - px.min(axis=0) + 20
    return np.stack([px[:, 0] / width, 1 - px[:, 1] / height], axis=1).astype("<f4")


def obj_text(width, height):
    uv = laid_out_for(width, height)
    rows = [f"v {x} {y} {z}" for x, y, z in POINTS.tolist()] + [
        f"vt {u} {1 - v}" for u, v in uv.tolist()
    ]
    return "\n".join(["mtllib prop.mtl", "usemtl skin", *rows, "f 1/1 2/2 3/3 4/4\n"]).encode()


MTL = b"newmtl other\nmap_Kd nothing.png\nnewmtl skin\nKd 1 1 1\nmap_Kd -s 1 1 1 -clamp on skin one.png\n"


def painted_glb():
    """A quad with a material whose base colour is the side file skin.png."""
    data = plain_glb(laid_out_for(WIDE, HIGH))
    doc = json_of(data)
    doc["meshes"][0]["primitives"][0]["material"] = 0
    doc |= {
        "materials": [{"pbrMetallicRoughness": {"baseColorTexture": {"index": 0}}}],
        "textures": [{"source": 0}], "images": [{"uri": "skin.png"}],
    }  # fmt: skip
    start = 20 + struct.unpack_from("<I", data, 12)[0] + 8
    return glb_of(doc, data[start : start + doc["buffers"][0]["byteLength"]])


def stretch_in(islands, surface, placements, width, height):
    uv = islands.placed(placements).triangles * np.array([width, height])
    found = stretch_of(
        measure_triangles(uv, surface.points), islands.triangle_island, islands.count
    )
    return float(found.l2[0])


@pytest.mark.parametrize("kind", ["obj", "glb"])
def test_the_proportions_come_from_the_object_s_own_picture(kind):
    if kind == "obj":
        files = {"prop.mtl": MTL, "skin one.png": image()}
        scene = read_scene("prop.obj", obj_text(WIDE, HIGH), files.get)
    else:
        scene = read_scene("prop.glb", painted_glb(), {"skin.png": image()}.get)
    assert scene.materials[0].image == (WIDE, HIGH)
    islands, surface = read_surface(scene.objects[0], 0, 1.0, scene.materials)
    assert islands.proportion.tolist() == pytest.approx([WIDE / HIGH])
    square = identity(1)
    assert stretch_in(islands, surface, square, WIDE, HIGH) == pytest.approx(1.0, abs=1e-5)
    assert stretch_in(islands, surface, square, 1024, 1024) > 1.05
    evened = equalize(islands, square, 1024, 1024, 200.0)
    assert stretch_in(islands, surface, evened, 1024, 1024) == pytest.approx(1.0, abs=1e-5)
    assert island_densities(islands, evened, 1024, 1024)[0] == pytest.approx(200.0)
    assert np.allclose(equalize(islands, evened, 1024, 1024, 200.0), evened), (
        "doing it twice changes nothing"
    )
    settings = PackSettings(1024, 512, 4.0, 4.0, effort="quick")
    *_, (_, packed, _) = pack_islands(islands, square, settings)
    assert stretch_in(islands, surface, packed, 1024, 512) == pytest.approx(1.0, abs=1e-5)


def test_without_its_picture_a_material_is_read_with_a_note():
    scene = read_scene("prop.obj", obj_text(WIDE, HIGH), {"prop.mtl": MTL}.get)
    assert scene.materials[0].image is None
    assert any("skin one.png" in note for note in scene.warnings)
    broken = read_scene(
        "prop.obj", obj_text(WIDE, HIGH), {"prop.mtl": MTL, "skin one.png": b"no picture"}.get
    )
    assert broken.materials[0].image is None


@pytest.mark.parametrize("kind", ["PNG", "JPEG", "WEBP", "TIFF", "TGA", "BMP"])
def test_sizes_of_pictures_are_read(kind):
    """Pillow writes them and another of its parts reads them; the size is what was asked for."""
    assert image_size(image(31, 77, kind)) == (31, 77)


@pytest.mark.parametrize(
    "data", [b"", b"\x89PNG\r\n\x1a\n", b"\xff\xd8\xff", b"GIF89a", image()[:20]]
)
def test_a_broken_picture_has_no_size(data):
    assert image_size(data) is None


@pytest.mark.parametrize(
    ("line", "name"),
    [
        ("skin.png", "skin.png"),
        ("my skin.png", "my skin.png"),
        ("-s 1 1 1 a b.png", "a b.png"),
        ("-o 0.5 -clamp on a.png", "a.png"),
        ("-bm 2 -imfchan r x.tga", "x.tga"),
        ("-clamp", ""),
        ("-o 1 2", ""),
    ],
)
def test_map_lines_of_an_mtl(line, name):
    """MTL specification (Wavefront Advanced Visualizer, appendix B1): options stand before the
    name."""
    assert mtl_image(line) == name


@given(st.floats(0.2, 5.0), st.floats(0, 6.28), st.floats(0.1, 10), st.floats(0.2, 5))
@pytest.mark.slow
def test_in_shape_is_a_similarity_of_the_shape_that_was_meant(proportion, turn, scale, squeeze):
    c, s = math.cos(turn), math.sin(turn)
    linear = np.array([[[c, -s], [s, c]]]) * scale @ np.diag([squeeze, 1.0])
    found = in_shape(linear, np.array([proportion]))
    shape = found[0] @ np.diag([1 / math.sqrt(proportion), math.sqrt(proportion)])
    values = np.linalg.svd(shape)[1]
    assert values[0] == pytest.approx(values[1], rel=1e-9)
    assert np.linalg.det(found[0]) == pytest.approx(np.linalg.det(linear[0]), rel=1e-9)
    assert np.allclose(in_shape(found, np.array([proportion])), found, rtol=1e-9)


@pytest.mark.parametrize("turn", [0.0, 0.4, 1.2])
@pytest.mark.parametrize(
    ("size", "assumed", "want"),
    [
        ((2000, 1000), 1.0, 2.0),
        ((1000, 1000), 1.0, None),
        ((1000, 1000), 2.0, 1.0),
        ((1190, 1000), 1.0, None),
        ((1210, 1000), 1.0, 1.21),
    ],
)
def test_the_stretch_suggests_a_proportion(turn, size, assumed, want):
    uv = laid_out_for(*size, turn).astype(float)
    triangles = [[0, 1, 2], [0, 2, 3]]
    found = suggested_proportion(uv[triangles], POINTS.astype(float)[triangles], assumed)
    assert found is None if want is None else found == pytest.approx(want, rel=1e-4)


def test_where_faces_do_not_agree_nothing_is_suggested():
    rng = np.random.default_rng(5)
    points = rng.normal(size=(400, 3, 3))
    assert suggested_proportion(rng.random((400, 3, 2)), points, 1.0) is None
    assert suggested_proportion(np.full((3, 3, 2), np.nan), points[:3], 1.0) is None
    assert suggested_proportion(np.zeros((0, 3, 2)), points[:0], 1.0) is None


@pytest.mark.slow
def test_the_command_line_takes_and_suggests_proportions(tmp_path, capsys):
    (tmp_path / "prop.obj").write_bytes(obj_text(2000, 1000).replace(b"mtllib prop.mtl\n", b""))
    assert main(["inspect", str(tmp_path / "prop.obj"), "--json"]) == 0
    told = json.loads(capsys.readouterr().out)["objects"][0]
    assert (told["proportion"], told["suggested_proportion"]) == (1.0, pytest.approx(2.0, rel=1e-3))
    for said, ratio in ((["--proportion", "2:1"], 1.0), ([], 0.5)):
        out = tmp_path / f"out{len(said)}"
        argv = [
            "pack",
            str(tmp_path / "prop.obj"),
            "--out",
            str(out),
            "--effort",
            "quick",
            "--rotate",
            "none",
            *said,
        ]
        assert main(argv) == 0
        capsys.readouterr()
        uv = (
            read_scene("prop.obj", (out / "prop.obj").read_bytes())
            .objects[0]
            .mesh.channels[0]
            .coords
        )
        assert np.ptp(uv[:, 0]) / np.ptp(uv[:, 1]) == pytest.approx(ratio, rel=1e-3)
    assert main(["inspect", "x.obj", "--proportion", "0:1"]) == 2
