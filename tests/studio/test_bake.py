"""The rehearsal in the application: pairs of a project, maps as images, findings on the layout's own islands."""

from __future__ import annotations

import io
import zipfile

import numpy as np
import pytest
from PIL import Image

from studio.models import Job
from tests.core.bake_findings_samples import glb
from tests.core.high_poly import each_apart, icosphere, plane, surface
from tests.core.visibility_samples import box
from tests.studio.merge_samples import job_of

pytestmark = pytest.mark.django_db


@pytest.fixture
def pair(send, atlas):
    """A coarse plate and a fine one with a wave, and a ball by itself."""
    low = plane(2)
    fine = surface(plane(40, lambda x, y: 0.01 * np.sin(20 * x)).points)
    ball = icosphere(1)
    uv = np.stack([ball[..., 0] * 0.2 + 2.5, ball[..., 1] * 0.2 + 0.5], axis=2)
    files = {
        "low__glb": glb(**{"Plate, low": low, "Ball": surface(ball + (9, 0, 0), uv=uv)}),
        "high__glb": glb(**{"Plate, high": surface(fine.points, uv=plane(40).uv * 0.1 + 5)}),
    }
    assert send(**files).status_code == 201
    atlas.refresh_from_db()
    return atlas


def rows(result):
    return result["atlases"][0]["islands"]


def shares(result):
    return [row["share"] for row in rows(result)]


@pytest.mark.slow
def test_pairs_are_baked_and_their_maps_are_there(pair, act, client):
    job = job_of(act(pair, "bake", maps=["normal", "height", "id"], width=128, distance=0.05))
    assert job.state == Job.DONE, job.error
    found = job.result
    # What has no high poly object of its name is baked onto itself.
    pairs = [(pair["low"], pair["high"]) for pair in found["pairs"]]
    assert (["Plate, low"], ["Plate, high"]) in pairs and (["Ball"], ["Ball"]) in pairs
    assert found["notes"] == [
        "Without a high poly object of their name, so baked onto themselves: Ball."
    ]
    assert found["asked"] == ["normal", "height", "id"]
    row = next(r for r in found["maps"] if r["map"] == "height")
    assert row["figures"]["range_m"] == pytest.approx(0.05) and row["figures"]["missed"] == 0
    data = client.get(f"/api/jobs/{job.pk}/textures/{row['file']}").content
    assert Image.open(io.BytesIO(data)).size == (128, 128)
    small = client.get(f"/api/jobs/{job.pk}/textures/bake_normal.png?size=32")
    assert small.status_code == 200 and "immutable" in small["Cache-Control"]
    body = b"".join(client.get(f"/api/jobs/{job.pk}/download/"))
    with zipfile.ZipFile(io.BytesIO(body)) as archive:
        assert len(archive.namelist()) == 3


def test_findings_are_about_the_islands_of_the_layout(pair, act):
    job = job_of(act(pair, "bake", maps=["normal"], width=128, distance=0.001))
    (missed,) = [f for f in job.result["findings"] if f["kind"] == "missed rays"]
    assert missed["object"] == "Plate, low" and missed["islands"] == [0] and missed["spots"]
    assert "would do" in missed["text"]


def test_objects_onto_themselves_and_what_cannot_be_done(pair, act):
    job = job_of(act(pair, "bake", pairs="itself", maps=["normal", "occlusion"], width=64, rays=4))
    assert job.state == Job.DONE and job.result["whole"]
    assert not [f for f in job.result["findings"] if f["severity"] == "error"]
    assert act(pair, "bake", maps=["sky"]).status_code == 400
    assert act(pair, "bake", width=9).status_code == 400
    assert act(pair, "bake", maps=[]).status_code == 400


@pytest.mark.slow
def test_what_nobody_sees_is_told_with_weights_that_change_nothing_by_themselves(send, atlas, act):
    outer, inner = box()[0], box(0.5)[0]
    uv = each_apart(outer)
    files = {
        "crate__glb": glb(Crate=surface(outer, uv=uv), Kernel=surface(inner, uv=uv + 1)),
        # Its fine one lies around it, and hides nothing.
        "fine__glb": glb(Crate_high=surface(box(1.01)[0], uv=uv + 3)),
    }
    assert send(**files).status_code == 201
    atlas.refresh_from_db()
    before = atlas.head_id
    result = job_of(act(atlas, "visibility")).result
    objects = [count for _, count in result["members"]]
    first = {"Crate": 0, "Kernel": objects[0]}
    assert min(shares(result)[: objects[0]]) == 1.0
    kernel = range(first["Kernel"], first["Kernel"] + objects[1])
    assert all(shares(result)[k] == 0.0 for k in kernel)
    told = {row["number"]: row for row in rows(result) if row["why"]}
    assert all(told[k]["weight"] == 0.1 and told[k]["kind"] == "never" for k in kernel)
    assert 0 < result["atlases"][0]["freed"] < 1
    atlas.refresh_from_db()
    assert atlas.head_id == before
    # Once a weight is accepted it is proposed no more.
    answer = act(atlas, "control", islands=list(kernel), weight=0.1)
    assert answer.status_code == 200, answer.content
    again = job_of(act(atlas, "visibility", views="above", alone=True)).result
    assert {row["number"] for row in rows(again) if row["why"]}.isdisjoint(kernel)
    assert act(atlas, "visibility", views="below").status_code == 400


