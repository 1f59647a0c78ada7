"""glTF and GLB in and out. The Khronos validator is the outside judge of what is written."""

import base64
import copy
import json
import struct

import numpy as np
import pytest

from quilt_core.errors import FileFormatError
from quilt_core.formats import read_scene, write_scene
from quilt_core.formats.gltf_build import Node, Primitive, build_glb
from quilt_core.scene import island_set
from tests.core.corners import object_corner_uvs
from tests.core.gltf_samples import validator_errors
from tests.core.meshes import INDEX, POINTS, UVS, document, glb_of, json_of, plain_glb


def seen(scene, number=0, channel=0):
    return scene.objects[number].mesh.channels[channel].per_corner


def round_trip(data: bytes, name="a.glb", shift=0.125):
    scene = read_scene(name, data)
    new = [seen(scene, i) * 0.5 + shift for i in range(len(scene.objects))]
    out = write_scene(scene, 0, new)[name]
    again = read_scene(name, out)
    for i, want in enumerate(new):
        assert seen(again, i) == pytest.approx(want, abs=1e-6)
    return out


def test_the_origin_is_turned_from_top_left_to_bottom_left():
    assert seen(read_scene("a.glb", plain_glb()))[0] == pytest.approx([0, 0])
    assert seen(read_scene("a.glb", plain_glb()))[2] == pytest.approx([0.5, 0.5])


def test_untouched_json_and_buffer_stay():
    data = plain_glb(
        extras={"crate": 7}, extensionsUsed=["MADE_up"], extensions={"MADE_up": {"keep": [1, 2]}}
    )
    out = write_scene(read_scene("a.glb", data), 0, [None])["a.glb"]
    assert json_of(out) == json_of(data)
    assert out[-64:] == data[-64:]


@pytest.mark.slow
def test_float_uvs_are_written_in_place_and_the_json_stays(tmp_path):
    data = plain_glb(extras={"crate": 7})
    out = round_trip(data)
    assert json_of(out) == json_of(data)
    assert validator_errors(out, tmp_path) == []


def interleaved() -> bytes:
    rows = np.concatenate([POINTS, UVS], axis=1)
    body = rows.tobytes() + INDEX.tobytes()
    views = [
        {
            "buffer": 0,
            "byteOffset": 0,
            "byteLength": rows.nbytes,
            "byteStride": 20,
            "target": 34962,
        },
        {"buffer": 0, "byteOffset": rows.nbytes, "byteLength": INDEX.nbytes, "target": 34963},
    ]
    accessors = [
        {
            "bufferView": 0,
            "componentType": 5126,
            "count": 4,
            "type": "VEC3",
            "min": [0, 0, 0],
            "max": [1, 1, 0],
        },
        {"bufferView": 0, "byteOffset": 12, "componentType": 5126, "count": 4, "type": "VEC2"},
        {"bufferView": 1, "componentType": 5123, "count": 6, "type": "SCALAR"},
    ]
    return glb_of(
        document(views, accessors, {"attributes": {"POSITION": 0, "TEXCOORD_0": 1}, "indices": 2}),
        body,
    )


def quantized() -> bytes:
    short = np.zeros((4, 2), "<u2")
    short[:] = np.round(UVS * 65535)
    body = POINTS.tobytes() + short.tobytes() + INDEX.tobytes()
    views = [
        {"buffer": 0, "byteOffset": 0, "byteLength": 48, "target": 34962},
        {"buffer": 0, "byteOffset": 48, "byteLength": 16, "target": 34962},
        {"buffer": 0, "byteOffset": 64, "byteLength": 12, "target": 34963},
    ]
    accessors = [
        {
            "bufferView": 0,
            "componentType": 5126,
            "count": 4,
            "type": "VEC3",
            "min": [0, 0, 0],
            "max": [1, 1, 0],
        },
        {"bufferView": 1, "componentType": 5123, "normalized": True, "count": 4, "type": "VEC2"},
        {"bufferView": 2, "componentType": 5123, "count": 6, "type": "SCALAR"},
    ]
    return glb_of(
        document(views, accessors, {"attributes": {"POSITION": 0, "TEXCOORD_0": 1}, "indices": 2}),
        body,
    )


