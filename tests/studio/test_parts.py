"""Small parts of the server on their own."""

import io
import zipfile

import numpy as np
import pytest
from django.core.management import call_command

from quilt_core.document.base import read_base
from quilt_core.formats import read_scene
from quilt_core.formats.load import siblings_in
from studio import storage
from studio.actions.check.rules import rules_of
from studio.actions.errors import Refused
from studio.actions.gather.unpack import clean_name, unpack
from studio.actions.run.line_steps import head_of
from studio.arrays import load_geometry, load_layout, store_geometry
from studio.models import Project
from tests.core.meshes import QUAD_OBJ, plain_glb


@pytest.mark.parametrize(
    ("name", "clean"),
    [
        ("a.obj", "a.obj"),
        ("../../a.obj", "a.obj"),
        ("/etc/passwd", "etc/passwd"),
        ("in\\a.obj", "in/a.obj"),
        ("__MACOSX/a", ""),
        (".hidden", ""),
        ("", ""),
    ],
)
def test_names_never_lead_out(name, clean):
    assert clean_name(name) == clean


@pytest.mark.parametrize(
    ("base", "wanted", "found"),
    [
        ("in/a.obj", "a.mtl", "in/a.mtl"),
        ("in/a.obj", "../b.mtl", "b.mtl"),
        ("a.obj", "../b.mtl", None),
        ("a.obj", "/b.mtl", None),
        ("a.obj", "none", None),
        ("in/a.obj", ".\\a.mtl", "in/a.mtl"),
    ],
)
def test_siblings_are_found_within_the_upload_only(base, wanted, found):
    files = {"in/a.mtl": b"1", "b.mtl": b"2"}
    find = siblings_in(files, base, files.__getitem__)
    assert find(wanted) == (files[found] if found else None)


def test_a_zip_that_lies_about_its_sizes_is_refused():
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        archive.writestr("a.obj", QUAD_OBJ)
    data = bytearray(out.getvalue())
    where = data.rindex(b"PK\x01\x02")
    data[where + 24 : where + 28] = (10).to_bytes(4, "little")
    with pytest.raises(Refused):
        unpack([("a.zip", bytes(data))])


def test_too_many_entries_are_refused():
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for k in range(2100):
            archive.writestr(f"{k}.txt", b"")
    with pytest.raises(Refused, match="2,100 files"):
        unpack([("a.zip", out.getvalue())])


def test_equal_bytes_are_stored_once(tmp_path, folder):
    key = storage.put(b"same")
    assert storage.put(b"same") == key
    assert storage.get(key) == b"same"
    assert sum(p.is_file() for p in (tmp_path / "files").rglob("*")) == 1


def test_stored_geometry_is_the_island_set_and_marks_bare_faces():
    scene = read_scene(
        "a.obj", QUAD_OBJ.replace(b"f 1/1/1 2/2/1 3/3/1 4/4/1", b"f 1/1/1 2/2/1 3/3/1\nf 1 3 4")
    )
    obj = scene.objects[0]
    base = read_base(obj, 0, scene, 1e-5)
    islands = base.islands
    data = load_geometry(store_geometry(obj, base))
    assert np.array_equal(data["uv"], base.uv, equal_nan=True)
    assert data["face_island"].tolist() == [0, -1]
    assert data["corner_island"].tolist() == [0, -1]
    assert np.array_equal(data["edges"], islands.edges)


def test_instances_reach_the_browser_as_nodes(send, atlas, client):
    nodes = [{"name": "A", "mesh": 0}, {"name": "B", "mesh": 0, "translation": [0, 5, 0]}]
    send(pair__glb=plain_glb(nodes=nodes, scenes=[{"nodes": [0, 1]}]))
    atlas.refresh_from_db()
    scene = read_scene("g.glb", client.get(f"/api/revisions/{atlas.head_id}/geometry.glb").content)
    assert [i.name for i in scene.objects[0].instances] == ["A", "B"]
    assert scene.objects[0].instances[1].matrix[1, 3] == 5
    assert len(load_layout(atlas.head).objects) == 1


