"""A material for each atlas: vertices, faces, names and UVs stay; only who has which material
changes."""

from pathlib import Path

import numpy as np
import pytest

from quilt_core.formats import read_scene
from quilt_core.formats.load import folder_siblings
from quilt_core.formats.part_materials import split_materials

MODELS = Path("/usr/share/assimp/models")
FILES = (
    "glTF2/BoxTextured-glTF/BoxTextured.gltf",
    "glTF2/2CylinderEngine-glTF-Binary/2CylinderEngine.glb",
    "OBJ/spider.obj",
    "OBJ/WusonOBJ.obj",
)
CORNERS = b"""mtllib boxes.mtl
o pair
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
vt 0 0
vt 1 0
vt 1 1
usemtl tin
f 1/1 2/2 3/3 # one
f 1/1 3/3 4/2
f 2/1 3/2 4/3
"""


def corner_facts(scene):
    """Per object: name, and for each face its corners' positions and UVs with its material, in any
    order of the faces."""
    out = []
    for obj in scene.objects:
        mesh = obj.mesh
        points = mesh.positions[mesh.corner_vertex].tolist()
        channels = [channel.per_corner.tolist() for channel in mesh.channels]
        rows = []
        for f in range(mesh.face_count):
            own = slice(mesh.face_offsets[f], mesh.face_offsets[f + 1])
            uvs = [channel[own] for channel in channels]
            material = int(mesh.face_material[f])
            name = scene.materials[material].name if material >= 0 else ""
            rows.append((points[own], str(uvs), name))
        out.append((obj.name, rows))
    return out


def read_from(out, folder, name):
    find = folder_siblings(folder)
    return read_scene(name, out[name], lambda wanted: out.get(wanted) or find(wanted))


@pytest.mark.parametrize("name", FILES)
@pytest.mark.slow
def test_real_files_keep_all_but_the_material_of_what_lies_elsewhere(name):
    path = MODELS / name
    if not path.exists():
        pytest.skip("assimp-testmodels is not installed")
    scene = read_scene(path.name, path.read_bytes(), folder_siblings(path.parent))
    atlases = [np.arange(obj.mesh.face_count) // 5 % 3 for obj in scene.objects]
    away = sum(int((atlas > 0).sum()) for atlas in atlases)
    out = split_materials(
        scene, atlases, ["body", "fine parts", "rest"], folder_siblings(path.parent)
    )
    again = read_from(out, path.parent, path.name)
    before, after = corner_facts(scene), corner_facts(again)
    assert [name for name, _ in before] == [name for name, _ in after]
    changed = 0
    for (_, old), (_, new) in zip(before, after, strict=True):
        strip = [(points, uvs) for points, uvs, _ in old]
        assert sorted(map(str, strip)) == sorted(str((p, u)) for p, u, _ in new)
        known = {m for _, _, m in old} | {"plain"}
        changed += sum(material not in known for _, _, material in new)
    assert changed == away > 0, "each material begins in the first atlas"
    if path.suffix == ".obj":
        vertices = [obj.mesh.positions.tobytes() for obj in scene.objects]
        assert [obj.mesh.positions.tobytes() for obj in again.objects] == vertices
    else:
        was, now = scene.source, again.source
        assert now.doc["accessors"][: len(was.doc["accessors"])] == was.doc["accessors"]
        assert now.buffers[0].startswith(was.buffers[0]), "vertices stay where they are"
    names = {m.name for m in again.materials}
    assert any(name.endswith("fine_parts") for name in names)


def test_an_obj_gets_usemtl_lines_and_a_material_file_beside():
    mtl = b"newmtl tin\nKd 0.5 0.5 0.5\nmap_Kd tin.png\n"
    scene = read_scene("two.obj", CORNERS, {"boxes.mtl": mtl}.get)
    out = split_materials(
        scene, [np.array([0, 1, 0])], ["a", "arms + legs"], {"boxes.mtl": mtl}.get
    )
    assert sorted(out) == ["two.atlases.mtl", "two.obj"]
    assert out["two.atlases.mtl"] == b"newmtl tin_arms_legs\nKd 0.5 0.5 0.5\nmap_Kd tin.png\n"
    lines = out["two.obj"].decode().splitlines()
    assert lines[:3] == ["mtllib boxes.mtl", "mtllib two.atlases.mtl", "o pair"]
    assert lines[-5:] == [
        "f 1/1 2/2 3/3 # one",
        "usemtl tin_arms_legs",
        "f 1/1 3/3 4/2",
        "usemtl tin",
        "f 2/1 3/2 4/3",
    ]


def test_nothing_changes_where_each_material_lies_in_one_atlas():
    scene = read_scene("two.obj", CORNERS)
    assert split_materials(scene, [np.array([1, 1, -1])], ["a", "b"]) == {}


def test_faces_without_a_material_get_one_too():
    bare = CORNERS.replace(b"usemtl tin\n", b"").replace(b"mtllib boxes.mtl\n", b"")
    scene = read_scene("two.obj", bare)
    out = split_materials(scene, [np.array([0, 1, 0])], ["a", "b"])
    again = read_scene("two.obj", out["two.obj"], out.get)
    names = [again.materials[m].name if m >= 0 else "" for m in again.objects[0].mesh.face_material]
    assert names == ["", "b", "plain"]
