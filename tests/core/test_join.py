"""All files in one GLB: nothing is lost on the way, equal things are there once, and the Khronos validator has no
more to say than of the single files."""

from __future__ import annotations

import json
import re
import struct
from pathlib import Path

import numpy as np
import pytest

from quilt_cli.main import main
from quilt_core.errors import FileFormatError
from quilt_core.formats import read_scene
from quilt_core.formats.gltf_join import join_glb
from quilt_core.formats.load import folder_siblings
from tests.core.gltf_samples import validator_errors
from tests.core.painted import hard_device, plain_device

ASSIMP = Path("/usr/share/assimp/models")


def document(data: bytes) -> dict:
    length = struct.unpack_from("<I", data, 12)[0]
    return json.loads(data[20 : 20 + length])


def placed_corners(scene) -> list[tuple[str, np.ndarray]]:
    """Name and corners of each instance in the world, in metres."""
    out = []
    for obj in scene.objects:
        points = obj.mesh.positions[obj.mesh.corner_vertex]
        for instance in obj.instances:
            matrix = np.asarray(instance.matrix)
            moved = points @ matrix[:3, :3].T + matrix[:3, 3]
            # Those without a name are called by their number, which is another one.
            name = re.sub(r"(mesh|node) \d+", r"\1", obj.name)
            out.append((name, moved * scene.metres_per_unit))
    return sorted(out, key=lambda row: (row[0], len(row[1]), round(float(row[1].sum()), 3)))


@pytest.mark.skipif(not ASSIMP.exists(), reason="Debian's assimp-testmodels are not installed")
@pytest.mark.slow
def test_real_files_are_joined(tmp_path):
    parts, alone, errors = [], [], 0
    for path in sorted(ASSIMP.glob("glTF2/*/*.gl*")):
        find = folder_siblings(path.parent)
        try:
            scene = read_scene(path.name, path.read_bytes(), find)
        except FileFormatError:
            continue
        data, notes = join_glb([(scene, find)])
        assert notes == []
        own = validator_errors(data, tmp_path)
        errors += len(own)
        alone += placed_corners(scene)
        parts.append((scene, find, own))
    assert len(parts) >= 10
    data, notes = join_glb([(scene, find) for scene, find, _ in parts])
    assert notes == []
    again = placed_corners(read_scene("joint.glb", data))
    alone = sorted(alone, key=lambda row: (row[0], len(row[1]), round(float(row[1].sum()), 3)))
    assert [(name, len(points)) for name, points in again] == [(n, len(p)) for n, p in alone]
    for (_, one), (_, two) in zip(again, alone, strict=True):
        np.testing.assert_allclose(one, two, atol=1e-5)
    # No more errors than the files have by themselves.
    assert len(validator_errors(data, tmp_path)) <= errors


@pytest.mark.slow
def test_merged_files_share_one_material_and_one_set_of_pictures(tmp_path, capsys):
    names = []
    for k in range(3):
        (tmp_path / f"dev{k}.glb").write_bytes(plain_device(k + 1, 64, 3))
        names.append(str(tmp_path / f"dev{k}.glb"))
    out = tmp_path / "out"
    code = main(["merge", *names, "--out", str(out), "--size", "256", "--effort", "quick", "--joint", "--json"])  # fmt: skip
    answer = json.loads(capsys.readouterr().out)
    assert code == 0 and str(out / "all-in-one.glb") in answer["files"]
    data = (out / "all-in-one.glb").read_bytes()
    doc = document(data)
    assert len(doc["materials"]) == 1 and len(doc["images"]) == 4 and len(doc["samplers"]) == 1
    assert [doc["nodes"][k]["name"] for k in doc["scenes"][0]["nodes"]] == [
        "Device 1", "Device 2", "Device 3",
    ]  # fmt: skip
    assert all("uri" not in image for image in doc["images"])
    view = doc["bufferViews"][doc["images"][0]["bufferView"]]
    start = 28 + struct.unpack_from("<I", data, 12)[0] + view["byteOffset"]
    pixels = (out / f"{doc['images'][0]['name']}.png").read_bytes()
    assert data[start : start + view["byteLength"]] == pixels
    assert validator_errors(data, tmp_path) == []
    for k in range(3):
        one = read_scene("x.glb", (out / f"dev{k}.glb").read_bytes(), folder_siblings(out))
        mesh = read_scene("w.glb", data).objects[k].mesh
        np.testing.assert_array_equal(mesh.positions, one.objects[0].mesh.positions)
        np.testing.assert_array_equal(
            mesh.channels[0].per_corner, one.objects[0].mesh.channels[0].per_corner
        )


def test_an_obj_comes_along_in_metres():
    text = b"mtllib a.mtl\no Post\nv 0 0 0\nv 100 0 0\nv 0 200 0\nvt 0 0\nvt 1 0\nvt 0 1\nusemtl red\nf 1/1 2/2 3/3\n"
    mtl = {"a.mtl": b"newmtl red\nKd 1 0 0\nd 0.5\nPm 0.25\n"}
    scene = read_scene("a.obj", text, mtl.get, 0.01)
    data, notes = join_glb([(scene, mtl.get), (read_scene("h.glb", hard_device()), None)])
    assert notes == []
    again = read_scene("w.glb", data)
    post = next(o for o in again.objects if o.name == "Post")
    np.testing.assert_allclose(np.ptp(post.mesh.positions, axis=0), (1, 2, 0), atol=1e-6)
    np.testing.assert_allclose(
        post.mesh.channels[0].per_corner, scene.objects[0].mesh.channels[0].per_corner, atol=1e-6
    )
    red = next(m for m in document(data)["materials"] if m["name"] == "red")
    assert red["pbrMetallicRoughness"]["baseColorFactor"] == [1, 0, 0, 0.5]
    assert red["alphaMode"] == "BLEND" and red["pbrMetallicRoughness"]["metallicFactor"] == 0.25


def test_what_cannot_be_joined_is_told():
    data = plain_device(1, 64, 1)
    length = struct.unpack_from("<I", data, 12)[0]
    doc = document(data) | {"extensions": {"EXT_strange": {}}, "extensionsUsed": ["EXT_strange"]}
    text = json.dumps(doc).encode()
    text += b" " * (-len(text) % 4)
    body = data[20 + length :]
    strange = struct.pack("<4sII", b"glTF", 2, 20 + len(text) + len(body)) + struct.pack("<II", len(text), 0x4E4F534A) + text + body  # fmt: skip
    odd = read_scene("odd.glb", strange)
    joint, notes = join_glb([(odd, None), (read_scene("fine.glb", data), None)])
    assert "odd.glb" in notes[0] and "EXT_strange" in notes[0]
    assert len(document(joint)["nodes"]) == 1
    with pytest.raises(FileFormatError):
        join_glb([(odd, None)])
