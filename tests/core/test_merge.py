"""Merging painted files, end to end by the command line; surface samples of before and after are
compared by a reader of its own, the Khronos validator reads what is written."""

from __future__ import annotations

import io
import json
import struct
from pathlib import Path

import numpy as np
import pytest
from PIL import Image

from quilt_cli.main import main
from quilt_core.errors import LayoutError
from quilt_core.formats import read_scene
from quilt_core.formats.load import folder_siblings
from quilt_core.formats.merge_files import MergeSettings, Sheet, carry_files, merge_files
from quilt_core.pack import PackSettings
from tests.core.gltf_samples import validator_errors
from tests.core.merge_samples import MTL, OBJ
from tests.core.painted import GlbMaker, hard_device, plain_device, plates, png

ASSIMP = Path("/usr/share/assimp/models")


def merged(tmp_path, capsys, files: dict[str, bytes], *options: str, ok: bool = True):
    """Merge files; the answer and the folders of before and after."""
    before, after = tmp_path / "before", tmp_path / "after"
    before.mkdir(exist_ok=True)
    for name, data in files.items():
        (before / name).write_bytes(data)
    meshes = [str(before / n) for n in files if n.endswith((".glb", ".gltf", ".obj"))]
    code = main(["merge", *meshes, "--out", str(after), "--effort", "quick", "--json", *options])
    out = capsys.readouterr().out
    assert code == (0 if ok else 1), out
    return json.loads(out), before, after


class Samples:
    """What is shaded at points of a GLB's surface, read by plain code: uvs and textures alone."""

    def __init__(self, path: Path) -> None:
        data = path.read_bytes()
        length = struct.unpack_from("<I", data, 12)[0]
        self.doc = json.loads(data[20 : 20 + length])
        self.body, self.folder = data[28 + length :], path.parent

    def rows(self, number: int) -> np.ndarray:
        entry = self.doc["accessors"][number]
        view = self.doc["bufferViews"][entry["bufferView"]]
        kind = {5126: "<f4", 5125: "<u4", 5123: "<u2"}[entry["componentType"]]
        width = {"SCALAR": 1, "VEC2": 2, "VEC3": 3, "VEC4": 4}[entry["type"]]
        item = np.dtype(kind).itemsize * width
        at = view.get("byteOffset", 0) + entry.get("byteOffset", 0)
        step = view.get("byteStride", item)
        own = [self.body[at + k * step : at + k * step + item] for k in range(entry["count"])]
        return np.frombuffer(b"".join(own), kind).reshape(-1, width)

    def image(self, info: dict) -> np.ndarray:
        image = self.doc["images"][self.doc["textures"][info["index"]]["source"]]
        if "uri" in image:
            data = (self.folder / image["uri"]).read_bytes()
        else:
            view = self.doc["bufferViews"][image["bufferView"]]
            data = self.body[view["byteOffset"] : view["byteOffset"] + view["byteLength"]]
        return np.asarray(Image.open(io.BytesIO(data)).convert("RGBA")).astype(float) / 255

    def base_at(self, primitive: dict, tri: np.ndarray, bary: np.ndarray) -> np.ndarray:
        """(N, 3) base colours in linear light at points of triangles."""
        material = self.doc["materials"][primitive["material"]]["pbrMetallicRoughness"]
        factor = np.array(material.get("baseColorFactor", [1, 1, 1, 1]))[:3]
        info = material.get("baseColorTexture")
        if info is None:
            return np.tile(factor, (len(tri), 1))
        pixels = self.image(info)
        index = self.rows(primitive["indices"]).reshape(-1, 3)[tri]
        uv = self.rows(primitive["attributes"][f"TEXCOORD_{info.get('texCoord', 0)}"])[index]
        height, width = pixels.shape[:2]
        at = np.einsum("nk,nkc->nc", bary, uv) * (width, height) - 0.5
        low = np.floor(at).astype(int)
        part = at - low
        linear = np.where(pixels <= 0.04045, pixels / 12.92, ((pixels + 0.055) / 1.055) ** 2.4)
        out = np.zeros((len(tri), 3))
        for dx in (0, 1):
            for dy in (0, 1):
                weight = np.where(dx, part[:, 0], 1 - part[:, 0])
                weight = weight * np.where(dy, part[:, 1], 1 - part[:, 1])
                texel = linear[(low[:, 1] + dy) % height, (low[:, 0] + dx) % width, :3]
                out += weight[:, None] * texel
        return out * factor