def sparse() -> bytes:
    base = np.zeros((4, 2), "<f4")
    rows = np.array([0, 1, 2, 3], "<u2")
    body = POINTS.tobytes() + base.tobytes() + INDEX.tobytes() + rows.tobytes() + UVS.tobytes()
    at = np.cumsum([0, 48, 32, 12, 8, 32])
    views = [
        {"buffer": 0, "byteOffset": int(a), "byteLength": int(b - a)}
        for a, b in zip(at[:-1], at[1:], strict=True)
    ]
    accessors = [
        {
            "bufferView": 0,
            "componentType": 5126,
            "count": 4,
            "type": "VEC3",
            "min": [0, 0, 0],
            "max": [1, 1, 0],
        },
        {
            "bufferView": 1,
            "componentType": 5126,
            "count": 4,
            "type": "VEC2",
            "sparse": {
                "count": 4,
                "indices": {"bufferView": 3, "componentType": 5123},
                "values": {"bufferView": 4},
            },
        },
        {"bufferView": 2, "componentType": 5123, "count": 6, "type": "SCALAR"},
    ]
    return glb_of(
        document(views, accessors, {"attributes": {"POSITION": 0, "TEXCOORD_0": 1}, "indices": 2}),
        body,
    )


def shared_with_a_second_set() -> bytes:
    glb = plain_glb()
    doc = json_of(glb)
    doc["meshes"][0]["primitives"][0]["attributes"]["TEXCOORD_1"] = 1
    return glb_of(doc, glb[-(48 + 32 + 12) :])


@pytest.mark.parametrize("make", [interleaved, quantized, sparse, shared_with_a_second_set])
def test_all_kinds_of_accessors_come_back_right(make, tmp_path):
    data = make()
    scene = read_scene("a.glb", data)
    assert island_set(scene.objects[0], 0, 1.0).uv_area == pytest.approx([0.25], abs=1e-4)
    out = round_trip(data)
    assert validator_errors(out, tmp_path) == []
    again = read_scene("a.glb", out)
    assert np.array_equal(again.objects[0].mesh.positions, scene.objects[0].mesh.positions)
    if make is shared_with_a_second_set:
        assert seen(again, channel=1) == pytest.approx(seen(scene, channel=1))


def test_primitives_that_share_accessors_are_one_mesh_and_welded():
    glb = plain_glb()
    doc = json_of(glb)
    first = doc["meshes"][0]["primitives"][0]
    doc["accessors"] += [
        dict(doc["accessors"][2], count=3),
        dict(doc["accessors"][2], count=3, byteOffset=6),
    ]
    doc["meshes"][0]["primitives"] = [dict(first, indices=3), dict(first, indices=4)]
    data = glb_of(doc, glb[-(48 + 32 + 12) :])
    assert island_set(read_scene("a.glb", data).objects[0], 0, 1.0).count == 1
    assert len(json_of(round_trip(data))["accessors"]) == 5


def test_one_mesh_in_many_nodes_is_one_object_with_instances():
    nodes = [
        {"name": "Drum A", "mesh": 0, "translation": [1, 0, 0]},
        {"name": "Rack", "children": [0, 2]},
        {"name": "Drum B", "mesh": 0, "rotation": [0, 0.7071068, 0, 0.7071068]},
    ]
    scene = read_scene("a.glb", plain_glb(nodes=nodes, scenes=[{"nodes": [1]}]))
    assert len(scene.objects) == 1
    assert [(i.name, i.parent) for i in scene.objects[0].instances] == [
        ("Drum A", "Rack"),
        ("Drum B", "Rack"),
    ]
    corner = scene.objects[0].instances[1].matrix @ [1, 0, 0, 1]
    assert corner[:3] == pytest.approx([0, 0, -1], abs=1e-6)


def test_a_vertex_between_two_islands_is_split(tmp_path):
    """Two triangles that touch in one point share a vertex; moved apart each needs its own."""
    points = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [2, 1, 0], [2, 2, 0]], "<f4")
    uvs = np.array([[0, 1], [0.25, 1], [0.25, 0.75], [0.5, 0.75], [0.5, 0.5]], "<f4")
    scene = read_scene("a.glb", plain_glb(uvs, points, np.array([0, 1, 2, 2, 3, 4], "<u2")))
    placements = np.array([[[1, 0, 0.0], [0, 1, 0]], [[1, 0, 0.3], [0, 1, 0.1]]])
    new = object_corner_uvs(scene.objects[0], 0, placements)
    out = write_scene(scene, 0, [new])["a.glb"]
    again = read_scene("a.glb", out)
    assert len(again.objects[0].mesh.positions) == 6
    assert seen(again)[3:] == pytest.approx(new[3:], abs=1e-6)
    assert seen(again)[:3] == pytest.approx(seen(scene)[:3], abs=1e-6)
    assert validator_errors(out, tmp_path) == []


