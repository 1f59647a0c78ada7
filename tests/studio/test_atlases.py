"""Several atlases and UV channels: objects move between them, each step can be undone, and all of
it is written."""

import io
import json
import zipfile

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from quilt_core.document.islands import fresh_islands
from quilt_core.document.state import MemberRow, State, TileRow, joined, spans, split_islands
from quilt_core.formats import read_scene
from quilt_core.measure import measure
from quilt_core.scene import concatenate, island_set
from quilt_core.scene.placement import identity
from studio.models import Atlas, Job, MeshObject, Project
from studio.state import read_state
from tests.core.channels_samples import channels_of, two_meshes
from tests.core.meshes import QUAD_OBJ, TWO_PARTS, plain_glb
from tests.studio.conftest import step_of


@pytest.fixture
def post(client, gathered):
    """Post to an address of the API from the newest step."""

    def send(address, method="post", **body):
        given = {"change": step_of(gathered), **body}
        return getattr(client, method)(f"/api/{address}/", given, content_type="application/json")

    return send


def state(atlas_id):
    return read_state(Atlas.objects.get(pk=atlas_id).head)


def ids(atlas_id):
    return [row.object for row in state(atlas_id).members]


def export(act, client, atlas):
    # The files of tests are painted for the layouts that they came with.
    act(atlas, "export", layout_only=True)
    job = Job.objects.filter(kind="export").latest("id")
    assert job.state == Job.DONE, job.error
    return zipfile.ZipFile(io.BytesIO(client.get(f"/api/jobs/{job.pk}/download/").content))


@pytest.mark.slow
def test_objects_go_to_a_new_atlas_with_all_that_was_said_of_them(gathered, post, act, client):
    one, two, three = ids(gathered.pk)
    act(gathered, "control", islands=[0, 1], bundle=True)
    act(gathered, "control", islands=[1], weight=2, lock_rotation=True)
    before = state(gathered.pk)
    answer = post(f"projects/{gathered.project_id}/atlases", name="lamp", objects=[two])
    assert answer.status_code == 201, answer.json()
    tabs = answer.json()["project"]["atlases"]
    assert [(tab["name"], tab["objects"]) for tab in tabs] == [("props A", 2), ("lamp", 1)]
    lamp = answer.json()["atlas"]
    assert (ids(gathered.pk), ids(lamp)) == ([one, three], [two])
    assert state(lamp).controls["weight"].tolist() == [2]
    assert state(lamp).controls["flags"].tolist() == [2]
    assert np.array_equal(state(lamp).placements, before.placements[1:2])
    assert post(f"atlases/{lamp}/objects", objects=[three]).status_code == 200
    assert (ids(gathered.pk), ids(lamp)) == ([one], [two, three])
    for verb in ("move objects", "new atlas"):
        assert client.get(f"/api/projects/{gathered.project_id}/").json()["undo"] == verb
        act(gathered, "undo")
    assert state(gathered.pk).islands.tobytes() == before.islands.tobytes()
    assert [
        tab["id"] for tab in client.get(f"/api/projects/{gathered.project_id}/").json()["atlases"]
    ] == [gathered.pk]
    assert client.get(f"/api/atlases/{lamp}/").status_code == 404
    act(gathered, "redo")
    act(gathered, "redo")
    assert ids(lamp) == [two, three]


