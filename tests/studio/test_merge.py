"""Carrying over in a project: the shelf, the plan, the textures on the present layout, the files that
come back."""

import io
import json
import struct
import zipfile

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from quilt_core.formats import read_scene
from studio.models import Atlas, GivenTexture, Job
from studio.state import read_state
from tests.core.merge_samples import MTL, OBJ
from tests.core.painted import GlbMaker, paint, plain_device, plates, png
from tests.studio.conftest import step_of
from tests.studio.merge_samples import job_of, packed


def glb_json(data):
    length = struct.unpack_from("<I", data, 12)[0]
    return json.loads(data[20 : 20 + length])


def test_the_shelf_tells_materials_and_what_merging_would_change(client, painted):
    told = client.get(f"/api/atlases/{painted.pk}/materials/?size=512").json()
    assert [m["name"] for m in told["materials"]] == ["Paint", "Paint"]
    first = told["materials"][0]
    assert first["objects"] == ["Device 1"] and first["alpha"] == "OPAQUE"
    roles = {p["role"]: p for p in first["textures"]}
    assert roles["baseColor"]["width"] == 64 and roles["emissive"]["width"] == 32
    plan = told["plan"]
    assert plan["materials"] == {"before": 2, "after": 1}
    assert plan["maps"] == {"before": 8, "after": 4}
    assert plan["texels"]["after"] == 4 * 512 * 512
    assert plan["memory"]["after"]["bc7"] > plan["memory"]["after"]["bc1"]
    assert told["warnings"] == []
    small = client.get(f"/api/sources/{first['source']}/textures/{roles['baseColor']['number']}/")
    assert Image.open(io.BytesIO(small.content)).size == (64, 64)
    assert client.get(f"/api/sources/{first['source']}/textures/99/").status_code == 404
    assert client.get(f"/api/atlases/{painted.pk}/materials/?size=5").status_code == 400
    assert client.get("/api/atlases/999999/materials/").status_code == 404


@pytest.mark.slow
def test_pictures_come_to_the_present_layout_and_the_files_back_in_a_zip(act, painted, client):
    packed(act, painted)
    head = painted.head_id
    job = job_of(act(painted, "merge", width=512, name="set"))
    painted.refresh_from_db()
    # The layout is as it was: only textures were made.
    assert painted.head_id == head
    told = client.get(f"/api/jobs/{job.pk}/").json()["result"]
    assert told["report"]["maps"]["after"] == 4 and told["notes"] == []
    kept = {row["name"]: row["kept"] for row in told["report"]["objects"]}
    assert 0 < kept["Device 2"] < 10 and kept["Device 1"] > 0
    answer = client.get(f"/api/jobs/{job.pk}/textures/set_baseColor.png?size=128")
    assert answer.status_code == 200 and Image.open(io.BytesIO(answer.content)).size == (128, 128)
    assert client.get(f"/api/jobs/{job.pk}/textures/nothing.png").status_code == 404
    body = b"".join(client.get(f"/api/jobs/{job.pk}/download/"))
    with zipfile.ZipFile(io.BytesIO(body)) as archive:
        names = set(archive.namelist())
        assert {"one.glb", "two.glb", "textures/set_baseColor.png"} <= names
        for name in (n for n in names if n.endswith(".glb")):
            doc = glb_json(archive.read(name))
            assert [m["name"] for m in doc["materials"]] == ["set"]
            folder = name.rpartition("/")[0]
            for image in doc["images"]:
                path = f"{folder}/{image['uri']}" if folder else image["uri"]
                parts = []
                for part in path.split("/"):
                    parts = parts[:-1] if part == ".." else [*parts, part]
                assert "/".join(parts) in names
        one = next(n for n in names if n.endswith("one.glb"))
        scene = read_scene("one.glb", archive.read(one))
    # The new UVs are those of the atlas.
    state = read_state(painted.head)
    uv = scene.objects[0].mesh.channels[0].per_corner
    assert uv.min() >= 0 and uv.max() <= 1
    assert len(state.placements) == 7


@pytest.mark.slow
def test_a_preview_is_small_and_has_no_files(act, painted, client):
    packed(act, painted)
    job = job_of(act(painted, "merge", preview=True))
    assert job.result["preview"] and "file" not in job.result
    assert {p["width"] for p in job.result["report"]["textures"]} == {512}
    assert client.get(f"/api/jobs/{job.pk}/download/").status_code == 404


