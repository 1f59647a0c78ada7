"""OpenEXR and Radiance images, in and out.

Checked against OpenCV's writer of Radiance files and the OpenEXR library's own reader.
"""

from __future__ import annotations

import io

import cv2
import numpy as np
import OpenEXR
import pytest

from quilt_core.errors import QuiltError
from quilt_core.formats import read_scene
from quilt_core.formats.file_materials import facts_of
from quilt_core.formats.merge_files import MergeSettings, carry_files
from quilt_core.formats.numbered import grouped
from quilt_core.formats.texture_changes import TextureChange
from quilt_core.pack import PackSettings
from quilt_core.textures.decode import as_shown, decode
from quilt_core.textures.high_range import encode_exr, size_of
from tests.core.painted import paint, png

QUAD = b"""mtllib t.mtl
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
vt 0.25 0.25
vt 0.75 0.25
vt 0.75 0.75
vt 0.25 0.75
usemtl wall
f 1/1 2/2 3/3 4/4
"""


def light(channels: int = 3) -> np.ndarray:
    return np.random.default_rng(4).random((6, 9, channels), np.float32)


@pytest.mark.parametrize("channels", [1, 3, 4])
def test_exr_keeps_its_numbers(channels):
    values = light(channels)
    data = encode_exr(values)
    read = OpenEXR.File(io.BytesIO(data), separate_channels=True).channels()
    for k, name in enumerate({1: "Y", 3: "RGB", 4: "RGBA"}[channels]):
        np.testing.assert_array_equal(read[name].pixels, values[..., k])
    image = decode("a.exr", data)
    assert (size_of("a.exr", data), image.depth, image.has_alpha) == ((9, 6), 16, channels == 4)
    np.testing.assert_allclose(image.linear(True)[..., 0], values[..., 0], atol=1e-5)


def test_radiance_is_read_and_what_is_too_bright_is_told():
    values = light() * 2
    data = cv2.imencode(".hdr", values[..., ::-1])[1].tobytes()
    image = decode("a.hdr", data)
    assert image.clipped and size_of("a.hdr", data) == (9, 6)
    np.testing.assert_allclose(image.linear(True)[..., :3], np.minimum(values, 1), atol=0.02)


def test_linear_light_is_shown_as_srgb():
    # IEC 61966-2-1: 0.2140 in linear light is 0.5.
    image = decode("a.exr", encode_exr(np.full((2, 2, 3), 0.21404, np.float32)))
    assert abs(as_shown(image)[0, 0, 0] / 65535 - 0.5) < 1e-4


@pytest.mark.parametrize("data", [b"\x76\x2f\x31\x01" + bytes(30), b"#?RADIANCE\n\n-Y 4 +X"])
def test_a_broken_one_is_refused_with_a_word(data):
    with pytest.raises(QuiltError, match="cannot be read"):
        decode("a.exr", data)


def test_an_obj_with_an_exr_is_carried_over_in_its_light():
    files = {
        "t.mtl": b"newmtl wall\nmap_Kd wall.exr\n",
        "wall.exr": encode_exr(np.full((64, 64, 3), 0.21404, np.float32)),
    }
    scene = read_scene("t.obj", QUAD, files.get)
    assert facts_of(scene, files.get)["textures"]["0"]["kind"] == "EXR"
    uv = scene.objects[0].mesh.channels[0].per_corner
    settings = MergeSettings(pack=PackSettings(width=64, height=64))
    done = carry_files([scene], [files.get], [[uv]], settings)
    found = decode("a", done.images["atlas_baseColor.png"])
    assert found.depth == 16 and abs(found.pixels[32, 32, 0] / 65535 - 0.5) < 1e-4


def test_numbered_pictures_that_are_dropped_come_as_one():
    one, two = paint(32, 1), paint(32, 2)
    files = {"wall_color.1001.png": png(one), "wall_color.1002.png": png(two), "x_n.png": png(one)}
    (many, data, tiles), alone = grouped(files)
    assert (many, tiles) == ("wall_color.<UDIM>.png", (0, 0, 2, 1))
    assert (alone[0], alone[2]) == ("x_n.png", (0, 0, 1, 1))
    # Given to a bare material whose face lies in the second tile.
    text = QUAD.replace(b"vt 0.", b"vt 1.")
    scene = read_scene("t.obj", text, {"t.mtl": b"newmtl wall\n"}.get)
    change = TextureChange(many, data, 0, "baseColor", tiles=tiles)
    uv = scene.objects[0].mesh.channels[0].per_corner - [1, 0]
    settings = MergeSettings(pack=PackSettings(width=32, height=32))
    done = carry_files([scene], [None], [[uv]], settings, changes=[[change]])
    found = decode("a", done.images["atlas_baseColor.png"]).pixels[..., :3]
    np.testing.assert_array_equal(found[9:23, 9:23], two[9:23, 9:23])


def test_normals_in_an_objects_space_stay_and_are_one_long():
    vectors = np.zeros((32, 32, 3), np.uint8) + np.array([255, 128, 128], np.uint8)
    vectors[::2] = [128, 255, 128]
    scene = read_scene("t.obj", QUAD, {"t.mtl": b"newmtl wall\n"}.get)
    change = TextureChange("wall_object_normal.png", png(vectors), 0, "objectNormal")
    # Turned by a quarter and made smaller: rows of the old image are mixed.
    uv = 0.5 * scene.objects[0].mesh.channels[0].per_corner[[1, 2, 3, 0]]
    settings = MergeSettings(pack=PackSettings(width=32, height=32))
    done = carry_files([scene], [None], [[uv]], settings, changes=[[change]])
    found = decode("a", done.images["atlas_objectNormal.png"]).linear(False)[20:28, 4:12, :3]
    np.testing.assert_allclose(np.linalg.norm(2 * found - 1, axis=2), 1.0, atol=0.02)
    np.testing.assert_allclose(found[..., 2], 0.5, atol=0.01)