@pytest.mark.slow
def test_objects_are_let_go_come_back_and_atlases_are_deleted(gathered, post, act, client):
    one, two, three = ids(gathered.pk)
    lamp = post(f"projects/{gathered.project_id}/atlases", name="lamp", objects=[two]).json()[
        "atlas"
    ]
    assert post(f"atlases/{gathered.pk}/release", objects=[one]).status_code == 200
    loose = f"/api/projects/{gathered.project_id}/loose/"
    assert [row["id"] for row in client.get(loose).json()] == [one]
    assert post(f"atlases/{lamp}/objects", objects=[one, one]).status_code == 200
    assert client.get(loose).json() == []
    assert ids(lamp) == [two, one]
    assert post(f"atlases/{lamp}/delete").status_code == 200
    assert {row["id"] for row in client.get(loose).json()} == {one, two}
    refused = post(f"atlases/{gathered.pk}/delete")
    assert refused.status_code == 409
    assert "needs an atlas" in refused.json()["what"]
    assert post(f"atlases/{lamp}/objects", objects=[three]).status_code == 409, "it is deleted"
    act(gathered, "undo")
    assert ids(lamp) == [two, one]
    assert post(f"atlases/{lamp}/name", "put", name="storm lamp").status_code == 200
    assert state(lamp).name == "storm lamp"
    assert post(f"atlases/{lamp}/name", "put", name=" ").status_code == 400
    assert post(f"atlases/{lamp}/release", objects=[three]).status_code == 400
    assert post(f"atlases/{lamp}/objects", objects=[10**6]).status_code == 400


def test_what_an_undone_step_brought_in_is_not_lying_about(gathered, act, client, send):
    loose = f"/api/projects/{gathered.project_id}/loose/"
    send(more__obj=QUAD_OBJ.replace(b"plate", b"board"))
    assert client.get(loose).json() == []
    act(gathered, "undo")
    assert client.get(loose).json() == []
    copy = client.post(f"/api/projects/{gathered.project_id}/duplicate/").json()
    assert client.get(f"/api/projects/{copy['id']}/loose/").json() == []
    assert MeshObject.objects.filter(project=copy["id"]).count() == 3
    act(gathered, "redo")
    assert len(ids(gathered.pk)) == 5


def test_a_job_on_one_atlas_lets_the_other_be_edited(gathered, post, act):
    one, two, _ = ids(gathered.pk)
    lamp = post(f"projects/{gathered.project_id}/atlases", name="lamp", objects=[two]).json()[
        "atlas"
    ]
    facts = {"project": gathered.project, "kind": "pack", "state": Job.RUNNING}
    Job.objects.create(atlas_id=lamp, **facts)
    assert act(gathered, "control", islands=[0], weight=2).status_code == 200
    assert post(f"atlases/{lamp}/control", islands=[0], weight=2).status_code == 409
    assert post(f"atlases/{lamp}/objects", objects=[one]).status_code == 409
    assert act(gathered, "undo").status_code == 200
    assert act(gathered, "undo").status_code == 409, "that would change the atlas that is packed"


@pytest.mark.slow
def test_two_atlases_are_written_into_one_set_of_files(gathered, post, act, client):
    _, two, _ = ids(gathered.pk)
    lamp = Atlas.objects.get(
        pk=post(f"projects/{gathered.project_id}/atlases", name="lamp: A/B", objects=[two]).json()[
            "atlas"
        ]
    )
    for atlas in (gathered, lamp):
        act(atlas, "pack", size="256x256", effort="quick")
    with export(act, client, gathered) as archive:
        names = set(archive.namelist())
        assert {
            "props.obj",
            "plate.glb",
            "props A/layout.1001.png",
            "props A/report.html",
            "lamp_ A_B/figures.json",
        } <= names
        assert json.loads(archive.read("lamp_ A_B/figures.json"))["atlas"] == "lamp: A/B"
        scenes = [read_scene(name, archive.read(name)) for name in ("props.obj", "plate.glb")]
    by_name = {
        obj.name: island_set(obj, 0, scene.metres_per_unit)
        for scene in scenes
        for obj in scene.objects
    }
    other = MeshObject.objects.get(pk=two).name
    rest = concatenate([islands for name, islands in by_name.items() if name != other])
    figures = measure(rest, identity(rest.count), 256, 256)
    assert len(figures.overlaps.pairs) == 0
    assert figures.gap.pixels >= 2 - 1e-3, "as is usual for a tile of 256 px"
    alone = by_name[other].bounds()[0]
    assert alone[2:].max() > 0.97, "it fills its own tile"


@pytest.fixture
def channelled(client, project, atlas):
    """Two objects with three UV channels each."""
    upload = SimpleUploadedFile("a.gltf", two_meshes(3, 3))
    assert client.post(f"/api/projects/{project.pk}/files/", {"files": [upload]}).status_code == 201
    atlas.refresh_from_db()
    return atlas