@pytest.mark.slow
def test_what_cannot_be_carried_over_says_why(act, painted, send, atlas):
    for bad in (
        {"width": 8},
        {"roles": {"shine": 512}},
        {"roles": {"normal": 3}},
        {"name": "../x"},
    ):
        assert act(painted, "merge", **bad).status_code == 400
    assert act(painted, "merge", naming="{name}").status_code == 400
    aside = job_of(act(painted, "merge", width=64))  # laid out as they came
    assert aside.result["report"]["groups"]


@pytest.mark.slow
def test_each_tile_gets_its_pictures(act, painted, client):
    tiles = [
        {"number": 1001, "width": 256, "height": 256},
        {"number": 1002, "width": 128, "height": 128},
    ]
    assert act(painted, "tiles", tiles=tiles, method="put").status_code == 200
    # Two plates go to the second sheet.
    beside = [1, 0, 1, 0, 1, 0]
    assert act(painted, "move", verb="move", islands=[0, 3], moves=[beside]).status_code == 200
    job = job_of(act(painted, "merge", name="set", width=512))
    sizes = {p["name"]: (p["width"], p["tile"]) for p in job.result["report"]["textures"]}
    assert sizes["set_baseColor.1001.png"] == (512, 1001)
    assert sizes["set_baseColor.1002.png"] == (256, 1002)
    body = b"".join(client.get(f"/api/jobs/{job.pk}/download/"))
    with zipfile.ZipFile(io.BytesIO(body)) as archive:
        doc = glb_json(archive.read("one.glb"))
        assert len(doc["meshes"][0]["primitives"]) == 2
        assert [m["name"] for m in doc["materials"]] == ["set 1001", "set 1002"]


@pytest.mark.slow
def test_parts_of_an_object_lie_in_two_atlases(act, painted, client):
    packed(act, painted)
    made = client.post(
        f"/api/projects/{painted.project_id}/atlases/",
        {"name": "Small parts", "change": painted.project.head_id},
        content_type="application/json",
    )
    painted.project.refresh_from_db()
    assert made.status_code == 201, made.content
    other = Atlas.objects.exclude(pk=painted.pk).get(project=painted.project)
    moved = act(other, "islands", source=painted.pk, islands=[0, 3])
    assert moved.status_code == 200, moved.content
    painted.refresh_from_db()
    other.refresh_from_db()
    job_of(act(other, "pack", padding=4, margin=2, effort="quick"))

    def materials(job):
        body = b"".join(client.get(f"/api/jobs/{job.pk}/download/"))
        with zipfile.ZipFile(io.BytesIO(body)) as archive:
            docs = [glb_json(archive.read(name)) for name in ("one.glb", "two.glb")]
        return [[m["name"] for m in doc["materials"]] for doc in docs]

    # Of this atlas alone: the other parts keep what they have.
    job = job_of(act(painted, "merge", width=256, name="set"))
    assert sorted(map(sorted, materials(job))) == [["Paint", "set"]] * 2
    met = job_of(act(painted, "merge", width=64, whole=True, naming="{role}"), Job.FAILED)
    assert "{name}" in met.error["fix"]
    job = job_of(act(painted, "merge", width=256, whole=True))
    assert len(job.result["report"]["textures"]) == 8
    assert {tuple(sorted(m)) for m in materials(job)} == {("Small_parts", "props_A")}


@pytest.mark.slow
def test_an_obj_in_folders_finds_its_pictures(act, send, atlas, client):
    rng = np.random.default_rng(2)
    wood, wool = (png(rng.integers(0, 256, (n, n, 3), np.uint8)) for n in (32, 16))
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("props/box.obj", OBJ)
        archive.writestr("props/box.mtl", MTL)
        archive.writestr("props/wood.png", wood)
        archive.writestr("props/wool.png", wool)
    assert send(props__zip=out.getvalue()).status_code == 201
    atlas.refresh_from_db()
    told = client.get(f"/api/atlases/{atlas.pk}/materials/").json()
    assert any(w["kind"] == "repeats" for w in told["warnings"])
    packed(act, atlas)
    job = job_of(act(atlas, "merge", width=256))
    body = b"".join(client.get(f"/api/jobs/{job.pk}/download/"))
    with zipfile.ZipFile(io.BytesIO(body)) as archive:
        text = archive.read("props/box.atlas.mtl").decode()
        assert "map_Kd ../textures/atlas_baseColor.png" in text
        assert "textures/atlas_baseColor.png" in archive.namelist()


