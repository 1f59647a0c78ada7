"""Objects without UVs, from gathering to the file that is handed off."""

import io
import json
import zipfile

import numpy as np
import pytest

from quilt_core.formats import read_scene
from quilt_core.measure import measure
from quilt_core.scene import island_set
from quilt_core.scene.placement import identity
from studio import storage
from studio.actions.project.duplicate_project import duplicate_project
from studio.models import Atlas, BaseLayout, Job
from studio.state import read_state
from tests.studio.unwrap_samples import bare_glb, bare_obj, point_obj


@pytest.fixture
def bare(send, atlas):
    assert (
        send(crate__obj=bare_obj(), sign__obj=point_obj(), float__glb=bare_glb()).status_code == 201
    )
    atlas.refresh_from_db()
    return atlas


def flatten(act, atlas, **params):
    answer = act(atlas, "unwrap", **params)
    assert answer.status_code == 202, answer.content
    job = Job.objects.get(pk=answer.json()["id"])
    assert job.state == Job.DONE, job.error
    atlas.refresh_from_db()
    return job


def test_gathering_says_which_objects_need_it(client, bare):
    told = client.get(f"/api/revisions/{bare.head_id}/").json()
    rows = {row["name"]: row for row in told["objects"]}
    assert (rows["Crate"]["unflattened"], rows["Crate"]["useless"]) == (6, False)
    assert (rows["Sign"]["unflattened"], rows["Sign"]["useless"]) == (0, True)
    assert rows["Float"]["unflattened"] == 4


@pytest.mark.slow
def test_one_request_flattens_all_that_need_it_at_the_house_density(act, bare, client):
    job = flatten(act, bare)
    assert {row["object"]: row["islands"] for row in job.result["objects"]} == {
        "Crate": 1,
        "Sign": 1,
        "Float": 1,
    }
    state = read_state(bare.head)
    assert [row.islands for row in state.members] == [1, 1, 1]
    assert state.unplaced.all()
    bases = BaseLayout.objects.in_bulk([row.base for row in state.members])
    assert {base.verb for base in bases.values()} == {"unwrapped"}
    assert all(base.parent.verb == "read" for base in bases.values())
    figures = client.get(f"/api/revisions/{bare.head_id}/").json()["figures"]
    assert figures["island_density"] == pytest.approx([bare.project.house_density] * 3, rel=1e-3)
    assert figures["unflattened"] == 0


@pytest.mark.slow
def test_undo_gives_the_bare_objects_back(act, bare):
    before = bare.head_id
    flatten(act, bare)
    assert act(bare, "undo").status_code == 200
    bare.refresh_from_db()
    assert bare.head_id == before
    assert [row.islands for row in read_state(bare.head).members] == [0, 1, 0]


def test_a_try_is_a_draft_beside_the_present_layout(act, bare):
    before = bare.head_id
    job = flatten(act, bare, seams="angle", angle=45, draft=True)
    assert job.result["draft"]
    assert bare.head_id == before
    charts = {row["object"]: row["islands"] for row in job.result["objects"]}
    assert charts == {"Crate": 6, "Sign": 1, "Float": 4}


@pytest.mark.slow
def test_files_that_came_without_uvs_are_handed_off_with_them(act, bare, client):
    flatten(act, bare)
    assert act(bare, "export").status_code in (200, 202)
    job = Job.objects.filter(kind="export").latest("pk")
    archive = zipfile.ZipFile(io.BytesIO(storage.get(job.result["file"])))
    for name in ("crate.obj", "float.glb", "sign.obj"):
        scene = read_scene(name, archive.read(name))
        (obj,) = scene.objects
        islands = island_set(obj, 0, scene.metres_per_unit)
        assert islands.unflattened == (0,)
        figures = measure(islands, identity(islands.count), 2048, 2048)
        assert figures.density == pytest.approx(
            np.full(islands.count, bare.project.house_density), rel=1e-3
        )
        assert not len(figures.overlaps.pairs)
    doc = archive.read("float.glb")
    assert b"TEXCOORD_0" in doc
    assert json.loads(archive.read("figures.json"))["atlas"]


@pytest.mark.slow
def test_what_cannot_be_flattened_says_so(act, bare):
    flatten(act, bare)
    answer = act(bare, "unwrap")
    job = Job.objects.get(pk=answer.json()["id"])
    assert job.state == Job.FAILED
    assert "usable" in job.error["what"]
    assert act(bare, "unwrap", stretch=0.5).status_code == 400
    assert Atlas.objects.get(pk=bare.pk).head_id == bare.head_id