def test_texture_transform_is_kept_and_what_is_seen_is_what_was_laid_out():
    info = {
        "index": 0,
        "extensions": {
            "KHR_texture_transform": {"scale": [2, 0.5], "rotation": 0.4, "offset": [0.1, -0.2]}
        },
    }
    data = plain_glb(
        materials=[{"pbrMetallicRoughness": {"baseColorTexture": info}}], textures=[{}]
    )
    assert json_of(round_trip(data))["materials"] == json_of(data)["materials"]


def test_side_files_and_data_uris():
    doc = json_of(plain_glb())
    body = POINTS.tobytes() + UVS.tobytes() + INDEX.tobytes()
    outside = copy.deepcopy(doc)
    outside["buffers"][0]["uri"] = "my%20plate.bin"
    scene = read_scene(
        "a.gltf",
        json.dumps(outside).encode(),
        lambda name: body if name == "my plate.bin" else None,
    )
    files = write_scene(scene, 0, [seen(scene) * 0.5])
    assert sorted(files) == ["a.gltf", "my plate.bin"]
    assert len(files["my plate.bin"]) == len(body)
    inside = copy.deepcopy(doc)
    inside["buffers"][0]["uri"] = (
        "data:application/octet-stream;base64," + base64.b64encode(body).decode()
    )
    scene = read_scene("a.gltf", json.dumps(inside).encode())
    again = read_scene("a.gltf", write_scene(scene, 0, [seen(scene) * 0.5])["a.gltf"])
    assert seen(again) == pytest.approx(seen(scene) * 0.5)


def test_strips_and_fans():
    for mode, index in ((5, [0, 1, 3, 2]), (6, [0, 1, 2, 3])):
        glb = plain_glb(index=np.array(index, "<u2"))
        doc = json_of(glb)
        doc["meshes"][0]["primitives"][0]["mode"] = mode
        scene = read_scene(
            "a.glb",
            glb_of(doc, POINTS.tobytes() + UVS.tobytes() + np.array(index, "<u2").tobytes()),
        )
        assert island_set(scene.objects[0], 0, 1.0).uv_area == pytest.approx([0.25])


@pytest.mark.parametrize(("mode", "index"), [(5, [0, 1, 2, 3, 4]), (6, [0, 1, 2, 3, 4])])
def test_a_strip_or_fan_whose_vertices_part_comes_back_as_triangles(mode, index):
    """Every corner gets a place of its own, so vertices that triangles share must part."""
    points = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [0, 2, 0], [-1, 1, 0]], "<f4")
    uvs = points[:, :2] / 8 + 0.2
    glb = plain_glb(uvs.astype("<f4"), points, np.array(index, "<u2"))
    doc = json_of(glb)
    doc["meshes"][0]["primitives"][0]["mode"] = mode
    start = 20 + struct.unpack_from("<I", glb, 12)[0] + 8
    scene = read_scene("a.glb", glb_of(doc, glb[start : start + doc["buffers"][0]["byteLength"]]))
    mesh = scene.objects[0].mesh
    wanted = np.random.default_rng(1).random((len(mesh.corner_vertex), 2))
    again = read_scene("a.glb", write_scene(scene, 0, [wanted])["a.glb"]).objects[0].mesh
    assert again.channels[0].per_corner == pytest.approx(wanted, abs=1e-6)
    assert np.array_equal(again.positions[again.corner_vertex], mesh.positions[mesh.corner_vertex])


def test_draco_is_unpacked():
    import DracoPy

    packed = DracoPy.encode(
        POINTS, INDEX.reshape(-1, 3), tex_coord=UVS.astype(np.float64), quantization_bits=16
    )
    names = {a["attribute_type"]: a["unique_id"] for a in DracoPy.decode(packed).attributes}
    doc = json_of(plain_glb())
    for accessor in doc["accessors"]:
        accessor.pop("bufferView")
    doc["bufferViews"] = [{"buffer": 0, "byteLength": len(packed)}]
    doc["extensionsUsed"] = doc["extensionsRequired"] = ["KHR_draco_mesh_compression"]
    doc["meshes"][0]["primitives"][0]["extensions"] = {
        "KHR_draco_mesh_compression": {
            "bufferView": 0,
            "attributes": {"POSITION": names[0], "TEXCOORD_0": names[3]},
        }
    }
    data = glb_of(doc, packed)
    scene = read_scene("a.glb", data)
    assert island_set(scene.objects[0], 0, 1.0).uv_area == pytest.approx([0.25], abs=1e-3)
    assert "extensionsRequired" not in json_of(round_trip(data))