@pytest.mark.slow
def test_profiles_are_kept_and_used(act, painted, client):
    url = f"/api/projects/{painted.project_id}/profiles/"
    told = client.get(url).json()
    assert [p["name"] for p in told["profiles"]][:2] == ["packed", "packed green down"]
    assert all(p["id"] is None for p in told["profiles"]) and "smoothness" in told["sources"]
    mine = {**told["profiles"][0], "name": "mine", "largest": 64}
    del mine["id"]
    mine["texture"] = mine["texture"][2:3]

    def save(profile):
        return client.post(url, {"profile": profile}, content_type="application/json")

    assert save({**mine, "name": "packed"}).status_code == 400
    assert save({**mine, "texture": [{"role": "a", "channels": ["gloss"]}]}).status_code == 400
    assert save(3).status_code == 400
    assert save(mine).status_code == 200
    kept = save(mine).json()["profiles"]
    assert [p["name"] for p in kept if p["id"]] == ["mine"]
    packed(act, painted)
    job = job_of(act(painted, "merge", width=128, profile=mine, format="webp"))
    assert [p["name"] for p in job.result["report"]["profile"]] == ["mine/atlas_orm.png"]
    body = b"".join(client.get(f"/api/jobs/{job.pk}/download/"))
    with zipfile.ZipFile(io.BytesIO(body)) as archive:
        pixels = Image.open(io.BytesIO(archive.read("textures/mine/atlas_orm.png")))
        assert pixels.size == (64, 64)
        assert "textures/atlas_baseColor.webp" in archive.namelist()
    assert act(painted, "merge", profile={"name": "x"}).status_code == 400
    own = next(p["id"] for p in kept if p["id"])
    assert client.delete(f"/api/profiles/{own}/").status_code == 204


def upload(client, url, name, data, **more):
    file = SimpleUploadedFile(name, data)
    return client.post(url, {"file": file, **more} if more.pop("one", False) else {"files": file})


@pytest.mark.slow
def test_pictures_are_given_renamed_and_taken_back(act, send, atlas, client):
    rng = np.random.default_rng(2)
    wood = png(rng.integers(0, 256, (32, 32, 3), np.uint8))
    bump = png(np.full((16, 16, 3), (128, 128, 255), np.uint8))
    assert send(box__obj=OBJ.encode(), box__mtl=MTL.encode()).status_code == 201
    atlas.refresh_from_db()
    shelf = f"/api/atlases/{atlas.pk}/materials/"
    given = f"/api/atlases/{atlas.pk}/given-textures/"

    def images():
        rows = client.get(shelf).json()["materials"]
        return {(row["name"], p["role"]): p for row in rows for p in row["textures"]}

    assert all(p["missing"] for p in images().values())
    answer = upload(client, given, "WOOD.png", wood)
    assert answer.status_code == 200 and answer.json()["lost"] == []
    assert [p["name"] for p in images().values() if not p["missing"]] == ["wood.png"]
    nowhere = upload(client, given, "sky.png", wood)
    assert nowhere.status_code == 400 and "crate_normal" in nowhere.json()["fix"]
    assert upload(client, given, "wood.png", b"nonsense").status_code == 400
    row = client.get(shelf).json()["materials"][0]
    one = f"/api/sources/{row['source']}/materials/{row['number']}/texture/"
    answer = client.post(one, {"file": SimpleUploadedFile("x_normal.png", bump)})
    assert answer.status_code == 204, answer.content
    assert images()[row["name"], "normal"]["width"] == 16

    def rename(**body):
        return client.patch(one, body, content_type="application/json")

    assert rename(role="normal", to="normal").status_code == 204
    assert rename(role="normal", to="normalGreenDown").status_code == 204
    assert images()[row["name"], "normal"]["width"] == 16, "it is a normal map still"
    assert rename(role="normal", to="height").status_code == 204
    assert (row["name"], "normal") not in images()
    assert images()[row["name"], "height"]["width"] == 16
    assert rename(role="normal", to="id").status_code == 400
    assert rename(role="height", to="nonsense").status_code == 400
    packed(act, atlas)
    job = job_of(act(atlas, "merge", width=64))
    assert {p["role"] for p in job.result["report"]["textures"]} >= {"baseColor", "height"}
    assert rename(role="height").status_code == 204
    assert (row["name"], "height") not in images()
    assert client.delete(given).status_code == 204
    assert all(p["missing"] for p in images().values())