def faces_at(samples: Samples, primitive: dict) -> dict[bytes, int]:
    """Triangles of a primitive by where their corners lie."""
    points = samples.rows(primitive["attributes"]["POSITION"])
    corners = points[samples.rows(primitive["indices"]).reshape(-1, 3)]
    return {own.tobytes(): k for k, own in enumerate(corners)}


def difference(old: Path, new: Path, primitive: int = 0) -> float:
    """Difference of base colours, in linear light, that three quarters of the surface keep: near borders
    of small textures the old ones show their neighbours, and the new ones do not."""
    a, b = Samples(old), Samples(new)
    rng = np.random.default_rng(3)
    one = a.doc["meshes"][0]["primitives"][primitive]
    two = b.doc["meshes"][0]["primitives"][primitive]
    count = len(a.rows(one["indices"])) // 3
    tri = rng.integers(0, count, 4000)
    bary = rng.dirichlet((1, 1, 1), 4000)
    off = np.abs(a.base_at(one, tri, bary) - b.base_at(two, tri, bary)).max(axis=1)
    return float(np.percentile(off, 75))


@pytest.mark.parametrize("embed", [False, True])
@pytest.mark.slow
def test_five_painted_files_come_back_with_one_set_of_pictures(tmp_path, capsys, embed):
    files = {f"dev{k}.glb": plain_device(10 * k + 1, (64, 128)[k % 2], 3 + k) for k in range(5)}
    extra = ["--embed"] if embed else []
    answer, before, after = merged(tmp_path, capsys, files, "--size", "512", *extra)
    assert answer["scale"] == 1.0
    assert answer["materials"] == {"before": 5, "after": 1}
    # Occlusion, roughness and metal were one texture, and are.
    assert answer["maps"] == {"before": 20, "after": 4}
    assert answer["draw_calls"] == {"before": 5, "after": 5}
    assert {p["name"] for p in answer["textures"]} == {
        "atlas_baseColor.png", "atlas_occlusionRoughnessMetallic.png", "atlas_normal.png", "atlas_emissive.png",
    }  # fmt: skip
    assert all(
        db > 40
        for row in answer["objects"]
        for role, db in row["loss"].items()
        if role == "baseColor"
    )
    assert (len(list(after.glob("*.png"))) == 0) == embed
    for name in files:
        assert difference(before / name, after / name) < 1e-4
        old, new = (
            read_scene(name, (d / name).read_bytes(), folder_siblings(d)) for d in (before, after)
        )
        assert [o.name for o in new.objects] == [o.name for o in old.objects]
        np.testing.assert_array_equal(new.objects[0].mesh.positions, old.objects[0].mesh.positions)
        assert validator_errors((after / name).read_bytes(), after) == []


@pytest.mark.slow
def test_states_part_materials_and_share_pictures(tmp_path, capsys):
    answer, before, after = merged(
        tmp_path, capsys, {"hard.glb": hard_device()}, "--size", "1024", "--name", "panel"
    )
    assert answer["materials"]["after"] == 5
    assert answer["stacked"] > 0
    doc = Samples(after / "hard.glb").doc
    kinds = {(m.get("alphaMode", "OPAQUE"), m.get("doubleSided", False)) for m in doc["materials"]}
    assert kinds == {("OPAQUE", False), ("OPAQUE", True), ("MASK", False), ("BLEND", True)}
    assert "KHR_texture_transform" not in json.dumps(doc)
    assert {s["wrapS"] for s in doc["samplers"]} == {33071}
    assert len(doc["images"]) == len(answer["textures"])
    names = {p["name"]: p for p in answer["textures"]}
    assert names["panel_normal.png"]["bits"] == 16 and names["panel_baseColor.png"]["channels"] == 4
    for primitive in (0, 3, 6, 7, 8, 9, 10):
        # The nearest filter of one becomes a soft one; a texel of difference is what that is.
        limit = 0.2 if primitive == 6 else 5e-4
        if primitive != 3:  # read by a transform, which this plain reader does not know
            assert difference(before / "hard.glb", after / "hard.glb", primitive) < limit
    assert validator_errors((after / "hard.glb").read_bytes(), after) == []
    lamp = next(
        m
        for m in doc["materials"]
        if "extensions" in m and "KHR_materials_emissive_strength" in m["extensions"]
    )
    assert lamp["extensions"]["KHR_materials_emissive_strength"]["emissiveStrength"] == 4.0