def test_the_builder_writes_valid_files(tmp_path):
    glb = build_glb(
        [Node("Root"), Node("Plate", 0, None, 0)],
        [("plate", [Primitive({"POSITION": POINTS, "TEXCOORD_0": UVS}, INDEX)])],
    )
    assert validator_errors(glb, tmp_path) == []


def broken(change) -> bytes:
    doc = json_of(plain_glb())
    change(doc)
    return glb_of(doc, POINTS.tobytes() + UVS.tobytes() + INDEX.tobytes())


BAD = {
    "cut short": (plain_glb()[:-40], "cut short"),
    "cut in the head": (plain_glb()[:10], "cut short"),
    "not json": (b"{ this is no json", "JSON cannot be read"),
    "no document": (b"[1, 2]", "not a glTF document"),
    "not a number": (b'{"asset": {"version": "2.0"}, "nodes": [{"scale": [1, NaN, 1]}]}', "JSON"),
    "deep": (b'{"asset": ' + b"[" * 100_000 + b"]" * 100_000 + b"}", "nested"),
    "old version": (json.dumps({"asset": {"version": "1.0"}}).encode(), "glTF 1.0"),
    "index out of range": (plain_glb(index=np.array([0, 1, 9], "<u2")), "asks for vertex 9"),
    "no faces": (broken(lambda d: d["meshes"][0]["primitives"][0].update(mode=0)), "0 faces"),
    "no meshes": (broken(lambda d: d.pop("meshes")), "asks for mesh 0"),
    "nothing": (broken(lambda d: (d.pop("meshes"), d.pop("nodes"), d.pop("scenes"))), "0 faces"),
    "null name": (broken(lambda d: d["nodes"][0].update(name=None)), "wrong kind"),
    "huge count": (broken(lambda d: d["accessors"][0].update(count=2**31)), "wrong kind"),
    "rows without data": (
        broken(
            lambda d: (d["accessors"][0].pop("bufferView"), d["accessors"][0].update(count=2**30))
        ),
        "without any data",
    ),
    "flat points": (
        broken(lambda d: d["meshes"][0]["primitives"][0]["attributes"].update(POSITION=1)),
        "2 numbers a row where 3",
    ),
    "material out of range": (
        broken(lambda d: d["meshes"][0]["primitives"][0].update(material=99)),
        "material 99",
    ),
    "negative index": (
        broken(lambda d: d["meshes"][0]["primitives"][0].update(indices=-1)),
        "wrong kind",
    ),
    "huge matrix": (broken(lambda d: d["nodes"][0].update(scale=[1e29, 1, 1])), "far too large"),
    "float indices": (
        broken(lambda d: d["meshes"][0]["primitives"][0].update(indices=1)),
        "whole numbers",
    ),
    "accessor too long": (broken(lambda d: d["accessors"][0].update(count=4000)), "needs"),
    "accessor missing": (
        broken(lambda d: d["meshes"][0]["primitives"][0].update(indices=77)),
        "accessor 77",
    ),
    "meshopt": (
        broken(lambda d: d.update(extensionsRequired=["EXT_meshopt_compression"])),
        "meshopt",
    ),
    "circle": (
        broken(lambda d: d.update(nodes=[{"mesh": 0, "children": [1]}, {"children": [0]}])),
        "circle",
    ),
    "draco rubbish": (
        broken(
            lambda d: d["meshes"][0]["primitives"][0].update(
                extensions={
                    "KHR_draco_mesh_compression": {"bufferView": 0, "attributes": {"POSITION": 0}}
                }
            )
        ),
        "Draco",
    ),
}


@pytest.mark.parametrize("name", BAD)
def test_bad_input_is_told_with_a_fix(name):
    data, said = BAD[name]
    with pytest.raises(FileFormatError) as caught:
        read_scene("a.glb" if data[:4] == b"glTF" else "a.gltf", data)
    assert said in str(caught.value)
    assert caught.value.fix


def test_side_files_that_are_missing_are_named():
    doc = json_of(plain_glb())
    doc["buffers"][0]["uri"] = "../../secret.bin"
    with pytest.raises(FileFormatError, match=r"secret\.bin"):
        read_scene("a.gltf", json.dumps(doc).encode(), lambda name: None)


