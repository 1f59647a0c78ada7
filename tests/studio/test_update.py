"""A newer version of a file is brought in: places, weights and locks stay with what is still there."""

from __future__ import annotations

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from studio.actions.gather.share_out import loose_objects
from studio.models import Job, Project, Source
from studio.state import read_state
from tests.core.meshes import plain_glb
from tests.studio.conftest import step_of
from tests.studio.update_samples import obj_file

pytestmark = pytest.mark.django_db


@pytest.fixture
def again(client):
    def post(atlas, source, name="yard.obj", data=b"", **more):
        body = {
            "source": source,
            "change": step_of(atlas),
            "files": [SimpleUploadedFile(name, data)],
            **more,
        }
        return client.post(f"/api/atlases/{atlas.pk}/update/", body)

    return post


def placed(atlas):
    """Placements by object name, and weights."""
    atlas.refresh_from_db()
    state = read_state(atlas.head)
    names = dict(atlas.project.mesh_objects.values_list("pk", "name"))
    out, at = {}, 0
    for row in state.members:
        rows = state.islands[at : at + row.islands]
        out[names[row.object]] = (
            rows["placement"].copy(),
            rows["control"]["weight"].copy(),
            rows["unplaced"].copy(),
        )
        at += row.islands
    return out


@pytest.mark.slow
def test_what_is_still_there_keeps_its_place_and_what_was_said(send, act, atlas, again):
    assert send(yard__obj=obj_file(("crate", 0, 1), ("bench", 9, 2))).status_code == 201
    assert act(atlas, "pack", effort="quick").status_code == 202
    assert act(atlas, "control", islands=[1], weight=0.5).status_code == 200
    before = placed(atlas)
    old = Source.objects.get(is_mesh=True)
    # The crate was bent, the bench is gone, a lamp is new.
    newer = obj_file(("crate", 0, 1), ("lamp", 20, 1)).replace(b"v 1 0 0", b"v 1 0 0.2")
    answer = again(atlas, old.pk, data=newer)
    assert answer.status_code == 202, answer.content
    job = Job.objects.get(pk=answer.json()["id"])
    assert job.state == Job.DONE, job.error
    assert job.result["new"] == ["lamp"] and job.result["gone"] == ["bench"]
    (row,) = job.result["objects"]
    assert (row["object"], row["same"], row["new"]) == ("crate", 3, 0) and row["moved"] > 0
    after = placed(atlas)
    assert set(after) == {"crate", "lamp"}
    for one, two in zip(before["crate"], after["crate"], strict=True):
        np.testing.assert_array_equal(one, two)
    # The older file is history: nothing of it lies about, and it comes back by undo.
    project = Project.objects.get(pk=atlas.project_id)
    assert loose_objects(project, [read_state(atlas.head)]) == []
    assert act(atlas, "undo").status_code == 200
    assert set(placed(atlas)) == {"crate", "bench"}


def test_colours_are_kept_and_are_those_of_the_sheet(client, send, act, atlas, again):
    assert send(yard__obj=obj_file(("crate", 0, 1), ("bench", 9, 2))).status_code == 201

    def colours():
        atlas.refresh_from_db()
        rows = client.get(f"/api/revisions/{atlas.head_id}/").json()["objects"]
        return {row["name"]: row["colour"] for row in rows}

    before = colours()
    assert len(set(before.values())) == 2
    newer = obj_file(("lamp", 20, 1), ("crate", 0, 1)).replace(b"v 1 0 0", b"v 1 0 0.2")
    answer = again(atlas, Source.objects.get(is_mesh=True).pk, data=newer)
    assert answer.status_code == 202, answer.content
    after = colours()
    assert after["crate"] == before["crate"]
    assert after["lamp"] not in before.values()
    drawn = client.get(f"/api/revisions/{atlas.head_id}/sheet.svg").content.decode()
    for name, colour in after.items():
        assert f'<g id="{name}" fill="{colour}"' in drawn
    # A copy of the project has them too.
    made = client.post(f"/api/projects/{atlas.project_id}/duplicate/").json()
    twin = Project.objects.get(pk=made["id"]).atlases.get()
    rows = client.get(f"/api/revisions/{twin.head_id}/").json()["objects"]
    assert {row["name"]: row["colour"] for row in rows} == after


@pytest.mark.slow
def test_an_object_that_was_split_or_joined_keeps_its_places(send, act, atlas, again):
    """Split in two under other names, and joined again: every island lies where it lay, with what was said of it."""
    whole = obj_file(("crate", 0, 1)).decode()
    assert send(yard__obj=whole.encode()).status_code == 201
    assert act(atlas, "pack", effort="quick").status_code == 202
    assert act(atlas, "control", islands=[2], weight=0.5).status_code == 200
    before = placed(atlas)["crate"]
    rows = whole.splitlines()
    faces = [k for k, row in enumerate(rows) if row.startswith("f ")]
    rows.insert(faces[1], "o lid")
    split = "\n".join(rows).replace("o crate", "o box")
    job = Job.objects.get(pk=again(atlas, Source.objects.get().pk, data=split.encode()).json()["id"])  # fmt: skip
    assert job.state == Job.DONE, job.error
    assert sum(row["new"] for row in job.result["objects"]) == 0
    after = placed(atlas)
    assert set(after) == {"box", "lid"}
    for k, name in enumerate(("box", "lid")):
        for one, two in zip(before, after[name], strict=True):
            np.testing.assert_allclose(two, one[:1] if k == 0 else one[1:], atol=1e-9)
    newest = Source.objects.order_by("-pk").first()
    job = Job.objects.get(pk=again(atlas, newest.pk, data=whole.encode()).json()["id"])
    assert job.state == Job.DONE, job.error
    for one, two in zip(before, placed(atlas)["crate"], strict=True):
        np.testing.assert_allclose(two, one, atol=1e-9)


