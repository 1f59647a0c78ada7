"""What is done by hand, from the request to the figures that are measured afterwards."""

import numpy as np
import pytest

from quilt_core.scene.placement import identity
from studio.models import Atlas, Job
from studio.state import read_state

PX = 2048
SQUARES = [
    (100, 100, 700, 700),
    (680, 200, 880, 400),
    (1300, 1300, 1500, 1500),
    (4200, 100, 4300, 150),
]
"""px on the sheet: two that overlap, one by itself, one two sheets to the right."""


def boxes_obj(boxes):
    """An OBJ with one island for each box, in px of a sheet."""
    lines = ["o Boxes"]
    for k, (a, b, c, d) in enumerate(boxes):
        lines += [f"v {x + 3 * k} {y} 0" for x, y in ((0, 0), (1, 0), (1, 1), (0, 1))]
        lines += [f"vt {x / PX:.9f} {y / PX:.9f}" for x, y in ((a, b), (c, b), (c, d), (a, d))]
        lines.append("f " + " ".join(f"{4 * k + n}/{4 * k + n}" for n in (1, 2, 3, 4)))
    return "\n".join(lines).encode()


@pytest.fixture
def squares(send, atlas):
    assert send(boxes__obj=boxes_obj(SQUARES)).status_code == 201
    atlas.refresh_from_db()
    return atlas


def state_of(atlas):
    return read_state(Atlas.objects.get(pk=atlas.pk).head)


def boxes_of(atlas):
    """(I, 4) px on the sheet."""
    placements = state_of(atlas).placements
    corners = np.array(SQUARES, float).reshape(-1, 2, 2) / PX
    ends = np.einsum("iab,ikb->ika", placements[:, :, :2], corners) + placements[:, None, :, 2]
    return PX * np.concatenate([ends.min(axis=1), ends.max(axis=1)], axis=1)


def figures_of(client, atlas):
    head = Atlas.objects.get(pk=atlas.pk).head_id
    return client.get(f"/api/revisions/{head}/").json()["figures"]


def test_islands_are_moved_by_what_is_done_to_them(gathered, act):
    before = state_of(gathered).placements
    quarter = [0, -1, 0.5, 1, 0, 0.25]
    assert act(gathered, "move", verb="turn", islands=[0, 2], moves=[quarter]).status_code == 200
    after = state_of(gathered).placements
    assert np.array_equal(after[1], before[1])
    turned = np.array(quarter).reshape(2, 3)
    for island in (0, 2):
        corner = before[island] @ [0.25, 0.5, 1]
        assert np.allclose(after[island] @ [0.25, 0.5, 1], turned @ [*corner, 1], atol=1e-15)
    assert act(gathered, "move", islands=[0, 1], moves=[quarter] * 3).status_code == 400
    assert act(gathered, "move", islands=[0]).status_code == 400
    assert act(gathered, "move", islands=[0], moves=[[0] * 6]).status_code == 400, "no area"


@pytest.mark.slow
def test_islands_settle_on_what_is_in_their_way(squares, act, client):
    act(squares, "control", islands=[0], lock_place=True)
    assert act(squares, "slide-to-contact", islands=[2], direction="left").status_code == 200
    assert boxes_of(squares)[2, 0] == pytest.approx(4, abs=1e-5), "to the margin"
    assert act(squares, "slide-to-contact", islands=[2], direction="down").status_code == 200
    assert boxes_of(squares)[2, 1] == pytest.approx(708, abs=1e-5), "onto the first"
    held = act(squares, "slide-to-contact", islands=[0], direction="up")
    assert held.status_code == 400
    assert "keep their place" in held.json()["what"]
    assert act(squares, "slide-to-contact", islands=[9], direction="up").status_code == 400
    assert act(squares, "slide-to-contact", islands=[0], direction="away").status_code == 400


