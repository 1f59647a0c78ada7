"""Profiles: channels put together as an engine wants them, from images whose values are known."""

from __future__ import annotations

import io
import json

import numpy as np
import pytest
from PIL import Image

from quilt_cli.main import main
from quilt_core.errors import FileFormatError
from quilt_core.textures.profile import BUILT_IN, profile_from, read_profile
from tests.core.gltf_samples import validator_errors
from tests.core.painted import GlbMaker, paint, plain_device, plates


def image(path) -> np.ndarray:
    return np.asarray(Image.open(path)).astype(int)


def merge(tmp_path, capsys, data: bytes, *options: str):
    (tmp_path / "in.glb").write_bytes(data)
    out = tmp_path / "out"
    code = main(
        ["merge", str(tmp_path / "in.glb"), "--out", str(out), "--size", "256", "--effort", "quick",
         "--json", *options]
    )  # fmt: skip
    answer = json.loads(capsys.readouterr().out)
    return code, answer, out


@pytest.mark.parametrize("name", BUILT_IN)
def test_channels_are_those_of_the_carried_pictures(tmp_path, capsys, name):
    code, answer, out = merge(tmp_path, capsys, plain_device(1, 64, 4), "--profile", name)
    assert code == 0
    files = {row["name"].partition("/")[2] for row in answer["profile"]}
    assert files == {p.name for p in (out / name).glob("[!.]*")}
    packed = image(out / "atlas_occlusionRoughnessMetallic.png")
    colour, normal = image(out / "atlas_baseColor.png"), image(out / "atlas_normal.png")
    ours = image(out / name / "atlas_colour.png")
    np.testing.assert_array_equal(ours[..., :3], colour)
    strength = 0.8  # of the occlusion, which stays on the material
    occlusion = 255 * (1 + strength * (packed[..., 0] / 255 - 1))
    if name.startswith("packed"):
        assert (ours[..., 3] == 255).all()
        orm = image(out / name / "atlas_orm.png")
        np.testing.assert_array_equal(orm[..., 1:], packed[..., 1:])
        assert np.abs(orm[..., 0] - occlusion).max() <= 0.5001
    if name == "separate":
        np.testing.assert_array_equal(image(out / name / "atlas_metal.png"), packed[..., 2])
        np.testing.assert_array_equal(image(out / name / "atlas_roughness.png"), packed[..., 1])
        assert np.abs(image(out / name / "atlas_occlusion.png") - occlusion).max() <= 0.5001
        assert (image(out / name / "atlas_opacity.png") == 255).all()
    if name == "smooth in alpha":
        mask = image(out / name / "atlas_mask.png")
        np.testing.assert_array_equal(mask[..., 3], 255 - packed[..., 1])
        assert (mask[..., 2] == 0).all()
    # The scale of normals stays on the material of the file; it is worked in here.
    n = normal / 255 * 2 - 1
    n[..., :2] *= 0.7
    n /= np.linalg.norm(n, axis=2, keepdims=True)
    if name == "packed green down":
        n[..., 1] *= -1
    found = image(out / name / "atlas_normal.png") / 255 * 2 - 1
    assert np.abs(found - n).max() < 2.2 / 255


def test_values_without_a_picture_are_those_of_each_material(tmp_path, capsys):
    maker = GlbMaker()
    one = maker.material(
        pbrMetallicRoughness={
            "baseColorTexture": {"index": maker.texture(paint(32, 1))},
            "roughnessFactor": 0.2,
            "metallicFactor": 1.0,
        }
    )
    two = maker.material(
        pbrMetallicRoughness={
            "baseColorTexture": {"index": maker.texture(paint(32, 2))},
            "roughnessFactor": 0.8,
            "metallicFactor": 0.0,
        },
        doubleSided=True,
    )
    points, normals, uv, faces = plates(1)
    part = {"points": points, "normals": normals, "uvs": [uv], "faces": faces}
    maker.mesh("Both", {**part, "material": one}, {**part, "material": two})
    code, _, out = merge(tmp_path, capsys, maker.glb(), "--profile", "separate")
    assert code == 0
    rough = np.unique(image(out / "separate" / "atlas_roughness.png"))
    assert rough.tolist() == [51, 204]
    assert np.unique(image(out / "separate" / "atlas_metal.png")).tolist() == [0, 255]
    # Without an image a normal map is flat, and no light is given off.
    flat = image(out / "separate" / "atlas_normal.png").reshape(-1, 3)
    assert np.unique(flat, axis=0).tolist() == [[128, 128, 255]]
    assert (image(out / "separate" / "atlas_emission.png") == 0).all()


