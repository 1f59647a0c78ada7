"""Nothing is lost: whatever a pack is asked for, the layout before it stays as it was, and a word
says why."""

import pytest

from quilt_core.operations.operation import Progress, Stopped
from studio.actions.operate import operate
from studio.arrays import load_layout
from studio.jobs.kinds import do_job
from studio.models import Job, Revision
from studio.state import read_state
from tests.studio.conftest import step_of

pytestmark = pytest.mark.slow

QUICK = {"effort": "quick", "seconds": 1}


def state(atlas):
    """All that must stay: revision, placements, controls and tiles."""
    atlas.refresh_from_db()
    now = read_state(atlas.head)
    return atlas.head_id, now.placements.tobytes(), now.controls.tobytes(), now.tiles


def failed(atlas, said):
    job = Job.objects.filter(kind="pack").latest("id")
    assert job.state == Job.FAILED
    assert said in job.error["what"]
    assert job.error["fix"]
    assert "Traceback" not in str(job.error)
    return job


def test_locked_islands_on_one_another(gathered, act):
    act(gathered, "control", islands=[0, 1], lock_place=True)
    before = state(gathered)
    assert act(gathered, "pack", **QUICK).status_code == 202
    assert "and" in failed(gathered, "lie on one another").error["where"]
    assert state(gathered) == before


def test_everything_is_locked_or_left_out(gathered, act):
    act(gathered, "control", islands=[0, 1, 2], leave_out=True)
    before = state(gathered)
    act(gathered, "pack", **QUICK)
    failed(gathered, "locked, frozen or left out")
    assert state(gathered) == before


def test_where_locked_islands_leave_no_room_the_others_lie_on_the_side_table_whole(gathered, act):
    tile = {"size": 64, "padding": 0, "margin": 0}
    assert act(gathered, "pack", **tile, **QUICK).status_code == 202
    act(gathered, "even-out", density=60)
    act(gathered, "control", islands=[0], lock_place=True)
    act(gathered, "control", islands=[1, 2], lock_size=True)
    act(gathered, "pack", **tile, **QUICK)
    job = Job.objects.filter(kind="pack").latest("id")
    assert job.state == Job.DONE, job.error
    layout = load_layout(Revision.objects.get(pk=job.result["revision"]))
    box = layout.islands.placed(layout.placements).bounds()[1:]
    inside = (box[:, :2] > -1e-6).all(axis=1) & (box[:, 2:] < 1 + 1e-6).all(axis=1)
    assert (inside | (box[:, 2] < 0)).all(), "nothing hangs over an edge"


def test_every_tile_is_frozen(gathered, act, client):
    gathered.refresh_from_db()
    rows = [{"number": 1001, "width": 2048, "height": 2048, "frozen": True}]
    body = {"change": step_of(gathered), "tiles": rows}
    client.put(f"/api/atlases/{gathered.pk}/tiles/", body, content_type="application/json")
    before = state(gathered)
    act(gathered, "pack", **QUICK)
    failed(gathered, "frozen")
    assert state(gathered) == before


def test_an_island_longer_than_the_tile_at_the_fixed_density_lies_on_the_side_table_whole(
    gathered, act
):
    act(gathered, "even-out", density=50_000)
    act(gathered, "pack", density="fixed", **QUICK)
    assert Job.objects.filter(kind="pack").latest("id").state == Job.DONE
    gathered.refresh_from_db()
    layout = load_layout(gathered.head)
    box = layout.islands.placed(layout.placements).bounds()
    assert (box[:, 2] < 0).all(), "all of them, to the left of the tiles"
    assert gathered.head.figures["side_table"] == 3
    assert gathered.head.figures["outside"] == 0


def test_stopped_before_the_first_layout_nothing_changes(gathered, monkeypatch):
    monkeypatch.setattr("quilt_core.pack.apart.pack_apart", lambda *args, **more: iter(()))
    before = state(gathered)
    with pytest.raises(Stopped):
        operate(gathered.head, "pack", {}, Progress())
    job = Job(kind="pack", params={"revision": gathered.head_id, "settings": {}})
    with pytest.raises(Stopped):
        do_job(job, Progress())
    assert state(gathered) == before


def test_undo_goes_back_through_packs_to_the_bit(gathered, act):
    states = [state(gathered)]
    for padding in (2, 30):
        act(gathered, "pack", padding=padding, **QUICK)
        states.append(state(gathered))
    assert len({placements for _, placements, _, _ in states}) == 3
    for earlier in reversed(states[:-1]):
        assert act(gathered, "undo").status_code == 200
        assert state(gathered)[:3] == earlier[:3]
    act(gathered, "redo")
    assert state(gathered)[:3] == states[1][:3]


@pytest.mark.parametrize("factor", [1e-9, 5e8])
def test_islands_of_any_size_are_packed(gathered, act, factor):
    scaled = read_state(gathered.head).placements
    scaled[:, :, :2] *= factor
    rows = scaled.reshape(-1, 6).tolist()
    assert act(gathered, "move", verb="size", islands=[0, 1, 2], placements=rows).status_code == 200
    assert act(gathered, "pack", **QUICK).status_code == 202
    job = Job.objects.filter(kind="pack").latest("id")
    assert job.state == Job.DONE, job.error
    gathered.refresh_from_db()
    assert gathered.head.figures["overlap_pairs"] == 0
    assert gathered.head.figures["coverage"] > 0.3


def test_a_proof_stands_alone_and_may_load_nothing(client, gathered, act):
    act(gathered, "report")
    job = gathered.jobs.filter(kind="report").get()
    policy = client.get(f"/api/jobs/{job.pk}/report.html")["Content-Security-Policy"]
    assert policy.startswith("sandbox")
    assert "default-src 'none'" in policy
