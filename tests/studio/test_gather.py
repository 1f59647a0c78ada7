"""Files in: everything, or nothing and a clear word."""

import io
import zipfile

import pytest

from studio.actions.project.set_settings import set_settings
from studio.models import Atlas, MeshObject, Project, Revision, Source
from studio.state import members_of
from tests.core.meshes import QUAD_OBJ, plain_glb
from tests.studio.conftest import step_of


def zip_of(files: dict[str, bytes]) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in files.items():
            archive.writestr(name, data)
    return out.getvalue()


def test_many_files_become_objects_islands_and_figures(gathered, client):
    layout = client.get(f"/api/revisions/{gathered.head_id}/").json()
    assert [o["name"] for o in layout["objects"]] == ["Left plate", "Right plate", "Plate"]
    assert [o["first_island"] for o in layout["objects"]] == [0, 1, 2]
    assert layout["figures"]["overlapping"] == 3
    assert layout["figures"]["density"]["mean"] == pytest.approx(1024)


def test_more_files_join_the_same_atlas(gathered, send, client):
    assert send(more__obj=QUAD_OBJ).status_code == 201
    gathered.refresh_from_db()
    assert len(members_of(gathered.head)) == 5
    assert gathered.head.parent.verb == "gather"


def test_a_zip_with_folders_finds_its_material_file(send, project):
    body = zip_of(
        {
            "pier/props.obj": QUAD_OBJ,
            "pier/props.mtl": b"newmtl brass\nKd 1 0 0\n",
            "__MACOSX/x.obj": b"junk",
        }
    )
    assert send(pier__zip=body).status_code == 201
    assert sorted(s.name for s in project.sources.all()) == ["pier/props.mtl", "pier/props.obj"]
    assert project.sources.get(name="pier/props.obj").warnings == []


def test_a_material_file_outside_the_upload_is_never_read(send, project):
    body = QUAD_OBJ.replace(b"mtllib props.mtl", b"mtllib ../../../etc/hostname")
    assert send(props__obj=body).status_code == 201
    assert "not beside it" in project.sources.get().warnings[0]


def test_a_buffer_outside_the_upload_is_never_read(send):
    body = plain_glb()
    import json

    from tests.core.meshes import json_of

    doc = json_of(body)
    doc["buffers"][0]["uri"] = "../../../../etc/passwd"
    answer = send(a__gltf=json.dumps(doc).encode())
    assert answer.status_code == 400
    assert "not there" in answer.json()["what"]


BAD = {
    "empty": {"a__obj": b""},
    "no mesh text": {"a__obj": b"hello\n"},
    "no mesh at all": {"notes__txt": b"hello"},
    "cut glb": {"a__glb": plain_glb()[:50]},
    "one good, one bad": {
        "good__obj": QUAD_OBJ,
        "bad__obj": QUAD_OBJ.replace(b"f 5/1/1", b"f 99/1/1"),
    },
    "words": {"a__obj": QUAD_OBJ.replace(b"v 1 1 0", b"v one 1 0")},
    "not a zip": {"a__zip": b"PK but not really"},
    "nothing": {},
}


@pytest.mark.parametrize("name", BAD)
def test_bad_files_are_refused_and_the_project_is_as_it_was(name, send, gathered):
    before = (
        Source.objects.count(),
        MeshObject.objects.count(),
        Revision.objects.count(),
        gathered.head_id,
    )
    answer = send(**BAD[name])
    assert answer.status_code == 400
    assert answer.json()["what"]
    assert answer.json()["fix"]
    gathered.refresh_from_db()
    assert (
        Source.objects.count(),
        MeshObject.objects.count(),
        Revision.objects.count(),
        gathered.head_id,
    ) == before


def test_a_zip_bomb_is_refused(send):
    answer = send(bomb__zip=zip_of({"a.obj": b"v 0 0 0\n" * 4_000_000}))
    assert answer.status_code == 400
    assert "unpacks to" in answer.json()["what"]


def test_a_2_gb_upload_is_refused_before_it_is_read(client, project):
    answer = client.post(
        f"/api/projects/{project.pk}/files/",
        b"x",
        content_type="multipart/form-data; boundary=b",
        CONTENT_LENGTH=str(2 * 1024**3),
    )
    assert answer.status_code == 413
    assert "2,147 MB" in answer.json()["what"]


def test_large_files_go_through_a_job_and_fail_with_a_word(settings, send, project):
    settings.INLINE_GATHER_BYTES = 10
    answer = send(a__obj=QUAD_OBJ)
    assert answer.status_code == 202
    assert project.jobs.get().state == "done"
    assert members_of(Atlas.objects.get().head)
    answer = send(a__obj=b"v 0 0 0\nf 1 2 3\n")
    job = project.jobs.first()
    assert job.state == "failed"
    assert "asks for vertex 2" in job.error["what"]


def test_objects_without_uvs_are_counted_not_packed(send, client, atlas):
    send(bare__obj=QUAD_OBJ.replace(b"f 5/1/1 6/2/1 7/3/1 8/4/1", b"f 5 6 7 8"))
    atlas.refresh_from_db()
    layout = client.get(f"/api/revisions/{atlas.head_id}/").json()
    assert [o["islands"] for o in layout["objects"]] == [1, 0]
    assert layout["figures"]["unflattened"] == 1


def test_other_pages_cannot_change_anything(client, project):
    answer = client.post(
        "/api/projects/",
        {"name": "x"},
        content_type="application/json",
        HTTP_ORIGIN="http://elsewhere.example",
    )
    assert answer.status_code == 403
    assert Project.objects.count() == 1


def test_projects_need_a_name(client, db):
    assert (
        client.post("/api/projects/", {"name": " "}, content_type="application/json").status_code
        == 400
    )
    assert client.get("/api/projects/999/").status_code == 404


def test_the_first_files_propose_the_house_density(send, project):
    """A square metre on a quarter of 2048 px has 1024 px/m: half the UV edge is half the density
    (arithmetic)."""
    assert send(plate__glb=plain_glb()).status_code == 201
    project.refresh_from_db()
    assert project.house_density == 1024
    set_settings(project.pk, None, {"house_density": 300})
    send(props__obj=QUAD_OBJ)
    project.refresh_from_db()
    assert project.house_density == 300


def test_numbers_beyond_all_bounds_are_refused_not_failed(client, gathered):
    huge = 10**30
    assert client.get(f"/api/atlases/{huge}/").status_code in (400, 404)
    for body in (
        {"change": huge},
        {"change": -1},
        {"change": step_of(gathered), "seed": huge},
        {"change": step_of(gathered), "padding": "nan"},
    ):
        answer = client.post(
            f"/api/atlases/{gathered.pk}/pack/", body, content_type="application/json"
        )
        assert answer.status_code in (400, 409)
        assert answer.json()["what"]