def test_neighbours_make_room(squares, act, client):
    assert figures_of(client, squares)["overlapping"] == 2
    answer = act(squares, "make-room", islands=[0])
    assert answer.status_code == 200
    assert boxes_of(squares)[1] == pytest.approx([708, 200, 908, 400], abs=1e-4)
    figures = figures_of(client, squares)
    assert figures["overlapping"] == 0
    assert figures["gap_px"] == pytest.approx(8, abs=1e-4)
    enough = act(squares, "make-room", islands=[0])
    assert enough.status_code == 400
    assert "Nobody" in enough.json()["what"]
    assert act(squares, "undo").status_code == 200
    assert (state_of(squares).placements == identity(4)).all()


def test_who_is_locked_makes_no_room(squares, act):
    act(squares, "control", islands=[1], lock_place=True)
    answer = act(squares, "make-room", islands=[0])
    assert answer.status_code == 400
    assert act(squares, "make-room", islands=[7]).status_code == 400


def test_who_finds_no_place_goes_to_the_side_table_when_that_is_meant(send, atlas, act, client):
    full = [(4, 4, 1500, 2044), (1490, 4, 2044, 2044)]
    assert send(full__obj=boxes_obj(full)).status_code == 201
    atlas.refresh_from_db()
    refused = act(atlas, "make-room", islands=[0])
    assert refused.status_code == 400
    assert "Boxes island 2" in refused.json()["what"], "the one in the way is named"
    assert (state_of(atlas).placements == identity(2)).all()
    answer = act(atlas, "make-room", islands=[0], aside=True)
    assert answer.status_code == 200 and "side table" in answer.json()["what"]
    now = state_of(atlas)
    assert now.unplaced.tolist() == [False, True]
    figures = figures_of(client, atlas)
    assert (figures["overlapping"], figures["side_table"]) == (0, 1)


def test_islands_slip_in_near_a_point_and_where_it_is_snug(squares, act, client):
    act(squares, "move", verb="move", islands=[3], moves=[[1, 0, -3, 0, 1, 0]], side_table=True)
    started = act(squares, "fit-into-gaps", islands=[3], tile=1001, near=[1700, 500], rotate="none")
    assert started.status_code == 202
    job = Job.objects.get(pk=started.json()["id"])
    assert (job.state, job.result["islands"], job.result["of"]) == ("done", 1, 1), job.error
    box = boxes_of(squares)[3]
    assert box[2] - box[0] == pytest.approx(100)
    assert np.hypot(*(0.5 * (box[:2] + box[2:]) - (1700, 500))) < 4
    assert not state_of(squares).unplaced.any()
    act(squares, "fit-into-gaps", islands=[3], tile=1001)
    # The corner beside the two that lie there, or that of the sheet.
    assert boxes_of(squares)[3].min() < 20
    assert figures_of(client, squares)["gap_px"] >= 0


def test_a_block_keeps_its_shape(squares, act):
    before = boxes_of(squares)
    act(squares, "fit-into-gaps", islands=[1, 2], tile=1001, block=True, rotate="none")
    by = boxes_of(squares)[1:3] - before[1:3]
    assert by[0] == pytest.approx(by[1]) and np.abs(by).max() > 1


@pytest.mark.parametrize(
    ("asked", "word"),
    [
        ({"islands": [3], "tile": 1005}, "no tile 1005"),
        ({"islands": [30], "tile": 1001}, "no island 30"),
    ],
)
def test_what_cannot_be_slipped_in_is_said(squares, act, asked, word):
    job = Job.objects.get(pk=act(squares, "fit-into-gaps", **asked).json()["id"])
    assert job.state == "failed"
    assert word in job.error["what"]
    assert act(squares, "fit-into-gaps", islands=[3], tile=1001, near=[1]).status_code == 400
    assert act(squares, "fit-into-gaps", islands=[], tile=1001).status_code == 400


