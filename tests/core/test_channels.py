"""UV channels on many files: order, bits, materials that follow, words where a format has no such
thing."""

import json
from pathlib import Path

import numpy as np
import pytest

from quilt_cli.main import main
from quilt_core.errors import FileFormatError
from quilt_core.formats import read_scene
from quilt_core.formats.channels import ChannelEdit, edit_channels
from quilt_core.measure import measure
from quilt_core.scene import concatenate, island_set
from quilt_core.scene.placement import identity
from tests.core.channels_samples import channels_of, two_meshes
from tests.core.meshes import QUAD_OBJ

MODELS = Path("/usr/share/assimp/models/glTF2")


def edited(data, *edits):
    files, notes = edit_channels(read_scene("a.gltf", data), edits)
    return json.loads(files["a.gltf"]), notes, read_scene("a.gltf", files["a.gltf"])


@pytest.mark.parametrize(
    ("edits", "expected"),
    [
        ([ChannelEdit("copy", 1, 4)], [0, 1, 2, 0]),
        ([ChannelEdit("copy", 3, 2)], [0, 2, 2]),
        ([ChannelEdit("move", 3, 1)], [2, 0, 1]),
        ([ChannelEdit("move", 1, 3)], [1, 2, 0]),
        ([ChannelEdit("swap", 1, 3)], [2, 1, 0]),
        ([ChannelEdit("delete", 3)], [0, 1]),
        ([ChannelEdit("move", 3, 1), ChannelEdit("delete", 2), ChannelEdit("copy", 1, 3)], None),
        ([ChannelEdit("swap", 1, 2), ChannelEdit("swap", 1, 2)], [0, 1, 2]),
    ],
)
def test_channels_are_put_in_order_and_their_values_stay(edits, expected):
    data = two_meshes(3, 3)
    if expected is None:
        with pytest.raises(FileFormatError, match="“brass” reads UV channel"):
            edited(data, ChannelEdit("delete", 3), ChannelEdit("delete", 2))
        return
    _, notes, scene = edited(data, *edits)
    assert notes == []
    for obj in (0, 1):
        assert channels_of(scene, obj) == expected
    for new, old in enumerate(expected):
        assert np.array_equal(
            scene.objects[0].mesh.channels[new].per_corner,
            read_scene("a.gltf", data).objects[0].mesh.channels[old].per_corner,
        )


def test_materials_go_on_reading_what_they_read():
    doc, _, _ = edited(two_meshes(3, 3), ChannelEdit("move", 3, 1))
    (material,) = doc["materials"]
    assert material["pbrMetallicRoughness"]["baseColorTexture"]["texCoord"] == 1
    assert material["occlusionTexture"]["texCoord"] == 2
    transform = {"KHR_texture_transform": {"scale": [2, 2], "texCoord": 1}}
    moved = two_meshes(3, 3, emissiveTexture={"index": 0, "extensions": transform})
    doc, _, _ = edited(moved, ChannelEdit("swap", 2, 3))
    told = doc["materials"][0]["emissiveTexture"]
    assert told["extensions"]["KHR_texture_transform"]["texCoord"] == 2
    assert "texCoord" not in told
    doc, _, _ = edited(two_meshes(3, 3), ChannelEdit("copy", 3, 2))
    assert doc["materials"][0]["occlusionTexture"]["texCoord"] == 1, "it reads what is there now"


def test_a_mesh_without_the_channel_stays_as_it_is_with_a_material_of_its_own():
    doc, notes, scene = edited(two_meshes(3, 1), ChannelEdit("swap", 1, 2))
    assert channels_of(scene, 0) == [1, 0, 2]
    assert channels_of(scene, 1) == [0]
    assert notes == ["a.gltf: “two” has 1 UV channels; swap 1,2 was not made there."]
    one, two = (mesh["primitives"][0]["material"] for mesh in doc["meshes"])
    assert (one, two) == (0, 1)
    assert doc["materials"][0]["pbrMetallicRoughness"]["baseColorTexture"]["texCoord"] == 1
    assert "texCoord" not in doc["materials"][1]["pbrMetallicRoughness"]["baseColorTexture"]


@pytest.mark.parametrize(
    ("edit", "said"),
    [
        (ChannelEdit("copy", 4, 5), "no mesh has"),
        (ChannelEdit("copy", 1, 5), "no mesh has"),
        (ChannelEdit("copy", 1, 1), "no mesh has"),
        (ChannelEdit("move", 1, 4), "no mesh has"),
        (ChannelEdit("swap", 0, 1), "no mesh has"),
        (ChannelEdit("delete", 4), "no mesh has"),
        (ChannelEdit("rename", 1, name="Light"), "no names"),
    ],
)
def test_what_cannot_be_is_told(edit, said):
    with pytest.raises(FileFormatError, match=said):
        edited(two_meshes(3, 1), edit)


def test_a_deleted_channel_that_a_material_reads_is_refused():
    with pytest.raises(FileFormatError, match="reads UV channel 2"):
        edited(two_meshes(2, 2), ChannelEdit("delete", 2))
    with pytest.raises(FileFormatError, match="an OBJ has one UV channel"):
        edit_channels(read_scene("a.obj", QUAD_OBJ), [ChannelEdit("delete", 1)])