@pytest.mark.slow
def test_objects_are_laid_out_from_another_channel_and_written_to_a_third(channelled, act, client):
    objects = ids(channelled.pk)
    answer = act(channelled, "channel", objects=objects, source=1, target=3)
    assert answer.status_code == 200, answer.json()
    rows = client.get(f"/api/revisions/{answer.json()['head']['id']}/").json()["objects"]
    assert [(row["channel"], row["target"]) for row in rows] == [(1, 3), (1, 3)]
    act(channelled, "pack", effort="quick", size="256x256")
    with export(act, client, channelled) as archive:
        data = archive.read("a.gltf")
        scene = read_scene("a.gltf", data)
    before = read_scene("a.gltf", two_meshes(3, 3))
    for new, old in zip(scene.objects, before.objects, strict=True):
        assert len(new.mesh.channels) == 4
        for k in range(3):
            assert np.array_equal(new.mesh.channels[k].per_corner, old.mesh.channels[k].per_corner)
    islands = concatenate([island_set(obj, 3, 1.0) for obj in scene.objects])
    figures = measure(islands, identity(2), 256, 256)
    assert len(figures.overlaps.pairs) == 0
    assert 0 <= islands.bounds().min() <= islands.bounds().max() <= 1
    act(channelled, "undo")
    act(channelled, "undo")
    rows = client.get(f"/api/revisions/{Atlas.objects.get().head_id}/").json()["objects"]
    assert [(row["channel"], row["target"]) for row in rows] == [(0, 0), (0, 0)]


@pytest.mark.slow
def test_one_object_lies_in_two_atlases_by_two_channels(channelled, act, client):
    one, two = ids(channelled.pk)
    url = f"/api/projects/{channelled.project_id}/atlases/"
    body = {"change": step_of(channelled), "name": "light", "objects": [one, two], "channel": 1}
    light = client.post(url, body, content_type="application/json").json()["atlas"]
    assert ids(light) == ids(channelled.pk) == [one, two]
    act(Atlas.objects.get(pk=light), "pack", effort="quick", size="256x256")
    with export(act, client, channelled) as archive:
        scene = read_scene("a.gltf", archive.read("a.gltf"))
    assert channels_of(scene) == [0, 0, 2], (
        "channel 2 has the new layout, the others are as they were"
    )


@pytest.mark.slow
def test_objects_are_laid_out_once_more_in_a_free_channel(send, client, project, atlas, act):
    """For baked light: an object with one channel and objects with three, in a fourth that none of them has."""
    assert send(plate__glb=plain_glb(), a__gltf=two_meshes(3, 3)).status_code == 201
    atlas.refresh_from_db()
    objects, before = ids(atlas.pk), atlas.head_id
    url = f"/api/projects/{project.pk}/atlases/"
    body = {
        "change": step_of(atlas),
        "name": "light",
        "objects": objects,
        "again": True,
        "size": 128,
    }
    answer = client.post(url, body, content_type="application/json")
    assert answer.status_code == 201, answer.content
    light = Atlas.objects.get(pk=answer.json()["atlas"])
    atlas.refresh_from_db()
    assert atlas.head_id == before and ids(light.pk) == objects
    assert Project.objects.get().head.what == "“light” of 3 objects in UV channel 4"
    assert act(light, "pack", effort="quick").status_code == 202
    with export(act, client, atlas) as archive:
        scenes = [read_scene(name, archive.read(name)) for name in ("plate.glb", "a.gltf")]
    meshes = [obj.mesh for scene in scenes for obj in scene.objects]
    assert [len(mesh.channels) for mesh in meshes] == [4, 4, 4]
    figures = measure(
        concatenate([island_set(obj, 3, 1.0) for scene in scenes for obj in scene.objects]),
        identity(sum(island_set(obj, 3, 1.0).count for s in scenes for obj in s.objects)), 128, 128,
    )  # fmt: skip
    assert len(figures.overlaps.pairs) == 0 and figures.gap.pixels >= 2 - 0.01
    # All at one density, whatever they have in their first channel.
    assert np.ptp(figures.density) < 1e-3 * figures.density.mean()
    kept = two_meshes(3, 3)
    for new, old in zip(scenes[1].objects, read_scene("a.gltf", kept).objects, strict=True):
        assert np.array_equal(new.mesh.channels[2].per_corner, old.mesh.channels[2].per_corner)
    # An OBJ has one channel, and that is said before anything is made.
    assert send(props__obj=QUAD_OBJ).status_code == 201
    atlas.refresh_from_db()
    body = {**body, "change": step_of(atlas), "objects": ids(atlas.pk)}
    refused = client.post(url, body, content_type="application/json")
    assert refused.status_code == 400 and "bring the mesh in as GLB" in refused.json()["fix"]