@pytest.mark.slow
def test_never_seen_islands_of_one_shape_may_be_stacked(send, atlas, act):
    outer, inner = box()[0], box(0.5)[0]
    uv = each_apart(outer)
    assert send(c__glb=glb(Crate=surface(outer, uv=uv), Kernel=surface(inner, uv=uv + 1))).status_code == 201  # fmt: skip
    atlas.refresh_from_db()
    result = job_of(act(atlas, "visibility")).result
    count = result["members"][0][1]
    hidden = set(range(count, 2 * count))
    stacks = result["atlases"][0]["stacks"]
    assert stacks and all(set(own[1:]) <= hidden for own in stacks)
    assert {k for own in stacks for k in own} & hidden == hidden
    assert act(atlas, "control", islands=[], stacks=stacks).status_code == 200
    assert job_of(act(atlas, "visibility")).result["atlases"][0]["stacks"] == []


@pytest.mark.slow
def test_looks_from_places_and_from_near(send, atlas, act):
    room = surface(box(4.0, inward=True)[0], uv=each_apart(box()[0]))
    assert send(c__glb=glb(Room=room)).status_code == 201
    atlas.refresh_from_db()
    assert max(shares(job_of(act(atlas, "visibility")).result)) < 0.05
    near = job_of(act(atlas, "visibility", views="band", near=0.5, far=1.5)).result
    assert min(shares(near)) > 0.99 and all(row["screen_px_per_texel"] > 0 for row in rows(near))
    within = job_of(act(atlas, "visibility", views="cameras", cameras=[[0, 0, 0]])).result
    assert min(shares(within)) > 0.9
    # A screen of twice the height shows texels twice as large.
    high = job_of(act(atlas, "visibility", views="band", near=0.5, far=1.5, screen=2160)).result
    assert rows(high)[0]["screen_px_per_texel"] == pytest.approx(
        2 * rows(near)[0]["screen_px_per_texel"], rel=0.01
    )
    refused = act(atlas, "visibility", views="cameras")
    assert refused.status_code == 400 and "camera" in refused.json()["what"]


@pytest.mark.slow
def test_the_fine_mesh_and_the_difference_are_there(pair, act, client):
    job = job_of(act(pair, "bake", maps=["normal"], width=128, distance=0.05))
    (off,) = job.result["difference"]
    assert 0 < off["median"] < off["at_99"] <= off["most"] < 10
    shown = client.get(f"/api/jobs/{job.pk}/textures/bake_difference.png")
    assert Image.open(io.BytesIO(shown.content)).size == (128, 128)
    data = client.get(f"/api/jobs/{job.pk}/high-poly/").content
    count = job.result["fine_triangles"]
    assert len(data) == 45 * count
    places = np.frombuffer(data, "<f4", 9 * count).reshape(-1, 3)
    # The plate is a unit square with a wave of a hundredth.
    plate = places[np.abs(places[:, 0]) <= 1.001]
    assert np.abs(plate[:, 2]).max() == pytest.approx(0.01, abs=1e-4)
    itself = job_of(act(pair, "bake", pairs="itself", maps=["normal"], width=64))
    assert itself.result["fine"] == "" and itself.result["difference"] == []
    assert client.get(f"/api/jobs/{itself.pk}/high-poly/").status_code == 404


@pytest.mark.slow
def test_painted_distances_and_those_of_single_objects_hold(pair, act, client):
    def missed(**more):
        job = job_of(act(pair, "bake", maps=["normal"], width=128, distance=0.05, **more))
        return next(r["figures"]["missed"] for r in job.result["maps"] if r["map"] == "normal")

    assert missed() == 0
    assert missed(distances={"Plate, low": 0.001}) > 0.1
    data = io.BytesIO()
    Image.new("L", (64, 64), 0).save(data, "PNG")
    data.seek(0)
    data.name = "distances.png"
    address = f"/api/atlases/{pair.pk}/tile-images/1001/?purpose=reach"
    assert client.post(address, {"file": data}).status_code == 200
    assert missed() > 0.1
    # It is no image behind the layout.
    assert client.get(f"/api/atlases/{pair.pk}/tile-images/").json() == []
    assert [row["tile"] for row in client.get(address.replace("1001/", "")).json()] == [1001]
    assert client.get(address).status_code == 200
    assert client.get(address.replace("reach", "sky")).status_code == 400
    assert client.delete(address).status_code == 204
    assert missed() == 0


@pytest.mark.slow
def test_rays_from_shells_and_files_of_32_bits(send, atlas, act, client):
    low, high = plane(2), plane(20, lambda x, y: 0.3 + 0 * x)
    grown = surface(low.points + (0, 0, 0.4))
    files = {
        "a__glb": glb(Plate_low=low, Post=surface(box(0.2, (9, 0, 0))[0], uv=each_apart(box()[0]) + 3)),
        "b__glb": glb(Plate_high=surface(high.points)),
        "c__glb": glb(Plate_cage=grown),
    }  # fmt: skip
    assert send(**files).status_code == 201
    atlas.refresh_from_db()
    ask = {"maps": ["height"], "width": 64, "distance": 0.01, "bits": 32}
    short = job_of(act(atlas, "bake", **ask))
    assert short.result["maps"][0]["figures"]["missed"] > 0.1
    job = job_of(act(atlas, "bake", along="cage", **ask))
    assert job.result["maps"][0]["figures"]["missed"] == 0
    assert ["Plate_cage"] not in [pair["low"] for pair in job.result["pairs"]]
    body = b"".join(client.get(f"/api/jobs/{job.pk}/download/"))
    with zipfile.ZipFile(io.BytesIO(body)) as archive:
        (name,) = archive.namelist()
        assert name.endswith(".exr") and archive.read(name)[:4] == b"\x76\x2f\x31\x01"
    # On the screen it is an image like others.
    shown = client.get(f"/api/jobs/{job.pk}/textures/bake_height.png?size=32")
    assert Image.open(io.BytesIO(shown.content)).size == (32, 32)
    failed = job_of(act(atlas, "bake", along="cage", pairs="itself", **ask), Job.FAILED)
    assert "cage" in failed.error["what"]
