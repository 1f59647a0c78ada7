"""Hand off knows what textures there are: merged ones that fit, or such as are painted for another layout."""

from __future__ import annotations

import io
import json
import struct
import zipfile

import numpy as np
import pytest

from quilt_core.formats import read_scene
from studio.models import Job
from studio.state import read_state
from tests.core.merge_samples import MTL, OBJ
from tests.core.painted import plain_device
from tests.studio.merge_samples import job_of, packed


def told(client, atlas, **query):
    return client.get(f"/api/projects/{atlas.project_id}/hand-off/", query).json()


def entries(client, job):
    body = b"".join(client.get(f"/api/jobs/{job.pk}/download/"))
    with zipfile.ZipFile(io.BytesIO(body)) as archive:
        return {name: archive.read(name) for name in archive.namelist()}


@pytest.mark.slow
def test_as_they_came_textures_fit(act, painted, client):
    assert told(client, painted) == {"merges": [], "misfits": [], "why": ""}
    there = entries(client, job_of(act(painted, "export")))
    assert {"one.glb", "two.glb", "report.html"} <= set(there)


@pytest.mark.slow
def test_painted_for_another_layout_is_refused_until_it_is_merged_or_meant_so(act, painted, client):
    packed(act, painted)
    (misfit,) = told(client, painted)["misfits"]
    assert misfit["atlas"] == painted.pk and "Device 1" in misfit["objects"]
    refused = job_of(act(painted, "export"), Job.FAILED)
    assert "painted for the UVs as they were" in refused.error["what"]
    assert "Merge" in refused.error["fix"] and "layout only" in refused.error["fix"]
    only = entries(client, job_of(act(painted, "export", layout_only=True)))
    assert not [name for name in only if name.startswith("textures/")]
    merged = job_of(act(painted, "merge", width=256, name="set"))
    now = told(client, painted)
    assert [row["job"] for row in now["merges"]] == [merged.pk] and now["misfits"] == []
    there = entries(client, job_of(act(painted, "export")))
    assert {"one.glb", "two.glb", "textures/set_baseColor.png", "layout.1001.png"} <= set(there)
    # The very files of the merge, and the UVs of the atlas.
    for name, data in entries(client, merged).items():
        assert there[name] == data
    assert there["one.glb"] != only["one.glb"]
    for files in (there, only):
        uv = read_scene("one.glb", files["one.glb"]).objects[0].mesh.channels[0].per_corner
        assert uv.min() >= 0 and uv.max() <= 1
    new, old = (
        read_scene("one.glb", files["one.glb"]).objects[0].mesh.channels[0].per_corner
        for files in (there, only)
    )
    assert np.abs(np.sort(new, axis=0) - np.sort(old, axis=0)).max() < 1e-5


@pytest.mark.slow
def test_a_merge_of_before_does_not_count_and_the_reason_is_told(act, painted, client):
    packed(act, painted)
    job_of(act(painted, "merge", width=256))
    edits = ["copy 1=2"]
    assert told(client, painted, edits='["copy 1=2"]')["why"].startswith("the edits of UV channels")
    job_of(act(painted, "export", edits=edits), Job.FAILED)
    job_of(act(painted, "pack", padding=4, margin=4, effort="quick", seed=2))
    painted.refresh_from_db()
    now = told(client, painted)
    assert now["merges"] == [] and now["misfits"]
    assert now["why"] == "the layout has changed since the textures were merged"
    # Back at the layout that was merged, it counts again.
    act(painted, "undo")
    painted.refresh_from_db()
    assert len(read_state(painted.head).placements) and told(client, painted)["merges"]


def apart(glb):
    """A GLB as a .gltf and the .bin that it names."""
    length = struct.unpack_from("<I", glb, 12)[0]
    doc = json.loads(glb[20 : 20 + length])
    doc["buffers"][0]["uri"] = "lamp.bin"
    return json.dumps(doc).encode(), glb[20 + length + 8 :]


@pytest.mark.slow
def test_a_merged_file_in_parts_is_whole_and_beside_it_others_are_too(act, send, atlas, client):
    gltf, data = apart(plain_device(1, 64, 3))
    assert send(lamp__gltf=gltf, lamp__bin=data).status_code == 201
    assert send(box__obj=OBJ.encode(), box__mtl=MTL.encode()).status_code == 201
    packed(act, atlas)
    job_of(act(atlas, "merge", width=128))
    there = entries(client, job_of(act(atlas, "export")))
    # Each name that a file has for another one leads to one in the zip.
    doc = json.loads(there["lamp.gltf"])
    uris = [one["uri"] for kind in ("buffers", "images") for one in doc[kind] if "uri" in one]
    assert uris and set(uris) <= set(there)
    assert read_scene("lamp.gltf", there["lamp.gltf"], there.get).objects
    assert "box.obj" in there and read_scene("box.obj", there["box.obj"], there.get).objects


@pytest.mark.slow
def test_another_channel_and_merges_of_before_digests_do_not_count(act, painted, client):
    packed(act, painted)
    merged = job_of(act(painted, "merge", width=128))
    # Written to a second channel nothing reads it: no texture is wrong there.
    assert told(client, painted, to_channel=2) == {"merges": [], "misfits": [], "why": ""}
    merged.result.pop("painted")
    merged.save()
    assert "earlier version" in told(client, painted)["why"]


def test_bad_questions_are_refused(painted, client):
    for edits in ("x", '{"a": 1}'):
        answer = client.get(f"/api/projects/{painted.project_id}/hand-off/", {"edits": edits})
        assert answer.status_code == 400
