"""A client, a project, and short ways to send files."""

import os
import uuid

import pytest
from django.core.files.storage import default_storage
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from quilt_site.engines import storage
from studio.actions.people.invite import new_account
from studio.actions.project.create_project import create_project
from studio.models import Membership, Project
from tests.core.meshes import QUAD_OBJ, plain_glb
from tests.core.painted import plain_device

GOOD = "a lamp over the quiet harbour"
JSON = "application/json"


@pytest.fixture(autouse=True)
def _own_files(settings, tmp_path):
    settings.MEDIA_ROOT = tmp_path / "files"
    address = os.environ.get("STORAGE_URL", "")
    if address:
        # The bucket of a test alone: what others store is not its own to clear.
        own = storage(address.replace("/quilt?", f"/{uuid.uuid4().hex}?"))
        settings.STORAGES = {**settings.STORAGES, "default": own}
        default_storage.connection.create_bucket(Bucket=own["OPTIONS"]["bucket_name"])


@pytest.fixture
def folder(settings):
    """Stored files lie in a folder of this machine, whatever the tests run on."""
    if os.environ.get("STORAGE_URL"):
        settings.STORAGES = {**settings.STORAGES, "default": storage("")}


@pytest.fixture
def client():
    """A browser on the application's own page."""
    return Client(headers={"origin": "http://testserver"})


@pytest.fixture
def project(transactional_db):
    return create_project("Pier")


@pytest.fixture
def atlas(project):
    return project.atlases.get()


@pytest.fixture
def send(client, project):
    def post(**files):
        """Names with __ for the dot: props__obj=b'…'."""
        uploads = [
            SimpleUploadedFile(name.replace("__", "."), data) for name, data in files.items()
        ]
        return client.post(f"/api/projects/{project.pk}/files/", {"files": uploads})

    return post


@pytest.fixture
def gathered(send, atlas):
    """An atlas with three objects, one island each, all on top of one another."""
    assert send(props__obj=QUAD_OBJ, plate__glb=plain_glb()).status_code == 201
    atlas.refresh_from_db()
    return atlas


@pytest.fixture
def act(client):
    """Post to an action of an atlas or its project, from the newest step unless another is
    named."""

    def post(atlas, verb, /, method="post", **body):
        atlas.refresh_from_db()
        of_project = verb in OF_PROJECT
        place = f"projects/{atlas.project_id}" if of_project else f"atlases/{atlas.pk}"
        address = f"/api/{place}/{'' if verb in ('project', 'atlas') else verb + '/'}"
        given = {"change": step_of(atlas), **body}
        return getattr(client, method)(address, given, content_type="application/json")

    return post


OF_PROJECT = ("undo", "redo", "history", "rules", "project")


def step_of(atlas):
    """The present step of an atlas's project."""
    return Project.objects.values_list("head_id", flat=True).get(pk=atlas.project_id)


def logged_in(name, password=GOOD):
    client = Client(headers={"origin": "http://testserver"})
    answer = client.post("/api/login/", {"name": name, "password": password}, content_type=JSON)
    assert answer.status_code == 200, answer.content
    return client


@pytest.fixture
def people(project):
    """An owner, an editor, a viewer and a stranger, each with a browser."""
    out = {}
    for name in ("owner", "editor", "viewer", "stranger"):
        user = new_account(name, GOOD)
        if name != "stranger":
            Membership.objects.create(project=project, user=user, role=name)
        out[name] = logged_in(name)
    return out


@pytest.fixture
def painted(send, atlas):
    """Two painted files, laid out as they came."""
    assert (
        send(one__glb=plain_device(1, 64, 3), two__glb=plain_device(2, 128, 4)).status_code == 201
    )
    atlas.refresh_from_db()
    return atlas