@pytest.mark.parametrize(
    ("source", "target", "said"), [(3, 0, "has no UV channel 4"), (4, 4, "has no UV channel 5")]
)
def test_channels_that_cannot_be_are_refused(channelled, act, source, target, said):
    answer = act(channelled, "channel", objects=ids(channelled.pk), source=source, target=target)
    assert answer.status_code == 400
    assert said in answer.json()["what"]


def test_an_obj_has_one_channel(gathered, act):
    answer = act(gathered, "channel", objects=ids(gathered.pk)[:1], source=0, target=1)
    assert "which has one UV channel" in answer.json()["what"]
    assert act(gathered, "channel", objects=[10**6], source=0, target=0).status_code == 400
    assert Project.objects.get().head.verb == "gather"


@pytest.fixture
def board(send, atlas, act):
    """An atlas with one object of three islands."""
    assert send(board__obj=TWO_PARTS, boards__mtl=b"newmtl wood\nKd 1 0.5 0\n").status_code == 201
    act(atlas, "control", islands=[1], weight=2)
    atlas.refresh_from_db()
    return atlas


@pytest.fixture
def part(client, board):
    def send(address, method="post", **body):
        given = {"change": step_of(board), **body}
        return getattr(client, method)(f"/api/{address}/", given, content_type="application/json")

    return send


def test_islands_of_one_object_lie_in_two_atlases(board, part, client, act):
    made = part(f"projects/{board.project_id}/atlases", name="trim", source=board.pk, islands=[1])
    assert made.status_code == 201, made.json()
    trim = made.json()["atlas"]
    (here,), (there,) = state(board.pk).members, state(trim).members
    assert (here.part, here.whole, there.part) == ((0, 2), 3, (1,))
    assert state(trim).controls["weight"].tolist() == [2]
    head = Atlas.objects.get(pk=trim).head_id
    layout = client.get(f"/api/revisions/{head}/").json()
    (row,) = layout["objects"]
    assert (row["islands"], row["part"], row["whole"], row["first_island"]) == (1, [1], 3, 0)
    assert len(layout["world_area"]) == 1
    assert layout["figures"]["density"]["mean"] == pytest.approx(0.2 * 2048)
    # Named by its number in the object, also in what was found.
    assert part(f"atlases/{board.pk}/islands", source=trim, islands=[0]).status_code == 200
    (whole,) = state(board.pk).members
    assert (whole.part, whole.islands, whole.whole) == (None, 3, 0), "together again, in order"
    assert state(board.pk).controls["weight"].tolist() == [1, 2, 1]
    assert state(trim).members == ()
    for _ in range(2):
        act(board, "undo")
    assert state(board.pk).members[0].part is None


def test_islands_without_their_atlas_make_no_atlas(board, part):
    address = f"projects/{board.project_id}/atlases"
    refused = part(address, name="trim", islands=[1])
    assert refused.status_code == 400
    assert "which atlas" in str(refused.json())
    both = part(address, name="trim", source=board.pk, islands=[1], objects=ids(board.pk))
    assert both.status_code == 400
    assert part(address, name="trim", source=10**6, islands=[1]).status_code == 409
    assert len(state(board.pk).islands) == 3