def test_a_full_sheet_has_no_free_spot(send, atlas, act):
    boxes = [(10, 10, 2038, 2000), (4200, 100, 4300, 150)]
    assert send(boxes__obj=boxes_obj(boxes)).status_code == 201
    started = act(atlas, "fit-into-gaps", islands=[1], tile=1001).json()
    job = Job.objects.get(pk=started["id"])
    assert job.state == "failed"
    assert "no free spot" in job.error["what"]
    assert (state_of(atlas).placements == identity(2)).all()


@pytest.mark.slow
def test_islands_are_fitted_into_a_region(squares, act, client):
    region = [[900, 900], [1250, 1250]]
    started = act(squares, "pack-here", islands=[1, 3], tile=1001, region=region)
    job = Job.objects.get(pk=started.json()["id"])
    assert (job.state, job.result["islands"]) == ("done", 2), job.error
    boxes = boxes_of(squares)[[1, 3]]
    assert boxes.min() >= 900 - 1e-6 and boxes.max() <= 1250 + 1e-6
    assert act(squares, "undo").status_code == 200
    shape = [[900, 900], [1280, 950], [1250, 1280], [880, 1200]]
    act(squares, "pack-here", islands=[3], tile=1001, region=shape, grow=True)
    box = boxes_of(squares)[3]
    assert max(box[2] - box[0], box[3] - box[1]) > 250, "as large as it gets"
    small = act(squares, "pack-here", islands=[1], tile=1001, region=[[900, 900], [905, 990]])
    assert "region" in Job.objects.get(pk=small.json()["id"]).error["what"]
    tight = act(squares, "pack-here", islands=[1], tile=1001, region=[[900, 900], [1000, 1000]])
    assert "none fits" in Job.objects.get(pk=tight.json()["id"]).error["what"]


def test_what_finds_no_place_leaves_the_sheet_so_that_nothing_lies_on_it(send, atlas, act, client):
    boxes = [(900, 900, 1100, 1100), (1110, 900, 1310, 1100), (900, 1110, 1300, 1310)]
    assert send(boxes__obj=boxes_obj(boxes)).status_code == 201
    region = [[880, 880], [1320, 1130]]
    started = act(atlas, "pack-here", islands=[0, 1, 2], tile=1001, region=region, rotate="none")
    job = Job.objects.get(pk=started.json()["id"])
    assert job.state == "done" and job.result["islands"] < 3
    unplaced = state_of(atlas).unplaced
    assert unplaced.sum() == 3 - job.result["islands"]
    figures = figures_of(client, atlas)
    assert (figures["overlapping"], figures["outside"]) == (0, 0)
    assert figures["side_table"] == unplaced.sum()


@pytest.mark.slow
def test_all_are_taken_in_until_the_gaps_are_right(squares, act, client):
    act(squares, "move", verb="move", islands=[1], moves=[[1, 0, 22 / PX, 0, 1, 0]])
    before = boxes_of(squares)
    job = Job.objects.get(pk=act(squares, "shrink-to-fit").json()["id"])
    assert job.state == "done", job.error
    boxes = boxes_of(squares)
    # 600 and 200 px wide, 2 px apart: six more are won by one factor.
    assert (boxes[2, 2] - boxes[2, 0]) / 200 == pytest.approx(1 - 6 / 400, abs=1e-4)
    assert boxes[1, 0] - boxes[0, 2] == pytest.approx(8, abs=0.05)
    assert (boxes[:3, :2] + boxes[:3, 2:]) == pytest.approx(before[:3, :2] + before[:3, 2:])
    frozen = {"number": 1001, "width": PX, "height": PX, "frozen": True}
    act(squares, "tiles", method="put", tiles=[frozen])
    held = Job.objects.get(pk=act(squares, "shrink-to-fit").json()["id"])
    assert "None of these islands" in held.error["what"], "a frozen tile's islands stay as they are"
    act(squares, "tiles", method="put", tiles=[{**frozen, "frozen": False}])
    again = Job.objects.get(pk=act(squares, "shrink-to-fit").json()["id"])
    assert "all gaps are right" in again.error["what"]