@pytest.mark.slow
def test_a_try_is_kept_with_what_was_done_meanwhile(act, bare, client):
    flatten(act, bare)
    job = flatten(
        act, bare, objects=[read_state(bare.head).members[0].object], seams="angle", draft=True
    )
    assert act(bare, "move", islands=[1], moves=[[1, 0, 0.5, 0, 1, 0]]).status_code == 200
    bare = Atlas.objects.get(pk=bare.pk)
    before = read_state(bare.head)
    step = {"change": bare.project.head_id}
    draft = f"/api/drafts/{job.result['revision']}/"
    answer = client.post(draft, step, content_type="application/json")
    assert answer.status_code == 200, answer.content
    bare.refresh_from_db()
    state = read_state(bare.head)
    assert [row.islands for row in state.members] == [6, 1, 1]
    assert np.array_equal(state.placements[6:], before.placements[1:])


@pytest.mark.slow
def test_look_alikes_get_the_layout_of_the_first(act, send, atlas):
    mirrored = bare_obj("Twin").replace(b"v 1", b"v -1")
    assert send(crate__obj=bare_obj(), twin__obj=mirrored, sign__obj=point_obj()).status_code == 201
    atlas.refresh_from_db()
    crate, twin, _ = (row.object for row in read_state(atlas.head).members)
    flatten(act, atlas, objects=[crate], seams="angle")
    answer = act(atlas, "copy-layout", source=crate)
    job = Job.objects.get(pk=answer.json()["id"])
    assert job.state == Job.DONE, job.error
    (row,) = job.result["objects"]
    assert (row["id"], row["stretch_l2"]) == (twin, 1.0)
    atlas = Atlas.objects.get(pk=atlas.pk)
    state = read_state(atlas.head)
    assert [m.islands for m in state.members] == [6, 6, 1]
    assert BaseLayout.objects.get(pk=state.members[1].base).verb == "copied"
    assert act(atlas, "copy-layout", source=state.members[2].object).status_code == 202
    assert Job.objects.filter(kind="copy-layout").latest("pk").state == Job.FAILED


@pytest.mark.slow
def test_a_duplicated_project_knows_what_was_made_and_what_was_read(act, bare):
    flatten(act, bare)
    copy = duplicate_project(bare.project_id)
    made = BaseLayout.objects.filter(object__project=copy, verb="unwrapped")
    assert made.count() == 3
    assert all(
        base.parent.object_id == base.object_id and base.parent.verb == "read" for base in made
    )
    present = read_state(copy.atlases.get().head).members
    assert {row.base for row in present} == {base.pk for base in made}


@pytest.mark.slow
def test_copies_follow_as_stacks_again_and_until_their_link_is_cut(act, send, atlas, client):
    assert send(a__obj=bare_obj("First"), b__obj=bare_obj("Second")).status_code == 201
    flatten(act, atlas)
    rows = {r["name"]: r for r in client.get(f"/api/revisions/{atlas.head_id}/").json()["objects"]}
    first, second = rows["First"]["id"], rows["Second"]["id"]
    assert rows["Second"]["copied_from"] is None

    def copied(**params):
        answer = act(atlas, "copy-layout", source=first, **params)
        job = Job.objects.get(pk=answer.json()["id"])
        assert job.state == Job.DONE, job.error
        atlas.refresh_from_db()
        told = client.get(f"/api/revisions/{atlas.head_id}/").json()
        return {r["name"]: r for r in told["objects"]}

    rows = copied(stack=True)
    assert rows["Second"]["copied_from"] == first
    state = read_state(atlas.head)
    one, two = rows["First"]["first_island"], rows["Second"]["first_island"]
    # They share their texels: one place, one stack.
    np.testing.assert_allclose(state.placements[one], state.placements[two])
    assert state.controls["stack"][one] == state.controls["stack"][two] >= 0
    # The first one changes; those that follow get it again in one step.
    job = act(atlas, "edit", verb="cut", objects=[{"id": first, "edges": [0, 1, 2, 3]}]).json()
    assert Job.objects.get(pk=job["id"]).state in (Job.DONE, Job.FAILED)
    rows = copied(to=[second])
    assert rows["Second"]["islands"] == rows["First"]["islands"]
    answer = act(atlas, "cut-link", object=second)
    assert answer.status_code == 200, answer.content
    atlas.refresh_from_db()
    told = client.get(f"/api/revisions/{atlas.head_id}/").json()["objects"]
    assert [r["copied_from"] for r in told] == [None, None]
    assert act(atlas, "cut-link", object=second).status_code == 400