@pytest.mark.slow
def test_a_part_is_measured_proven_packed_and_drawn_alone(board, part, client, act):
    made = part(f"projects/{board.project_id}/atlases", name="trim", source=board.pk, islands=[2])
    trim = Atlas.objects.get(pk=made.json()["atlas"])
    job = act(trim, "pack", effort="quick").json()
    assert Job.objects.get(pk=job["id"]).state == Job.DONE
    trim.refresh_from_db()
    checked = client.get(f"/api/revisions/{trim.head_id}/check/").json()
    named = {(f["object"], f["island"]) for f in checked["findings"] if f["island"]}
    assert named <= {("board", 3)}, "by its number in the object"
    glb = read_scene("part.glb", client.get(f"/api/revisions/{trim.head_id}/geometry.glb").content)
    assert [obj.mesh.face_count for obj in glb.objects if obj.mesh.face_count] == [5], "all of it"


def test_islands_are_let_go_and_come_back_with_their_object(board, part, client):
    loose = f"/api/projects/{board.project_id}/loose/"
    assert part(f"atlases/{board.pk}/release-islands", islands=[0, 2]).status_code == 200
    (row,) = client.get(loose).json()
    assert (row["name"], row["islands"], row["whole"]) == ("board", 2, 3)
    assert state(board.pk).members[0].part == (1,)
    assert part(f"atlases/{board.pk}/objects", objects=[row["id"]]).status_code == 200
    assert state(board.pk).members[0].part is None
    assert state(board.pk).controls["weight"].tolist() == [1, 2, 1], "what was said of it stays"
    assert client.get(loose).json() == []
    assert part(f"atlases/{board.pk}/release-islands", islands=[7]).status_code == 400
    assert part(f"atlases/{board.pk}/islands", source=board.pk, islands=[0]).status_code == 400


@pytest.mark.slow
def test_parts_are_written_with_a_material_each(board, part, client, act):
    made = part(f"projects/{board.project_id}/atlases", name="trim", source=board.pk, islands=[1])
    trim = Atlas.objects.get(pk=made.json()["atlas"])
    move = [[1, 0, 0.25, 0, 1, 0.125]]
    assert act(trim, "move", verb="move", islands=[0], placements=move).status_code == 200
    files = export(act, client, board)
    assert {"board.obj", "boards.mtl", "board.atlases.mtl"} <= set(files.namelist())
    scene = read_scene("board.obj", files.read("board.obj"), lambda name: files.read(name))
    mesh = scene.objects[0].mesh
    names = [scene.materials[m].name for m in mesh.face_material]
    assert names == ["wood", "wood_trim", "wood"]
    assert b"newmtl wood_trim\nKd 1 0.5 0" in files.read("board.atlases.mtl")
    uv = mesh.channels[0].per_corner
    assert uv[4].tolist() == [0.75, 0.625] and uv[0].tolist() == [0, 0], "only what moved"
    assert files.read("board.obj").count(b"\nv ") == TWO_PARTS.count(b"\nv ")


@pytest.mark.parametrize("seed", range(5))
def test_islands_shared_out_at_random_come_together_as_they_were(seed):
    rng = np.random.default_rng(seed)
    members = tuple(MemberRow(10 + k, 20 + k, n) for k, n in enumerate((5, 1, 0, 9)))
    islands = fresh_islands(15)
    islands["control"]["weight"] = np.arange(15) + 1
    whole = State("", members, (TileRow(1001, 512, 512),), islands=islands)
    here, there = whole, State("", (), whole.tiles)
    for _ in range(40):
        count = len(here.islands)
        if count:
            taken = rng.choice(count, rng.integers(1, count + 1), replace=False)
            here, some = split_islands(here, np.sort(taken))
            there = joined(there, some)
        assert len(here.islands) + len(there.islands) == 15
        here, there = there, here
    together = joined(here, there)
    assert {row.layout_key: row.part for row in together.members} == {
        row.layout_key: None for row in members
    }
    weights = {
        row.object: together.controls["weight"][slice(*span)].tolist()
        for row, span in zip(together.members, spans(together.members), strict=True)
    }
    assert weights == {10: [1, 2, 3, 4, 5], 11: [6], 12: [], 13: list(range(7, 16))}
