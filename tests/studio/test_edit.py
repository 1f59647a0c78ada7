"""Edits by hand: what is cut, joined or eased stays where it lies; what is laid out anew comes to the
side table; undo brings all back."""

import numpy as np
import pytest

from quilt_core.scene.placement import apply_placements
from studio.arrays import load_geometry, load_layout
from studio.models import Job, MeshObject
from tests.studio.conftest import step_of
from tests.studio.edit_samples import sheet_obj

COLUMN = [4 * (4 * j + 1) + 1 for j in range(4)]
"""Edges of the line between the second and the third column."""


@pytest.fixture
def sheet(send, atlas):
    assert send(sheet__obj=sheet_obj()).status_code == 201
    atlas.refresh_from_db()
    return atlas


def objects(atlas):
    return {m.object.name: m.object.pk for m in load_layout(atlas.head).members}


def edit(act, atlas, verb, state=Job.DONE, **params):
    answer = act(atlas, "edit", verb=verb, **params)
    assert answer.status_code == 202, answer.content
    job = Job.objects.get(pk=answer.json()["id"])
    assert job.state == state, job.error
    atlas.refresh_from_db()
    return job


def lying(atlas):
    """(C, 2) UVs of each object's corners as they lie, by its name."""
    layout = load_layout(atlas.head)
    out, first = {}, 0
    for member in layout.members:
        data = load_geometry(member.base.geometry)
        n = member.row.islands
        sizes = np.bincount(np.arange(len(data["face_island"])))
        island = np.repeat(data["face_island"], len(data["uv"]) // len(sizes))
        out[member.object.name] = apply_placements(
            data["uv"], island, layout.placements[first : first + n]
        )
        first += n
    return out


def test_a_cut_leaves_all_where_it_lies_but_the_part_that_steps_aside(act, sheet, client):
    before = lying(sheet)
    one = objects(sheet)["Sheet"]
    job = edit(act, sheet, "cut", objects=[{"id": one, "edges": COLUMN}])
    assert job.result["note"] == "1 part cut off"
    after = lying(sheet)
    np.testing.assert_array_equal(after["Patch"], before["Patch"])
    step = np.linalg.norm(after["Sheet"] - before["Sheet"], axis=1)
    # By the padding of 8 px of 2048, or not at all.
    assert np.unique(np.round(step * 2048, 6)).tolist() == [0.0, 8.0]
    layout = load_layout(sheet.head)
    assert [m.row.islands for m in layout.members] == [2, 1]
    assert not layout.unplaced.any()
    assert layout.members[0].base.verb == "cut" and layout.members[0].base.parent is not None


def test_a_join_takes_the_cut_back_and_undo_goes_step_by_step(act, sheet, client, project):
    before = lying(sheet)
    one = objects(sheet)["Sheet"]
    edit(act, sheet, "cut", objects=[{"id": one, "edges": COLUMN}])
    edit(act, sheet, "join", objects=[{"id": one, "edges": COLUMN}])
    np.testing.assert_allclose(lying(sheet)["Sheet"], before["Sheet"], atol=1e-12)
    assert len(load_layout(sheet.head).islands.uv_area) == 2
    for count in (3, 2):
        project.refresh_from_db()
        answer = client.post(
            f"/api/projects/{project.pk}/undo/", {"change": project.head_id}, "application/json"
        )
        assert answer.status_code == 200, answer.content
        sheet.refresh_from_db()
        assert load_layout(sheet.head).islands.count == count


@pytest.mark.slow
def test_what_is_moved_and_locked_stays_so_through_an_edit(act, sheet):
    answer = act(sheet, "move", islands=[0], placements=[[0.5, 0, 0.4, 0, 0.5, 0.3]])
    assert answer.status_code == 200, answer.content
    act(sheet, "control", islands=[0, 1], lock_rotation=True)
    sheet.refresh_from_db()
    before = lying(sheet)
    one = objects(sheet)["Sheet"]
    edit(act, sheet, "split off", objects=[{"id": one, "faces": [0, 1]}])
    layout = load_layout(sheet.head)
    assert layout.islands.count == 3
    assert (layout.controls["flags"] == layout.controls["flags"][0]).all()
    assert layout.controls["flags"][0] > 0
    step = np.linalg.norm(lying(sheet)["Sheet"] - before["Sheet"], axis=1)
    assert np.unique(np.round(step * 2048, 6)).tolist() == [0.0, 8.0]


def test_of_two_that_are_joined_the_larger_one_stays_with_what_was_said_of_it(act, sheet):
    one = objects(sheet)["Sheet"]
    # The smaller part has the first face.
    edit(act, sheet, "split off", objects=[{"id": one, "faces": [0, 1]}])
    act(sheet, "control", islands=[1], lock_rotation=True)
    sheet.refresh_from_db()
    before = lying(sheet)["Sheet"]
    border = [4 * 0 + 2, 4 * 1 + 1, 4 * 1 + 2]
    edit(act, sheet, "join", objects=[{"id": one, "edges": border}])
    layout = load_layout(sheet.head)
    assert layout.islands.count == 2 and layout.controls["flags"][0] > 0
    step = np.abs(lying(sheet)["Sheet"] - before).reshape(16, -1)
    np.testing.assert_allclose(step[2:], 0.0, atol=1e-12)


@pytest.mark.slow
def test_islands_by_number_are_eased_straightened_and_projected(act, sheet):
    bent = edit(act, sheet, "move vertices", objects=[
        {"id": objects(sheet)["Sheet"], "corners": [4 * 5 + 2]}
    ], by=[40.0, 10.0])  # fmt: skip
    assert "1 vertex moved" in bent.result["note"]
    eased = edit(act, sheet, "reduce stretch", islands=[0])
    assert "(4 is none)" in eased.result["note"]
    flat = lying(sheet)["Sheet"].reshape(-1, 4, 2)
    sides = np.linalg.norm(np.diff(flat, axis=1), axis=2)
    np.testing.assert_allclose(sides, sides.mean(), rtol=1e-3)
    edit(act, sheet, "straighten", islands=[0])
    edit(act, sheet, "project", islands=[0], shape="plane", axis="y")
    layout = load_layout(sheet.head)
    # Laid out anew: on the side table at the house density; the other one stays.
    assert layout.unplaced.tolist() == [True, False]
    area = layout.islands.placed(layout.placements).uv_area[0] * 2048**2
    house = sheet.project.house_density
    assert np.sqrt(area / layout.islands.world_area[0]) == pytest.approx(house, rel=1e-6)


def test_seams_drawn_by_hand_part_what_is_flattened(act, sheet):
    one = objects(sheet)["Sheet"]
    job = edit(act, sheet, "unwrap along", objects=[{"id": one, "edges": COLUMN}])
    assert job.result["note"].startswith("2 islands")
    assert [m.row.islands for m in load_layout(sheet.head).members] == [2, 1]


def test_a_try_changes_nothing_until_it_is_kept(act, sheet, client):
    head = sheet.head_id
    one = objects(sheet)["Sheet"]
    job = edit(act, sheet, "cut", objects=[{"id": one, "edges": COLUMN}], draft=True)
    assert sheet.head_id == head and job.result["draft"]
    (row,) = job.result["objects"]
    # Four edges of 1 of a square of 4 x 4.
    assert (row["islands"], row["seam"], row["was"]["islands"]) == (2, 1.0, 1)
    # Meanwhile something else happens; the try changes only its object when it is kept.
    act(sheet, "control", islands=[1], lock_rotation=True)
    answer = client.post(
        f"/api/drafts/{job.result['revision']}/", {"change": step_of(sheet)}, "application/json"
    )
    assert answer.status_code == 200, answer.content
    sheet.refresh_from_db()
    layout = load_layout(sheet.head)
    assert [m.row.islands for m in layout.members] == [2, 1]
    assert layout.controls["flags"][2] > 0


def test_bad_edits_are_refused_with_a_word_and_change_nothing(act, sheet):
    one, head = objects(sheet)["Sheet"], sheet.head_id
    for verb, params, word in (
        ("cut", {"objects": [{"id": one, "edges": [0]}]}, "seams already"),
        ("cut", {"objects": [{"id": one, "edges": [9999]}]}, "no edge 9999"),
        ("join", {"objects": [{"id": one, "edges": COLUMN}]}, "no seam"),
        ("unpick vertex", {"objects": [{"id": one, "corners": [1, 2]}]}, "2 vertices"),
        ("close near seams", {"islands": [0]}, "that near"),
    ):
        job = edit(act, sheet, verb, Job.FAILED, **params)
        assert word in str(job.error), job.error
    assert act(sheet, "edit", verb="cut", objects=[]).status_code == 202
    for bad in (
        {"verb": "unfold"},
        {"verb": "cut", "islands": [-1]},
        {"verb": "cut", "gap": 1e99},
        {"verb": "cut", "objects": [{"id": one, "edges": "x"}]},
        {"verb": "project", "direction": [1, 2]},
    ):
        assert act(sheet, "edit", **bad).status_code == 400
    sheet.refresh_from_db()
    assert sheet.head_id == head


def test_the_browser_gets_the_corners_of_each_triangle(client, sheet):
    number = objects(sheet)["Sheet"]
    answer = client.get(f"/api/objects/{number}/corners/")
    rows = np.frombuffer(answer.content, "<i4")
    n = rows[0]
    assert n == 32 and len(rows) == 1 + 4 * n
    corners, face = rows[1 : 1 + 3 * n].reshape(n, 3), rows[1 + 3 * n :]
    np.testing.assert_array_equal(corners // 4, np.repeat(face[:, None], 3, axis=1))
    assert "immutable" in answer["Cache-Control"]
    assert client.get("/api/objects/999999/corners/").status_code == 404


def test_groups_of_the_file_come_with_the_corners(client, send):
    points = "".join(f"v {x} {y} 0\nvt {x / 4} {y}\n" for x in range(4) for y in (0, 1))
    faces = [f"f {a}/{a} {a + 2}/{a + 2} {a + 3}/{a + 3} {a + 1}/{a + 1}\n" for a in (1, 3, 5)]
    text = f"o Door\n{points}g panel\n{faces[0]}g frame\n{faces[1]}g panel\n{faces[2]}"
    assert send(door__obj=text.encode()).status_code == 201
    number = MeshObject.objects.get(name="Door").pk
    rows = np.frombuffer(client.get(f"/api/objects/{number}/corners/").content, "<i4")
    n = rows[0]
    assert len(rows) == 1 + 5 * n
    assert rows[1 + 4 * n :].tolist() == [0, 0, 1, 1, 0, 0]


def test_seams_of_a_channel_of_the_file_stay_after_it_was_cut(act, client, sheet):
    number = objects(sheet)["Sheet"]
    edit(act, sheet, "cut", objects=[{"id": number, "edges": COLUMN}])
    assert client.get(f"/api/objects/{number}/seams/?channel=0").json() == {"edges": []}
    answer = client.get(f"/api/objects/{number}/seams/?channel=1")
    assert answer.status_code == 400 and "no channel 2" in answer.json()["what"]
    assert client.get(f"/api/objects/{number}/seams/").status_code == 400


def two_in_one(gap):
    """Two squares of one sheet whose middle edges lie apart by a gap."""
    return f"""o Halves
v 0 0 0\nv 1 0 0\nv 1 0 1\nv 0 0 1
v {1 + gap} 0 0\nv 2 0 0\nv 2 0 1\nv {1 + gap} 0 1
vt .1 .1\nvt .2 .1\nvt .2 .2\nvt .1 .2
vt .5 .1\nvt .6 .1\nvt .6 .2\nvt .5 .2
f 1/1 2/2 3/3 4/4\nf 5/5 6/6 7/7 8/8
""".encode()


@pytest.mark.slow
def test_vertices_are_welded_for_the_layout_only(act, send, atlas, client):
    assert send(halves__obj=two_in_one(0.001)).status_code == 201
    atlas.refresh_from_db()
    number = objects(atlas)["Halves"]
    # The edges beside the gap belong to nobody else: they cannot be joined.
    edit(act, atlas, "join", Job.FAILED, objects=[{"id": number, "edges": [1]}])
    edit(act, atlas, "weld", Job.FAILED, objects=[{"id": number, "whole": True}], weld=1e-4)
    job = edit(act, atlas, "weld", objects=[{"id": number, "whole": True}], weld=0.001)
    assert job.result["note"] == "2 vertices count as one with another one"
    before = lying(atlas)["Halves"]
    assert load_layout(atlas.head).members[0].row.islands == 2
    edit(act, atlas, "join", objects=[{"id": number, "edges": [1]}])
    assert load_layout(atlas.head).members[0].row.islands == 1
    after = lying(atlas)["Halves"]
    # The one that stays is where it was; the other lies at its side.
    np.testing.assert_allclose(after[:4], before[:4], atol=1e-9)
    np.testing.assert_allclose(after[[4, 7]], after[[1, 2]], atol=1e-9)
    assert load_layout(atlas.head).members[0].base.weld == 0.001


@pytest.mark.slow
def test_the_layout_of_a_part_comes_to_all_that_are_alike(act, send, atlas):
    row = "o Row\n" + "".join(
        f"v {i} {(0, 0.3, 0.1)[i % 3]} {j}\n" for j in range(2) for i in range(10)
    )
    faces = "".join(f"f {i + 1}/1 {i + 2}/2 {i + 12}/3 {i + 11}/4\n" for i in range(9))
    squares = "vt 0 0\nvt 1 0\nvt 1 1\nvt 0 1\n"
    assert send(row__obj=(row + squares + faces).encode()).status_code == 201
    atlas.refresh_from_db()
    number = objects(atlas)["Row"]
    picked = [{"id": number, "faces": [0, 1]}]
    edit(act, atlas, "unwrap along", objects=picked, keep=False)
    answer = act(atlas, "copy-layout", source=number, faces=[0, 1])
    job = Job.objects.get(pk=answer.json()["id"])
    assert job.state == Job.DONE, job.error
    (told,) = job.result["objects"]
    assert told["parts"] == 2 and told["misfit"] < 1e-6
    atlas.refresh_from_db()
    uv = lying(atlas)["Row"]
    for face in (3, 6):
        there, here = uv[4 * face : 4 * face + 8], uv[:8]
        np.testing.assert_allclose(there - there[0], here - here[0], atol=1e-9)
    layout = load_layout(atlas.head)
    assert int(layout.unplaced.sum()) >= 2
    lonely = act(atlas, "copy-layout", source=number, faces=list(range(9)))
    assert Job.objects.get(pk=lonely.json()["id"]).state == Job.FAILED
    assert act(atlas, "copy-layout", source=number, faces=[10**7]).status_code in (202, 400)


def test_an_edit_that_changes_nothing_says_so_and_leaves_all_as_it_was(act, sheet):
    before = lying(sheet)["Sheet"]
    one = {"id": objects(sheet)["Sheet"], "faces": [5, 6]}
    job = edit(act, sheet, "reduce stretch", objects=[one], hold_border=True)
    assert "4.000" in job.result["note"]
    np.testing.assert_allclose(lying(sheet)["Sheet"], before, atol=1e-12)