def test_the_command_line_lists_and_edits_many_files(tmp_path, capsys):
    for name in ("a.gltf", "b.gltf"):
        (tmp_path / name).write_bytes(two_meshes(3, 3))
    files = [str(tmp_path / name) for name in ("a.gltf", "b.gltf")]
    assert main(["channels", *files, "--json"]) == 0
    listed = json.loads(capsys.readouterr().out)["listed"][0]["objects"][0]
    assert [row["channel"] for row in listed["channels"]] == [1, 2, 3]
    assert listed["channels"][1]["bounds"][1] == pytest.approx([1.1, 0])
    out = tmp_path / "out"
    assert (
        main(["channels", *files, "--edits", "move 3=1", "--edits", "copy 1=4", "--out", str(out)])
        == 0
    )
    for name in ("a.gltf", "b.gltf"):
        assert channels_of(read_scene(name, (out / name).read_bytes())) == [2, 0, 1, 2]
    assert main(["channels", files[0], "--edits", "move 3=1"]) == 2
    assert "--out" in capsys.readouterr().err
    assert main(["channels", files[0], "--edits", "swap 3", "--out", str(out)]) == 2
    assert "1,2" in capsys.readouterr().err


@pytest.mark.slow
def test_a_packed_layout_goes_into_a_new_channel_and_the_others_stay(tmp_path, capsys):
    (tmp_path / "a.gltf").write_bytes(two_meshes(2, 2))
    out = tmp_path / "out"
    options = ["--out", str(out), "--size", "256", "--effort", "quick", "--seconds", "1"]
    assert (
        main(["pack", str(tmp_path / "a.gltf"), "--channel", "2", "--to-channel", "3", *options])
        == 0
    )
    scene = read_scene("a.gltf", (out / "a.gltf").read_bytes())
    before = read_scene("a.gltf", two_meshes(2, 2))
    for new, old in zip(scene.objects, before.objects, strict=True):
        for k in (0, 1):
            assert np.array_equal(new.mesh.channels[k].per_corner, old.mesh.channels[k].per_corner)
    islands = concatenate([island_set(obj, 2, 1.0) for obj in scene.objects])
    figures = measure(islands, identity(2), 256, 256)
    assert len(figures.overlaps.pairs) == 0
    assert figures.gap.pixels >= 2 - 0.01, "as is usual for a tile of 256 px"
    capsys.readouterr()
    # What lies between is filled and told: indices of TEXCOORD_n are consecutive (glTF 2.0, 3.7.2.1).
    assert main(["pack", str(tmp_path / "a.gltf"), "--to-channel", "4", *options]) == 0
    said = capsys.readouterr()
    assert "UV channel 3 was not there and has a copy of the first one" in said.out + said.err
    for obj in read_scene("a.gltf", (out / "a.gltf").read_bytes()).objects:
        first, third = obj.mesh.channels[0], obj.mesh.channels[2]
        assert len(obj.mesh.channels) == 4
        assert np.array_equal(third.per_corner, first.per_corner)
    (tmp_path / "b.obj").write_bytes(QUAD_OBJ)
    assert main(["pack", str(tmp_path / "b.obj"), "--to-channel", "2", *options]) == 2
    assert "An OBJ has one UV channel" in capsys.readouterr().err


@pytest.mark.slow
def test_a_mixed_set_goes_into_the_first_channel_that_none_has(tmp_path, capsys):
    (tmp_path / "one.gltf").write_bytes(two_meshes(1, 1))
    (tmp_path / "three.gltf").write_bytes(two_meshes(3, 2))
    files = [str(tmp_path / name) for name in ("one.gltf", "three.gltf")]
    out = tmp_path / "out"
    options = ["--free-channel", "--out", str(out), "--size", "256", "--effort", "quick"]
    assert main(["pack", *files, *options]) == 0
    said = capsys.readouterr()
    # Two that have one channel lack two, one that has two lacks one; the one with three lacks none.
    assert (said.out + said.err).count("UV channel 2, 3 was not there") == 2
    assert (said.out + said.err).count("UV channel 3 was not there") == 1
    together = []
    for name in ("one.gltf", "three.gltf"):
        scene = read_scene(name, (out / name).read_bytes())
        assert [len(obj.mesh.channels) for obj in scene.objects] == [4, 4]
        together += [island_set(obj, 3, 1.0) for obj in scene.objects]
    islands = concatenate(together)
    figures = measure(islands, identity(4), 256, 256)
    assert len(figures.overlaps.pairs) == 0 and figures.gap.pixels >= 2 - 0.01
    assert main(["pack", *files, "--to-channel", "2", *options]) == 2
    assert "the one or the other" in capsys.readouterr().err


@pytest.mark.skipif(not MODELS.exists(), reason="assimp-testmodels is not installed")
@pytest.mark.parametrize(
    "path", sorted(MODELS.rglob("*.gl*")), ids=lambda p: f"{p.parent.name}/{p.name}"
)
def test_real_files_keep_their_channels_through_two_swaps(path):
    from quilt_core.errors import QuiltError
    from quilt_core.formats.load import folder_siblings

    find = folder_siblings(path.parent)
    try:
        scene = read_scene(path.name, path.read_bytes(), find)
    except QuiltError:
        return
    if not any(len(obj.mesh.channels) > 1 for obj in scene.objects):
        return
    try:
        files, _ = edit_channels(scene, [ChannelEdit("swap", 1, 2)])
    except FileFormatError as error:
        assert "no mesh has" in error.what
        return
    swapped = read_scene(path.name, files[path.name], lambda name: files.get(name) or find(name))
    files, _ = edit_channels(swapped, [ChannelEdit("swap", 1, 2)])
    again = read_scene(path.name, files[path.name], lambda name: files.get(name) or find(name))
    for one, two in zip(scene.objects, again.objects, strict=True):
        for a, b in zip(one.mesh.channels, two.mesh.channels, strict=True):
            assert np.array_equal(a.per_corner, b.per_corner, equal_nan=True)