@pytest.mark.slow
def test_tangents_agree_with_the_new_uvs(tmp_path, capsys):
    _, _, after = merged(tmp_path, capsys, {"hard.glb": hard_device()}, "--size", "1024")
    made = Samples(after / "hard.glb")
    primitive = made.doc["meshes"][0]["primitives"][0]
    index = made.rows(primitive["indices"]).reshape(-1, 3)
    own = {k: made.rows(v)[index].astype(float) for k, v in primitive["attributes"].items()}
    p, uv, t = own["POSITION"], own["TEXCOORD_0"], own["TANGENT"]
    e1, e2 = p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]
    a, b = uv[:, 1] - uv[:, 0], uv[:, 2] - uv[:, 0]
    det = (a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])[:, None]
    du = (e1 * b[:, 1:] - e2 * a[:, 1:]) / det
    du /= np.linalg.norm(du, axis=1, keepdims=True)
    mean = t[..., :3].mean(axis=1)
    mean /= np.linalg.norm(mean, axis=1, keepdims=True)
    assert (np.degrees(np.arccos(np.clip((du * mean).sum(axis=1), -1, 1))) < 10).all()
    # V is stored from the top: an island that is not mirrored has a negative determinant there.
    assert (t[:, 0, 3] == np.where(det[:, 0] < 0, 1, -1)).all()


@pytest.mark.slow
def test_density_can_be_even_or_a_number_and_says_when_it_does_not_fit(tmp_path, capsys):
    files = {"a.glb": plain_device(1, 64), "b.glb": plain_device(2, 256)}
    _, _, after = merged(tmp_path, capsys, files, "--size", "512", "--density", "64")
    rates = []
    for name in files:
        mesh = read_scene(name, (after / name).read_bytes(), folder_siblings(after)).objects[0].mesh
        tri = mesh.triangles
        flat = mesh.channels[0].per_corner[tri] * 512
        p = mesh.positions[mesh.corner_vertex[tri]]
        area = np.linalg.norm(np.cross(p[:, 1] - p[:, 0], p[:, 2] - p[:, 0]), axis=1).sum() / 2
        a, b = flat[:, 1] - flat[:, 0], flat[:, 2] - flat[:, 0]
        rates.append(np.sqrt(np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0]).sum() / 2 / area))
    np.testing.assert_allclose(rates, 64, rtol=1e-3)
    before = tmp_path / "before"
    code = main(
        [
            "merge",
            str(before / "a.glb"),
            "--out",
            str(tmp_path / "x"),
            "--size",
            "64",
            "--density",
            "500",
        ]
    )
    assert code == 2 and "do not fit" in capsys.readouterr().err


def test_the_old_layout_survives_in_its_channel(tmp_path, capsys):
    data = plain_device(3, 64)
    _, before, after = merged(tmp_path, capsys, {"a.glb": data}, "--size", "256", "--keep-channel")
    old, new = Samples(before / "a.glb"), Samples(after / "a.glb")
    primitive = new.doc["meshes"][0]["primitives"][0]["attributes"]
    np.testing.assert_array_equal(
        new.rows(primitive["TEXCOORD_0"]),
        old.rows(old.doc["meshes"][0]["primitives"][0]["attributes"]["TEXCOORD_0"]),
    )
    info = new.doc["materials"][0]["pbrMetallicRoughness"]["baseColorTexture"]
    assert info["texCoord"] == 1
    assert difference(before / "a.glb", after / "a.glb") < 1e-4