def test_a_profile_of_ones_own(tmp_path, capsys):
    text = b"""name = "mine"
naming = "T_{name}-{role}"
largest = 128

[[texture]]
role = "mask"
channels = ["smoothness", "metal", "white"]
format = "webp"

[[texture]]
role = "light"
channels = ["emission.red"]
bits = 16
"""
    path = tmp_path / "mine.toml"
    path.write_bytes(text)
    code, _, out = merge(tmp_path, capsys, plain_device(1, 64, 4), "--profile", str(path))
    assert code == 0
    mask = image(out / "mine" / "T_atlas-mask.webp")
    assert mask.shape == (128, 128, 3) and (mask[..., 2] == 255).all()
    light = Image.open(out / "mine" / "T_atlas-light.png")
    assert light.size == (128, 128) and light.mode.startswith("I")
    assert read_profile("x", text) == profile_from(read_profile("x", text).to_json(), "x")


@pytest.mark.parametrize(
    ("change", "word"),
    [
        ({"name": "../x"}, "A profile"),
        ({"largest": 4}, "4"),
        ({"texture": []}, "without textures"),
        ({"shine": 1}, "shine"),
        ({"texture": [{"role": "a", "channels": ["gloss"]}]}, "gloss"),
        ({"texture": [{"role": "a", "channels": ["metal", "metal"]}]}, "Channels"),
        ({"texture": [{"role": "a", "channels": ["metal"], "bits": 12}]}, "12"),
        ({"texture": [{"role": "a", "channels": ["metal"], "format": "gif"}]}, "gif"),
        ({"texture": [{"role": "a", "channels": ["metal"], "format": "webp", "bits": 16}]}, "16"),
        ({"texture": [{"role": "a", "channels": ["metal"] * 4, "format": "jpeg"}]}, "fourth"),
        ({"texture": [{"role": "a", "channels": ["metal"]}] * 2}, "Two"),
        ({"texture": [{"role": "a/b", "channels": ["metal"]}]}, "a/b"),
        ({"texture": ["a"]}, "table"),
    ],
)
def test_a_profile_that_is_none_says_why(change, word):
    good = {"name": "x", "texture": [{"role": "a", "channels": ["metal"]}]}
    assert profile_from(good, "x").name == "x"
    with pytest.raises(FileFormatError) as told:
        profile_from(good | change, "x")
    assert word in told.value.what
    with pytest.raises(FileFormatError):
        read_profile("x.toml", b"name = ")


@pytest.mark.parametrize(("form", "ending"), [("jpeg", "jpg"), ("webp", "webp")])
@pytest.mark.slow
def test_colours_in_other_formats(tmp_path, capsys, form, ending):
    code, answer, out = merge(
        tmp_path, capsys, plain_device(1, 64, 4), "--format", form, "--naming", "{role}-of-{name}"
    )
    assert code == 0
    names = {p["name"] for p in answer["textures"]}
    assert f"baseColor-of-atlas.{ending}" in names and "normal-of-atlas.png" in names
    data = (out / f"baseColor-of-atlas.{ending}").read_bytes()
    assert Image.open(io.BytesIO(data)).format == form.upper()
    assert validator_errors((out / "in.glb").read_bytes(), out) == []


def test_bits_can_be_chosen(tmp_path, capsys):
    _, answer, _ = merge(tmp_path, capsys, plain_device(1, 64, 4), "--bits", "16")
    assert {p["bits"] for p in answer["textures"]} == {16}


def test_a_pattern_that_gives_two_roles_one_name_is_refused(tmp_path, capsys):
    code, answer, _ = merge(tmp_path, capsys, plain_device(1, 64, 4), "--naming", "{name}")
    assert code == 2 and "{name}" in answer["error"]["what"]