def test_an_obj_unit_reaches_the_density_and_the_model(client, project, atlas):
    from django.core.files.uploadedfile import SimpleUploadedFile

    body = {"files": [SimpleUploadedFile("a.obj", QUAD_OBJ)], "metres_per_unit": "0.01"}
    assert client.post(f"/api/projects/{project.pk}/files/", body).status_code == 201
    atlas.refresh_from_db()
    layout = client.get(f"/api/revisions/{atlas.head_id}/").json()
    assert layout["figures"]["density"]["mean"] == pytest.approx(102400)
    scene = read_scene("g.glb", client.get(f"/api/revisions/{atlas.head_id}/geometry.glb").content)
    assert scene.objects[0].instances[0].matrix[0, 0] == pytest.approx(0.01)


@pytest.mark.parametrize("unit", ["-1", "0", "much", "nan"])
def test_units_that_cannot_be_are_refused(unit, client, project):
    from django.core.files.uploadedfile import SimpleUploadedFile

    body = {"files": [SimpleUploadedFile("a.obj", QUAD_OBJ)], "metres_per_unit": unit}
    assert client.post(f"/api/projects/{project.pk}/files/", body).status_code == 400


@pytest.mark.slow
def test_the_demo_is_loaded_once(transactional_db, capsys):
    call_command("load_demo")
    call_command("load_demo")
    project = Project.objects.get()
    assert project.mesh_objects.count() == 18
    assert project.atlases.get().head.figures["unflattened"] == 1


@pytest.mark.parametrize(
    "path",
    [
        "projects/9/",
        "projects/9/jobs/",
        "atlases/9/",
        "revisions/9/",
        "revisions/9/placements/",
        "revisions/9/geometry.glb",
        "revisions/9/sheet.png",
        "jobs/9/",
        "jobs/9/download/",
    ],
)
def test_what_is_not_there_is_told(path, client, db):
    answer = client.get(f"/api/{path}")
    assert answer.status_code == 404
    assert answer.json()["fix"]


def test_the_page_is_served_for_every_path_of_the_application(db, client, settings, tmp_path):
    settings.BASE_DIR = tmp_path
    assert client.get("/project/1").status_code == 503
    (tmp_path / "web" / "dist").mkdir(parents=True)
    (tmp_path / "web" / "dist" / "index.html").write_text("<p>here</p>")
    assert client.get("/project/1").content == b"<p>here</p>"


def test_a_broken_content_length_is_refused(client, project):
    answer = client.post(
        f"/api/projects/{project.pk}/files/", b"", content_type="text/plain", CONTENT_LENGTH="many"
    )
    assert answer.status_code == 400


@pytest.mark.parametrize(
    "body",
    [
        {"house_density": -1},
        {"tolerance": 5},
        {"house_density": "much"},
        {"least_density": -3},
        {"least_density": 900, "most_density": 100},
    ],
)
def test_house_densities_that_cannot_be_are_refused(body, client, project):
    given = {"change": project.head_id, **body}
    answer = client.patch(f"/api/projects/{project.pk}/", given, content_type="application/json")
    assert answer.status_code == 400
    assert answer.json()["where"] in body


def test_the_ends_of_the_band_are_settings_that_findings_go_by(client, project, atlas):
    def change(**given):
        body = {"change": Project.objects.get(pk=project.pk).head_id, **given}
        answer = client.patch(f"/api/projects/{project.pk}/", body, content_type="application/json")
        assert answer.status_code == 200
        return answer.json()

    assert change(least_density=1e6, most_density=2e6)["most_density"] == 2e6
    assert rules_of(head_of(atlas.pk)).band[0] == 1e6
    assert change(least_density=None)["least_density"] is None
    assert rules_of(head_of(atlas.pk)).band[0] < 1e6
    assert change(density_unit="px/cm")["density_unit"] == "px/cm"
    assert rules_of(head_of(atlas.pk)).density_unit == "px/cm"
    change(house_density=2000.0)
    assert Project.objects.get(pk=project.pk).head.what.endswith("→ 20 px/cm")


@pytest.mark.slow
def test_a_taken_port_is_told():
    import socket

    from django.core.management.base import CommandError

    with socket.socket() as taken:
        taken.bind(("127.0.0.1", 0))
        taken.listen()
        with pytest.raises(CommandError, match="another port"):
            call_command("serve", port=taken.getsockname()[1])