def test_an_obj_gets_one_picture_and_a_material_for_each_state(tmp_path, capsys):
    rng = np.random.default_rng(1)
    wood, wool = (rng.integers(0, 256, (n, n, 3), np.uint8) for n in (32, 16))
    files = {
        "box.obj": OBJ.encode(), "box.mtl": MTL.encode(), "wood.png": png(wood), "wool.png": png(wool),
    }  # fmt: skip
    answer, _, after = merged(tmp_path, capsys, files, "--size", "256")
    assert answer["materials"] == {"before": 3, "after": 3}  # Ns 10, none, see-through
    text = (after / "box.atlas.mtl").read_text()
    assert text.count("map_Kd atlas_baseColor.png") == 2 and "Ns 10" in text and "d 0.5" in text
    assert "-s 2" not in text
    scene = read_scene("box.obj", (after / "box.obj").read_bytes(), folder_siblings(after))
    # The wood is read twice over: it is laid out as large as it is seen.
    uv = scene.objects[0].mesh.channels[0].per_corner * 256
    assert sorted(np.ptp(uv[:4], axis=0).round(3)) == [64, 64]
    assert sorted(np.ptp(uv[4:8], axis=0).round(3)) == [16, 16]
    pixels = np.asarray(Image.open(after / "atlas_baseColor.png"))
    u, v = uv[4:8].min(axis=0).round().astype(int)
    laid = pixels[256 - v - 16 : 256 - v, u : u + 16]
    assert any(np.array_equal(np.rot90(laid, k), wool) for k in range(4))


def test_a_missing_picture_is_told_and_the_rest_done(tmp_path, capsys):
    files = {"box.obj": OBJ.encode(), "box.mtl": MTL.encode()}
    answer, _, after = merged(tmp_path, capsys, files, "--size", "128", ok=False)
    assert sum("is left out" in note for note in answer["notes"]) == 2
    assert (after / "box.obj").exists()


@pytest.mark.skipif(not ASSIMP.exists(), reason="Debian's assimp-testmodels are not installed")
@pytest.mark.parametrize(
    "path",
    ["glTF2/BoxTextured-glTF-Binary/BoxTextured.glb", "OBJ/spider.obj",
     "glTF2/textureTransform/TextureTransformTest.gltf", "glTF2/wrongTypes/badNumber.gltf",
     "glTF2/BoxWithInfinites-glTF-Binary/BoxWithInfinites.glb"],
)  # fmt: skip
@pytest.mark.slow
def test_real_files_are_merged(tmp_path, capsys, path):
    source = ASSIMP / path
    code = main(
        ["merge", str(source), "--out", str(tmp_path / source.name), "--size", "1024", "--effort",
         "quick", "--json"]
    )  # fmt: skip
    answer = json.loads(capsys.readouterr().out)
    assert code == 0, answer
    name = source.name
    again = read_scene(name, (tmp_path / name).read_bytes(), folder_siblings(tmp_path))
    first = read_scene(name, source.read_bytes(), folder_siblings(source.parent))
    assert [o.mesh.face_count for o in again.objects] == [o.mesh.face_count for o in first.objects]
    assert answer["maps"]["after"] <= 5


@pytest.mark.slow
def test_the_plan_tells_today_against_what_merging_gives(tmp_path, capsys):
    files = []
    for k in range(3):
        path = tmp_path / f"d{k}.glb"
        path.write_bytes(plain_device(10 * k + 1, 64))
        files.append(str(path))
    code = main(["plan", *files, "--density", "64", "--size", "1024", "--json"])
    told = json.loads(capsys.readouterr().out)["merge"]
    assert code in (0, 1)
    assert told["maps"] == {"before": 12, "after": 4} and told["materials"]["after"] == 1
    assert told["texels"] == {"before": 3 * (3 * 64 * 64 + 32 * 32), "after": 4 * 1024 * 1024}
    assert set(told["roles"]) == {"baseColor", "normal", "emissive", "occlusionRoughnessMetallic"}
    assert main(["plan", *files, "--density", "64"]) in (0, 1)
    assert "textures 12 -> 4" in capsys.readouterr().out