@pytest.mark.slow
def test_a_copy_of_what_is_still_there_is_new(send, act, atlas, again):
    """Not laid over the islands of the one it is like: that one goes on under its name."""
    assert send(yard__obj=obj_file(("crate", 0, 1))).status_code == 201
    assert act(atlas, "pack", effort="quick").status_code == 202
    before = placed(atlas)["crate"]
    newer = obj_file(("crate", 0, 1), ("crate copy", 0, 1))
    job = Job.objects.get(pk=again(atlas, Source.objects.get().pk, data=newer).json()["id"])
    assert job.state == Job.DONE, job.error
    assert job.result["new"] == ["crate copy"] and len(job.result["objects"]) == 1
    for one, two in zip(before, placed(atlas)["crate"], strict=True):
        np.testing.assert_array_equal(one, two)


@pytest.mark.slow
def test_faces_that_are_new_come_beside_and_the_others_stay(send, act, atlas, again):
    assert send(yard__obj=obj_file(("crate", 0, 1))).status_code == 201
    assert act(atlas, "pack", effort="quick").status_code == 202
    before = placed(atlas)["crate"][0]
    text = obj_file(("crate", 0, 1)).decode()
    # A quad more, with UVs of its own; faces in another order.
    lines = text.splitlines()
    faces = [line for line in lines if line.startswith("f ")]
    rest = [line for line in lines if not line.startswith("f ")]
    rest += [
        "v 0 5 0",
        "v 1 5 0",
        "v 1 6 0",
        "v 0 6 0",
        "vt 0.1 0.8",
        "vt 0.2 0.8",
        "vt 0.2 0.9",
        "vt 0.1 0.9",
    ]
    newer = "\n".join([*rest, *faces[::-1], "f 9/13 10/14 11/15 12/16"]).encode()
    job = Job.objects.get(pk=again(atlas, Source.objects.get().pk, data=newer).json()["id"])
    assert job.state == Job.DONE, job.error
    assert job.result["objects"][0]["by_face"] == 3 and job.result["objects"][0]["new"] == 1
    found, _, unplaced = placed(atlas)["crate"]
    np.testing.assert_allclose(found[:3], before[::-1], atol=1e-12)
    assert unplaced.tolist() == [0, 0, 0, 1]


def test_what_cannot_be_brought_again_is_refused(send, act, atlas, again):
    assert send(yard__obj=obj_file(("crate", 0, 1))).status_code == 201
    source = Source.objects.get().pk
    atlas.refresh_from_db()
    head = atlas.head_id
    data = obj_file(("crate", 0, 1))

    def failed(answer):
        job = Job.objects.get(pk=answer.json()["id"])
        return job.error["what"] if job.state == Job.FAILED else ""

    assert "no such file" in failed(again(atlas, 999, data=data))
    assert "no mesh" in failed(again(atlas, source, "notes.txt", b"words"))
    assert failed(again(atlas, source, "yard.obj", b"f 1 2 3"))
    assert again(atlas, "x", data=data).status_code == 400
    atlas.refresh_from_db()
    assert atlas.head_id == head and Source.objects.count() == 1


@pytest.mark.parametrize("name", ["yard.obj", "plate.glb"])
def test_a_file_gets_another_unit_and_figures_follow(client, send, act, atlas, again, name):
    """A millimetre is 1/1000 m (SI): lengths shrink by it, px per metre grow by it."""
    data = plain_glb() if name.endswith("glb") else obj_file(("crate", 0, 1))
    assert send(**{name.replace(".", "__"): data}).status_code == 201

    def rows():
        atlas.refresh_from_db()
        found = client.get(f"/api/revisions/{atlas.head_id}/").json()
        return found["objects"], found["figures"]["density"]["mean"]

    before, density = rows()
    places = {key: value[0] for key, value in placed(atlas).items()}
    old = Source.objects.get(is_mesh=True)
    body = {"source": old.pk, "change": step_of(atlas), "metres_per_unit": "0.001"}
    answer = client.post(f"/api/atlases/{atlas.pk}/update/", body)
    assert answer.status_code == 202, answer.content
    job = Job.objects.get(pk=answer.json()["id"])
    assert job.state == Job.DONE, job.error
    after, now = rows()
    assert [row["unit"] for row in after] == [0.001]
    np.testing.assert_allclose(after[0]["size"], np.array(before[0]["size"]) / 1000, rtol=1e-6)
    assert now == pytest.approx(1000 * density, rel=1e-6)
    for key, one in placed(atlas).items():
        np.testing.assert_array_equal(one[0], places[key])
    assert Project.objects.get(pk=atlas.project_id).head.what.endswith("a unit of 1 → 0.001 m")
    assert act(atlas, "undo").status_code == 200
    assert rows() == (before, density)
    body = {**body, "change": step_of(atlas), "metres_per_unit": "-1"}
    assert client.post(f"/api/atlases/{atlas.pk}/update/", body).status_code == 400