def test_a_numbered_set_that_is_dropped_is_one_picture(send, atlas, client):
    assert send(box__obj=OBJ.encode(), box__mtl=MTL.encode()).status_code == 201
    atlas.refresh_from_db()
    shelf = f"/api/atlases/{atlas.pk}/materials/"
    grey = png(np.full((16, 16, 1), 90, np.uint8))
    files = [SimpleUploadedFile(f"wood_height.{n}.png", grey) for n in (1001, 1002)]
    answer = client.post(f"/api/atlases/{atlas.pk}/given-textures/", {"files": files})
    assert answer.status_code == 200, answer.content
    row = next(r for r in client.get(shelf).json()["materials"] if r["name"] == "wood")
    found = next(p for p in row["textures"] if p["role"] == "height")
    assert (found["name"], found["width"], found["height"]) == ("wood_height.<UDIM>.png", 32, 16)
    # It stays one when it is said to show something else.
    one = f"/api/sources/{row['source']}/materials/{row['number']}/texture/"
    body = {"role": "height", "to": "curvature"}
    assert client.patch(one, body, content_type="application/json").status_code == 204
    assert GivenTexture.objects.last().tiles == [0, 0, 2, 1]


@pytest.mark.slow
def test_picture_sets_are_drawn_for_each_tile(act, painted, client):
    packed(act, painted)
    carried = job_of(act(painted, "merge", width=64))
    job = job_of(
        act(painted, "textures", kinds=["id", "layers", "blank", "id"], by="island", bits=16)
    )
    assert [p["file"] for p in job.result["textures"]] == [
        "set_id.png", "set_layers.ora", "set_blank.png",
    ]  # fmt: skip
    body = b"".join(client.get(f"/api/jobs/{job.pk}/download/"))
    with zipfile.ZipFile(io.BytesIO(body)) as archive:
        ids = np.asarray(Image.open(io.BytesIO(archive.read("set_id.png"))))
        assert len(np.unique(ids[ids[..., 3] > 0], axis=0)) == 7
        with zipfile.ZipFile(io.BytesIO(archive.read("set_layers.ora"))) as layers:
            stack = layers.read("stack.xml").decode()
    assert stack.count("<layer ") == 8 and "carried image" in stack
    assert carried.result["revision"] == painted.head_id
    for bad in (
        {"kinds": []},
        {"kinds": ["x"]},
        {"kinds": ["id"], "colour": "#ff0000"},
        {"kinds": ["blank"], "colour": "mud"},
        {"kinds": ["id"], "naming": "x"},
    ):
        assert act(painted, "textures", **bad).status_code == 400


@pytest.mark.slow
def test_the_shelf_tells_what_shrinks_and_what_would_be_better_apart(act, send, atlas, client):
    def card(name, alpha, size):
        maker = GlbMaker()
        maker.material(
            name=name,
            alphaMode=alpha,
            pbrMetallicRoughness={"baseColorTexture": {"index": maker.texture(paint(size, 1))}},
        )
        points, normals, uv, faces = plates(1)
        part = {"points": points, "normals": normals, "uvs": [uv], "faces": faces, "material": 0}
        maker.mesh(name, part)
        return maker.glb()

    files = {"a__glb": card("Wall", "OPAQUE", 256), "b__glb": card("Floor", "OPAQUE", 64)}
    assert send(**files, c__glb=card("Pane", "BLEND", 64)).status_code == 201
    packed(act, atlas)
    told = client.get(f"/api/atlases/{atlas.pk}/materials/?size=2048").json()
    (row,) = told["suggestions"]
    assert row["title"] == "See-through" and len(row["objects"]) == 1 and "Pane" in row["what"]
    assert told["shrunk"] == []
    small = client.get(f"/api/atlases/{atlas.pk}/materials/?size=64").json()
    # Equal cards, painted with 256 and 64 px, have less than half of 64 px each.
    kept = {r["object"]: r["kept"] for r in small["shrunk"]}
    assert kept["Wall"] * 4 == pytest.approx(kept["Floor"], rel=1e-3)
    job = job_of(act(atlas, "merge", width=64))
    carried = {r["name"]: r["kept"] for r in job.result["report"]["objects"]}
    assert kept["Wall"] == pytest.approx(carried["Wall"], rel=1e-3)
    objects = row["objects"]
    made = client.post(
        f"/api/projects/{atlas.project_id}/atlases/",
        {"name": "See-through", "objects": objects, "change": step_of(atlas)},
        content_type="application/json",
    )
    assert made.status_code == 201
    assert client.get(f"/api/atlases/{atlas.pk}/materials/").json()["suggestions"] == []