@pytest.mark.slow
def test_several_tiles_have_a_set_of_pictures_each(tmp_path, capsys):
    files = {f"d{k}.glb": plain_device(10 * k + 1, 64) for k in range(3)}
    answer, _, after = merged(tmp_path, capsys, files, "--size", "128", "--most-tiles", "4")
    found = {p["tile"] for p in answer["textures"]}
    assert len(found) > 1 and answer["scale"] == 1.0
    assert answer["materials"]["after"] == len(found)
    for name in files:
        doc = Samples(after / name).doc
        assert {m["name"] for m in doc["materials"]} <= {f"atlas {tile}" for tile in found}
        assert not validator_errors((after / name).read_bytes(), after)


def bare_device() -> bytes:
    """Two plates without UVs, by numbers only."""
    maker = GlbMaker()
    material = maker.material(
        name="Grey", pbrMetallicRoughness={"baseColorFactor": [0.5, 0.4, 0.3, 1]}
    )
    points, normals, _, faces = plates(2)
    maker.mesh("Bare", {"points": points, "normals": normals, "faces": faces, "material": material})
    return maker.glb()


@pytest.mark.parametrize("keep", [False, True])
@pytest.mark.slow
def test_what_has_no_uvs_gets_its_colour_and_channels_have_no_gap(tmp_path, capsys, keep):
    files = {"a.glb": plain_device(3, 64), "bare.glb": bare_device()}
    extra = ["--keep-channel"] if keep else []
    answer, before, after = merged(tmp_path, capsys, files, "--size", "256", *extra)
    assert answer["materials"] == {"before": 2, "after": 1}
    made = Samples(after / "bare.glb")
    sets = [k for k in made.doc["meshes"][0]["primitives"][0]["attributes"] if "TEXCOORD" in k]
    assert sorted(sets) == ["TEXCOORD_0", "TEXCOORD_1"][: 1 + keep]
    # Eight bits, and yet right to a tenth of a step of them.
    assert difference(before / "bare.glb", after / "bare.glb") < 4e-4
    for name in files:
        assert validator_errors((after / name).read_bytes(), after) == []


def test_a_merge_that_is_given_up_writes_nothing():
    scene = read_scene("a.glb", plain_device(3, 64))
    told = []

    def tell(progress: float, what: str) -> bool:
        told.append(what)
        return not what.startswith("carrying over normal")

    with pytest.raises(LayoutError, match="given up"):
        merge_files(
            [scene],
            [None],
            MergeSettings(PackSettings(width=256, height=256, effort="quick")),
            tell,
        )
    # Nothing was carried after that.
    assert "carrying over occlusion" not in told


def test_names_of_pictures_never_lead_elsewhere(tmp_path, capsys):
    path = tmp_path / "a.glb"
    path.write_bytes(plain_device(3, 64))
    code = main(["merge", str(path), "--out", str(tmp_path / "out"), "--name", "../../elsewhere"])
    assert code == 2 and "names of files" in capsys.readouterr().err
    assert not (tmp_path / "out").exists()