def rich_glb() -> bytes:
    """A quad with a bow-tie layout, morph target, skin, animation and an extension nobody here
    knows."""
    points = np.array([[0, 0, 0], [1, 0, 0], [1, 1, 0], [2, 1, 0], [2, 2, 0]], "<f4")
    uvs = np.array([[0, 1], [0.25, 1], [0.25, 0.75], [0.5, 0.75], [0.5, 0.5]], "<f4")
    index = np.array([0, 1, 2, 2, 3, 4], "<u2")
    glb = plain_glb(uvs, points, index)
    doc = json_of(glb)
    body = points.tobytes() + uvs.tobytes() + index.tobytes()
    extra = [
        (np.zeros((5, 4), "<u1"), {"componentType": 5121, "type": "VEC4", "count": 5}),
        (
            np.tile(np.array([1, 0, 0, 0], "<f4"), (5, 1)),
            {"componentType": 5126, "type": "VEC4", "count": 5},
        ),
        (
            (points * 0.5).astype("<f4"),
            {"componentType": 5126, "type": "VEC3", "count": 5, "min": [0, 0, 0], "max": [1, 1, 0]},
        ),
        (
            np.array([[0], [1]], "<f4"),
            {"componentType": 5126, "type": "SCALAR", "count": 2, "min": [0], "max": [1]},
        ),
        (
            np.array([[0, 0, 0], [0, 1, 0]], "<f4"),
            {"componentType": 5126, "type": "VEC3", "count": 2},
        ),
    ]
    for rows, accessor in extra:
        body += b"\0" * (-len(body) % 4)
        doc["bufferViews"].append({"buffer": 0, "byteOffset": len(body), "byteLength": rows.nbytes})
        doc["accessors"].append({"bufferView": len(doc["bufferViews"]) - 1, **accessor})
        body += rows.tobytes()
    primitive = doc["meshes"][0]["primitives"][0]
    primitive["attributes"] |= {"JOINTS_0": 3, "WEIGHTS_0": 4}
    primitive["targets"] = [{"POSITION": 5}]
    doc["nodes"] = [{"name": "Flag", "mesh": 0, "skin": 0}, {"name": "Pole"}]
    doc["scenes"] = [{"nodes": [0, 1]}]
    doc["skins"] = [{"joints": [1]}]
    doc["animations"] = [
        {
            "samplers": [{"input": 6, "output": 7}],
            "channels": [{"sampler": 0, "target": {"node": 1, "path": "translation"}}],
        }
    ]
    doc["extras"] = {"crate": [1, {"deep": True}]}
    return glb_of(doc, body)


@pytest.mark.slow
def test_skins_animations_morphs_and_extras_survive_a_split(tmp_path):
    data = rich_glb()
    scene = read_scene("a.glb", data)
    placements = np.array([[[1, 0, 0.0], [0, 1, 0]], [[0, -1, 0.9], [1, 0, 0.1]]])
    out = write_scene(scene, 0, [object_corner_uvs(scene.objects[0], 0, placements)])["a.glb"]
    before, after = json_of(data), json_of(out)
    for key in ("nodes", "scenes", "skins", "animations", "extras", "asset"):
        assert after[key] == before[key]
    assert after["accessors"][: len(before["accessors"])] == before["accessors"]
    primitive = after["meshes"][0]["primitives"][0]
    counts = {
        after["accessors"][a]["count"]
        for a in [*primitive["attributes"].values(), primitive["targets"][0]["POSITION"]]
    }
    assert counts == {6}
    assert validator_errors(out, tmp_path) == validator_errors(data, tmp_path) == []


@pytest.mark.slow
def test_the_demo_s_files_and_their_packed_copies_are_valid(tmp_path):
    from demo.diorama import files

    for name in ("lighthouse.glb", "lamps.glb"):
        data = files()[name]
        assert validator_errors(data, tmp_path) == []
        assert validator_errors(round_trip(data), tmp_path) == []


def test_a_folder_s_siblings_never_lead_out_of_it(tmp_path):
    from quilt_core.formats.load import folder_siblings

    (tmp_path / "in").mkdir()
    (tmp_path / "secret.bin").write_bytes(b"x")
    (tmp_path / "in" / "near.bin").write_bytes(b"y")
    find = folder_siblings(tmp_path / "in")
    assert find("near.bin") == b"y"
    assert find("../secret.bin") is None
    assert find(str(tmp_path / "secret.bin")) is None
    assert find("nowhere.bin") is None