@pytest.mark.slow
def test_uv_channels_are_edited_in_all_files_that_are_written(act, painted, send, client):
    assert send(box__obj=OBJ.encode(), box__mtl=MTL.encode()).status_code == 201
    packed(act, painted)
    edits = ["copy 1=2", "delete 5"]
    for verb in ("export", "merge"):
        more = {"width": 64} if verb == "merge" else {"layout_only": True}
        job = job_of(act(painted, verb, edits=edits[:1], **more))
        assert any("box.obj: an OBJ has one UV channel" in note for note in job.result["notes"])
        body = b"".join(client.get(f"/api/jobs/{job.pk}/download/"))
        with zipfile.ZipFile(io.BytesIO(body)) as archive:
            name = next(n for n in archive.namelist() if n.endswith("one.glb"))
            data = archive.read(name)
        channels = read_scene("one.glb", data).objects[0].mesh.channels
        assert len(channels) == 2
        np.testing.assert_array_equal(channels[0].per_corner, channels[1].per_corner)
        # Textures are still read by the first one.
        assert all(
            info.get("texCoord", 0) == 0
            for m in glb_json(data)["materials"]
            for info in m["pbrMetallicRoughness"].values()
            if isinstance(info, dict)
        )
    lost = job_of(act(painted, "export", edits=edits[1:], layout_only=True))
    assert sum("stay as they are" in note for note in lost.result["notes"]) == 2
    for bad in ("copy 1=1", "copy 1", "x 1"):
        assert act(painted, "export", edits=[bad]).status_code == 400


@pytest.mark.slow
def test_objects_are_shared_out_as_planned(act, send, atlas, client):
    files = {f"d{k}__glb": plain_device(10 * k + 1, 64) for k in range(3)}
    assert send(**files).status_code == 201
    atlas.refresh_from_db()
    project = f"/api/projects/{atlas.project_id}"
    rows = client.get(f"{project}/share-plan/").json()
    assert len(rows) == 3 and all(r["atlas"] == atlas.pk and r["painted"] > 1000 for r in rows)
    one, two, three = (row["id"] for row in rows)

    def post(url, **body):
        return client.post(url, body, content_type="application/json")

    groups = [{"size": 512, "objects": [one]}, {"size": 1024, "objects": [two, three]}]
    first, second = post(f"{project}/share-plan/", groups=groups).json()
    assert first["plan"]["texels"]["after"] == 4 * 512**2
    assert second["plan"]["materials"] == {"before": 2, "after": 1}
    assert (
        post(f"{project}/share-plan/", groups=[{"size": 64, "objects": [9**6]}]).status_code == 400
    )
    job = job_of(act(atlas, "plan-coverage", groups=[[one], [two, three]], padding=8))
    assert all(0.2 < share < 1 for share in job.result["coverage"])
    wanted = [
        {"atlas": atlas.pk, "name": "x", "objects": [one]},
        {"atlas": 0, "name": "Others", "objects": [two, three]},
    ]
    twice = [wanted[0], {**wanted[1], "objects": [one]}]
    assert post(f"{project}/share-out/", change=step_of(atlas), groups=twice).status_code == 400
    answer = post(f"{project}/share-out/", change=step_of(atlas), groups=wanted)
    assert answer.status_code == 200, answer.content
    other = Atlas.objects.get(pk=max(a["id"] for a in answer.json()["atlases"]))
    assert {m.object for m in read_state(other.head).members} == {two, three}
    atlas.refresh_from_db()
    assert [m.object for m in read_state(atlas.head).members] == [one]