@pytest.mark.slow
def test_tiles_and_parts_get_pictures_of_their_own_and_the_rest_stays(tmp_path):
    device = plain_device(3, 64, 4)
    scene = read_scene("device.glb", device)
    mesh = scene.objects[0].mesh
    old = mesh.channels[0].per_corner
    # Four plates in the quarters of the square: one goes to each of two tiles of 64 px and to a sheet of
    # 32 px, turned or moved by whole texels; the last one stays.
    plate = (np.arange(mesh.face_count) // 32).astype(np.int64)
    uv = np.full_like(old, np.nan)
    corner = plate[mesh.corner_face]
    low = {k: np.floor(old[corner == k].min(axis=0) * 2) / 2 for k in range(3)}
    for k, place in ((0, (0.25, 0.25)), (1, (1.5, 0.0)), (2, (0.0, 0.0))):
        own = old[corner == k] - low[k]
        if k == 1:
            own = np.stack([own[:, 1], 0.5 - own[:, 0]], axis=1)
        uv[corner == k] = own * (2 if k == 2 else 1) + place
    sheets = [Sheet("set", 64, 64, 1001), Sheet("set", 64, 64, 1002), Sheet("other", 32, 32)]
    of_face = np.where(plate < 3, plate, -1)
    done = carry_files(
        [scene], [None], [[uv]], MergeSettings(name="set"), sheets=sheets, face_sheets=[[of_face]]
    )
    roles = ("baseColor", "occlusionRoughnessMetallic", "normal", "emissive")
    assert set(done.images) == {
        f"{stem}_{role}{tile}.png"
        for stem, tile in (("set", ".1001"), ("set", ".1002"), ("other", ""))
        for role in roles
    }
    assert {(p["role"], p["tile"], p["set"]) for p in done.report["textures"]} >= {
        ("normal", 1002, "set 1002"), (roles[1], 0, "other"),
    }  # fmt: skip
    before, after = tmp_path / "before", tmp_path / "after"
    for folder, files in ((before, {"device.glb": device}), (after, done.files[0] | done.images)):
        folder.mkdir()
        for name, data in files.items():
            (folder / name).write_bytes(data)
    assert validator_errors((after / "device.glb").read_bytes(), after) == []
    a, b = Samples(before / "device.glb"), Samples(after / "device.glb")
    pieces = b.doc["meshes"][0]["primitives"]
    assert len({json.dumps(piece["attributes"]) for piece in pieces}) == 1
    names = [b.doc["materials"][piece["material"]]["name"] for piece in pieces]
    assert sorted(names) == ["Paint", "other", "set 1001", "set 1002"]
    assert done.report["draw_calls"] == {"before": 1, "after": 4}
    one = a.doc["meshes"][0]["primitives"][0]
    known = faces_at(a, one)
    rng = np.random.default_rng(4)
    for piece in pieces:
        found = faces_at(b, piece)
        assert len(found) == 32
        there = rng.choice(len(found), 500)
        keys = list(found)
        bary = rng.dirichlet((1, 1, 1), 500)
        was = a.base_at(one, np.array([known[keys[k]] for k in there]), bary)
        now = b.base_at(piece, np.array([found[keys[k]] for k in there]), bary)
        assert np.percentile(np.abs(was - now).max(axis=1), 75) < 1e-4


def test_tiles_of_an_obj_stay_where_they_are(tmp_path):
    text = b"""mtllib two.mtl
v 0 0 0
v 1 0 0
v 0 1 0
v 1 1 0
vt 0.1 0.1
vt 0.9 0.1
vt 0.1 0.9
usemtl a
f 1/1 2/2 3/3
usemtl b
f 2/1 4/2 3/3
"""
    mtl = b"newmtl a\nKd 1 0 0\nnewmtl b\nKd 0 0 1\n"
    scene = read_scene("two.obj", text, lambda name: mtl)
    uv = np.array([(0.1, 0.1), (0.9, 0.1), (0.1, 0.9), (1.1, 0.1), (1.9, 0.1), (1.1, 0.9)])
    sheets = [Sheet("set", 64, 64, 1001), Sheet("set", 64, 64, 1002)]
    done = carry_files(
        [scene], [lambda name: mtl], [[uv]], MergeSettings(), sheets=sheets,
        face_sheets=[[np.array([0, 1])]],
    )  # fmt: skip
    again = read_scene("two.obj", done.files[0]["two.obj"], lambda n: done.files[0].get(n))
    np.testing.assert_allclose(again.objects[0].mesh.channels[0].per_corner, uv)
    # Each tile has one colour, which its material says without a texture.
    written = done.files[0]["two.atlas.mtl"].decode().split("newmtl ")
    assert [block.split()[0] for block in written[1:]] == ["set_1001", "set_1002"]
    assert "Kd 1 0 0" in written[1] and "Kd 0 0 1" in written[2] and not done.images


def test_what_repeats_too_often_can_stay_out(tmp_path, capsys):
    maker = GlbMaker()
    texture = maker.texture(np.full((16, 16, 3), 99, np.uint8))
    number = maker.material(pbrMetallicRoughness={"baseColorTexture": {"index": texture}})
    points, normals, uv, faces = plates(1)
    part = {"points": points, "normals": normals, "faces": faces, "material": number}
    maker.mesh("Floor", {**part, "uvs": [(uv * 6).astype(np.float32)]})
    maker.mesh("Card", {**part, "uvs": [uv]})
    files = {"both.glb": maker.glb()}
    answer, _, _ = merged(tmp_path, capsys, files, "--size", "512")
    # 0.88 of the texture's side, six times as large.
    assert [row["name"] for row in answer["objects"]] == ["Floor", "Card"]
    assert any(f"{(0.88 * 6) ** 2:.1f} times over" in note for note in answer["notes"])
    answer, before, after = merged(tmp_path, capsys, files, "--size", "512", "--most-repeats", "20")
    assert [row["name"] for row in answer["objects"]] == ["Card"]
    assert any("“Floor”" in note and "stays as it is" in note for note in answer["notes"])
    old, new = (read_scene("b.glb", (d / "both.glb").read_bytes()) for d in (before, after))
    was, now = (scene.objects[0].mesh.channels[0].per_corner for scene in (old, new))
    np.testing.assert_array_equal(was, now)


def two_cards(other: int) -> bytes:
    """Two cards with the same UVs, the second one painted with another texture or the same."""
    maker = GlbMaker()
    first = maker.texture(np.full((32, 32, 3), 200, np.uint8))
    second = maker.texture(np.full((32, 32, 3), other, np.uint8))
    materials = [
        maker.material(pbrMetallicRoughness={"baseColorTexture": {"index": t}})
        for t in (first, second)
    ]
    points, normals, uv, faces = plates(1)
    part = {"points": points, "normals": normals, "uvs": [uv], "faces": faces}
    maker.mesh("Cards", {**part, "material": materials[0]}, {**part, "material": materials[1]})
    return maker.glb()


def test_a_card_with_two_pictures_is_laid_out_twice(tmp_path, capsys):
    # Both sides lie at the same place, with the same UVs: one island, were it not for the textures.
    answer, before, after = merged(
        tmp_path, capsys, {"cards.glb": two_cards(50)}, "--size", "256", "--density", "keep"
    )
    assert answer["islands"] == 2
    for primitive in (0, 1):
        assert difference(before / "cards.glb", after / "cards.glb", primitive) < 1e-4


@pytest.mark.parametrize(("other", "notes"), [(50, 1), (200, 0)])
def test_islands_that_lie_on_one_another_must_show_the_same(other, notes):
    scene = read_scene("cards.glb", two_cards(other))
    uv = scene.objects[0].mesh.channels[0].per_corner * 0.5
    done = carry_files(
        [scene], [None], [[uv]], MergeSettings(pack=PackSettings(width=64, height=64))
    )
    told = [note for note in done.notes if "lie on one another" in note]
    assert len(told) == notes
    if told:
        # 0.44 of the tile's side, whose square is 793 texels.
        count = int(
            told[0].partition("on ")[2].partition(" texels")[0].split()[-1].replace(",", "")
        )
        assert abs(count - (0.44 * 64) ** 2) < 20


@pytest.mark.slow
def test_the_same_picture_at_other_places_is_a_conflict_too():
    scene = read_scene("device.glb", plain_device(3, 64, 4))
    mesh = scene.objects[0].mesh
    # All four plates, which are painted in four places, on one.
    uv = mesh.channels[0].per_corner
    piled = uv - np.floor(uv * 2) / 2
    settings = MergeSettings(pack=PackSettings(width=64, height=64))
    piled_notes = carry_files([scene], [None], [[piled]], settings).notes
    assert any("“Device 3” lie on one another" in note for note in piled_notes)
    assert not carry_files([scene], [None], [[uv]], settings).notes
