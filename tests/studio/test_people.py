"""Accounts and roles: what each role may, what strangers get to know, and that jobs obey the same rule.

The rules are those of OWASP ASVS 4.0.3 level 1 (2.1 passwords, 2.2.1 throttling, 3.2 and 3.4 sessions, 4.1 and 4.2 access).
"""

from __future__ import annotations

import re
from datetime import timedelta

import pytest
from django.contrib.auth import get_user_model
from django.test import Client
from django.urls import URLPattern, get_resolver
from django.utils import timezone

from quilt_core.operations.registry import OPERATIONS
from studio.actions.access import ANYONE, RANK, Actor, Forbidden, acting, require
from studio.actions.history.change import edit_settings
from studio.actions.people.invite import invite
from studio.api.job_views import Jobs
from studio.gate import OF
from studio.models import ApiToken, Change, Invitation, Job, Membership, Note, Presence, Project
from tests.core.meshes import QUAD_OBJ
from tests.studio.conftest import GOOD, JSON, logged_in, step_of

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture(autouse=True)
def _accounts(settings):
    settings.ACCOUNTS = True


def addresses(entries=None, before=""):
    """Routes of the API as texts, with their views."""
    for entry in get_resolver().url_patterns if entries is None else entries:
        here = before + str(entry.pattern)
        if isinstance(entry, URLPattern):
            if here.startswith("api/") and hasattr(entry.callback, "cls"):
                yield "/" + here, entry.callback.cls
        elif (here + "api/").startswith("api/"):
            yield from addresses(entry.url_patterns, here)


def test_nothing_is_answered_to_whoever_is_not_logged_in(client, project):
    assert client.get("/api/me/").json() == {"accounts": True, "id": None, "name": "", "admin": False}  # fmt: skip
    for address, _ in addresses():
        if address in ("/api/me/", "/api/login/", "/api/join/", "/api/checker.png"):
            continue
        plain = re.sub(r"\(\?P<kind>(\w+)[^)]*\)", r"\1", address).replace("^", "").replace("$", "")
        plain = re.sub(r"<str:\w+>", "x", re.sub(r"<int:\w+>|\(\?P<\w+>[^)]*\)", "1", plain)).replace("\\", "")  # fmt: skip
        assert client.get(plain).status_code == 401, plain
    # The page itself is only a page; it tells nothing of what is there.
    page = client.get(f"/project/{project.pk}")
    assert page.status_code in (200, 503) and "Link" not in page.headers


METHODS = ("get", "post", "put", "patch", "delete")


def test_every_view_says_who_may_call_each_of_its_methods(client):
    """By a role where it is about a project; what is open is what one needs to log in."""
    opened = set()
    for address, view in addresses():
        handlers = {name.upper() for name in METHODS if hasattr(view, name)}
        assert set(view.roles) == handlers, (address, view.roles)
        about = set(re.findall(r"<(?:int:)?(\w+)>", address)) & set(OF)
        for method, role in view.roles.items():
            assert (role in RANK) == bool(about), (address, method, role)
            if role == ANYONE:
                opened.add(f"{method} {address}")
    assert opened == {
        "GET /api/me/", "POST /api/login/", "GET /api/join/", "POST /api/join/", "GET /api/checker.png",
    }  # fmt: skip
    for operation in OPERATIONS.values():
        assert operation.role in RANK


def test_a_view_that_does_not_say_is_closed(project, people, monkeypatch):
    address = f"/api/projects/{project.pk}/jobs/"
    assert people["owner"].get(address).status_code == 200
    monkeypatch.delattr(Jobs, "roles")
    assert people["owner"].get(address).status_code == 403


def test_every_number_in_an_address_leads_to_a_project(project):
    numbers = {name for address, _ in addresses() for name in re.findall(r"<(?:int:)?(\w+)>", address)}  # fmt: skip
    aside = {"tile", "number", "material", "step_id", "user_id", "token_id", "kind", "name"}
    assert numbers - aside == set(OF), "a number that nobody looks up would open what it is about"
    # Those that are left aside stand behind a number that is looked up, or are one's own.
    for address, _ in addresses():
        own = set(re.findall(r"<(?:int:)?(\w+)>", address))
        assert not own or own & set(OF) or own == {"token_id"}, address


def test_strangers_are_told_that_nothing_is_there(people, project, atlas, act):
    job = Job.objects.create(project=project, kind="report", state=Job.DONE, result={})
    revision = atlas.head_id
    for address in (
        f"/api/projects/{project.pk}/", f"/api/projects/{project.pk}/jobs/", f"/api/projects/{project.pk}/history/",
        f"/api/atlases/{atlas.pk}/", f"/api/revisions/{revision}/", f"/api/revisions/{revision}/geometry.glb",
        f"/api/jobs/{job.pk}/", f"/api/jobs/{job.pk}/download/", f"/api/projects/{project.pk}/members/",
        f"/api/projects/{project.pk}/notes/", f"/api/atlases/{atlas.pk}/materials/",
    ):  # fmt: skip
        assert people["stranger"].get(address).status_code == 404, address
        assert people["stranger"].post(address, {}, content_type=JSON).status_code == 404, address
    assert people["stranger"].get("/api/projects/").json() == []
    assert [p["id"] for p in people["viewer"].get("/api/projects/").json()] == [project.pk]


def test_viewers_look_and_comment_and_nothing_else(people, project, atlas):
    viewer = people["viewer"]
    assert viewer.get(f"/api/atlases/{atlas.pk}/").status_code == 200
    for method, address, body in (
        ("post", f"/api/atlases/{atlas.pk}/pack/", {}),
        ("put", f"/api/atlases/{atlas.pk}/tiles/", {}),
        ("patch", f"/api/projects/{project.pk}/", {"name": "mine", "change": project.head_id}),
        ("delete", f"/api/projects/{project.pk}/", {}),
        ("post", f"/api/projects/{project.pk}/undo/", {"change": project.head_id}),
        ("post", f"/api/projects/{project.pk}/invitations/", {"role": "owner"}),
        ("put", f"/api/projects/{project.pk}/watch/", {"path": "/tmp"}),
    ):
        answer = getattr(viewer, method)(address, body, content_type=JSON)
        assert answer.status_code == 403, (address, answer.content)
        assert "As viewer you cannot" in answer.json()["what"]
    said = viewer.post(f"/api/projects/{project.pk}/notes/", {"text": "Too coarse?", "atlas": atlas.pk}, content_type=JSON)  # fmt: skip
    assert said.status_code == 201 and said.json()["author"] == "viewer" and said.json()["mine"]
    # An editor deletes no project, and invites nobody; whoever wrote a note may close it, editors may too.
    editor = people["editor"]
    assert editor.delete(f"/api/projects/{project.pk}/").status_code == 403
    assert (
        editor.post(f"/api/projects/{project.pk}/invitations/", {}, content_type=JSON).status_code
        == 403
    )
    note = f"/api/notes/{said.json()['id']}/"
    answer = {"text": "Yes.", "answers": said.json()["id"]}
    assert (
        editor.post(f"/api/projects/{project.pk}/notes/", answer, content_type=JSON).status_code
        == 201
    )
    assert editor.patch(note, {"closed": True}, content_type=JSON).json()["closed"]
    theirs = Note.objects.get(author="editor")
    assert viewer.delete(f"/api/notes/{theirs.pk}/").status_code == 403
    assert people["stranger"].delete(note).status_code == 404
    assert viewer.delete(note).status_code == 204 and not Note.objects.exists()


def test_steps_bear_their_authors_and_jobs_obey_the_same_rule(people, project, atlas):
    editor = people["editor"]
    body = {"name": "Pier two", "change": project.head_id}
    assert editor.patch(f"/api/projects/{project.pk}/", body, content_type=JSON).status_code == 200
    assert Change.objects.latest("pk").author == "editor"
    # A job is done for whoever started it: who is no editor any more gets nothing changed by it.
    user = get_user_model().objects.get(username="editor")
    with acting(Actor(user.pk, "editor")):
        require(project.pk, "editor")
        Membership.objects.filter(user=user).update(role="viewer")
        with pytest.raises(Forbidden):
            edit_settings(project.pk, None, "rename", lambda now: ({**now, "name": "x"}, "x"))
    # A command of this machine acts for nobody in particular.
    require(project.pk, "owner")


@pytest.mark.slow
def test_files_come_in_by_editors_under_their_name(people, project, atlas):
    from django.core.files.uploadedfile import SimpleUploadedFile

    files = {"files": [SimpleUploadedFile("plate.obj", QUAD_OBJ)]}
    assert people["viewer"].post(f"/api/projects/{project.pk}/files/", files).status_code == 403
    files = {"files": [SimpleUploadedFile("plate.obj", QUAD_OBJ)]}
    assert people["editor"].post(f"/api/projects/{project.pk}/files/", files).status_code == 201
    assert Change.objects.latest("pk").author == "editor"
    packed = people["editor"].post(f"/api/atlases/{atlas.pk}/pack/", {"change": step_of(atlas)}, content_type=JSON)  # fmt: skip
    assert packed.status_code == 202
    job = Job.objects.get(pk=packed.json()["id"])
    assert job.state == Job.DONE and job.user.username == "editor"
    assert Change.objects.latest("pk").author == "editor"


@pytest.mark.slow
def test_invitations_are_taken_once_and_expire(people, project, client):
    made = people["owner"].post(f"/api/projects/{project.pk}/invitations/", {"role": "viewer", "note": "Ada"}, content_type=JSON)  # fmt: skip
    word = made.json()["word"]
    assert word not in str(Invitation.objects.values_list("digest", flat=True)), (
        "only its hash is kept"
    )
    listed = people["owner"].get(f"/api/projects/{project.pk}/invitations/").json()
    assert listed[0]["note"] == "Ada" and "word" not in listed[0]
    told = client.get(f"/api/join/?word={word}").json()
    assert (told["project_name"], told["role"], told["by"]) == ("Pier", "viewer", "owner")
    for password in ("short", "password1234", "thenewcomer1"):
        body = {"word": word, "name": "newcomer", "password": password}
        assert client.post("/api/join/", body, content_type=JSON).status_code == 400, password
    taken = {"word": word, "name": "owner", "password": GOOD}
    assert client.post("/api/join/", taken, content_type=JSON).status_code == 409
    body = {"word": word, "name": "newcomer", "password": GOOD}
    assert client.post("/api/join/", body, content_type=JSON).status_code == 200
    assert client.get(f"/api/projects/{project.pk}/").status_code == 200
    assert Client().get(f"/api/join/?word={word}").status_code == 400
    # Somebody who has an account already joins with it, and an invitation never takes a role away.
    row, word = invite(project, "viewer")
    assert people["owner"].post("/api/join/", {"word": word}, content_type=JSON).status_code == 200
    assert Membership.objects.get(user__username="owner").role == "owner"
    row, word = invite(project, "editor")
    Invitation.objects.filter(pk=row.pk).update(expires=timezone.now() - timedelta(seconds=1))
    assert (
        people["stranger"].post("/api/join/", {"word": word}, content_type=JSON).status_code == 400
    )
    row, word = invite(project, "editor")
    assert people["editor"].delete(f"/api/invitations/{row.pk}/").status_code == 403
    assert people["owner"].delete(f"/api/invitations/{row.pk}/").status_code == 204


def test_owners_give_roles_and_one_stays(people, project):
    ids = dict(Membership.objects.values_list("user__username", "user_id"))
    at = f"/api/projects/{project.pk}/members"
    owner = people["owner"]
    alone = owner.patch(f"{at}/{ids['owner']}/", {"role": "viewer"}, content_type=JSON)
    assert alone.status_code == 400 and "one owner" in alone.json()["what"]
    assert owner.patch(f"{at}/{ids['editor']}/", {"role": "owner"}, content_type=JSON).status_code == 200  # fmt: skip
    assert owner.delete(f"{at}/{ids['owner']}/").status_code == 204
    assert owner.get(f"/api/projects/{project.pk}/").status_code == 404
    assert people["viewer"].patch(f"{at}/{ids['viewer']}/", {"role": "owner"}, content_type=JSON).status_code == 403  # fmt: skip


def test_whoever_makes_a_project_owns_it(people):
    made = people["stranger"].post("/api/projects/", {"name": "Own"}, content_type=JSON)
    assert made.status_code == 201
    project = Project.objects.get(pk=made.json()["id"])
    assert project.memberships.get().user.username == "stranger"
    assert people["owner"].get(f"/api/projects/{project.pk}/").status_code == 404
    copied = people["stranger"].post(f"/api/projects/{project.pk}/duplicate/")
    assert copied.status_code == 201
    assert len(people["stranger"].get("/api/projects/").json()) == 2


def test_folders_of_the_server_are_not_for_everybody(people, project, settings, tmp_path):
    body = {"path": str(tmp_path)}
    at = f"/api/projects/{project.pk}/watch/"
    answer = people["editor"].put(at, body, content_type=JSON)
    assert answer.status_code == 400 and "QUILT_WATCH_ROOTS" in answer.json()["fix"]
    settings.WATCH_ROOTS = [str(tmp_path)]
    assert people["editor"].put(at, body, content_type=JSON).status_code == 200


def test_tokens_have_a_scope_and_an_end(people, project, atlas):
    made = people["editor"].post(
        "/api/tokens/", {"name": "farm", "scope": "read"}, content_type=JSON
    )
    word = made.json()["token"]
    assert word not in str(list(ApiToken.objects.values_list("digest", flat=True)))
    script = Client(headers={"authorization": f"Bearer {word}"})
    assert script.get(f"/api/projects/{project.pk}/").status_code == 200
    body = {"name": "x", "change": project.head_id}
    refused = script.patch(f"/api/projects/{project.pk}/", body, content_type=JSON)
    assert refused.status_code == 403 and "reading" in refused.json()["what"]
    assert script.post("/api/tokens/", {"name": "more", "scope": "write"}, content_type=JSON).status_code == 403  # fmt: skip
    writer = people["editor"].post("/api/tokens/", {"name": "farm", "scope": "write", "project": project.pk}, content_type=JSON).json()  # fmt: skip
    script = Client(headers={"authorization": f"Bearer {writer['token']}"})
    assert script.patch(f"/api/projects/{project.pk}/", body, content_type=JSON).status_code == 200
    assert script.post("/api/projects/", {"name": "another"}, content_type=JSON).status_code == 403
    assert script.post("/api/tokens/", {"name": "more"}, content_type=JSON).status_code == 403
    ApiToken.objects.filter(pk=writer["id"]).update(expires=timezone.now() - timedelta(days=1))
    assert script.get(f"/api/projects/{project.pk}/").status_code == 401
    other = people["stranger"].post("/api/tokens/", {"name": "x", "project": project.pk}, content_type=JSON)  # fmt: skip
    assert other.status_code == 404
    assert people["stranger"].delete(f"/api/tokens/{writer['id']}/").status_code == 404
    assert people["editor"].delete(f"/api/tokens/{writer['id']}/").status_code == 204
    assert Client(headers={"authorization": "Bearer nothing"}).get("/api/projects/").status_code == 401  # fmt: skip


@pytest.mark.slow
def test_passwords_are_throttled_and_names_are_not_told(people, client):
    answers = []
    for k in range(6):
        answer = client.post("/api/login/", {"name": "owner", "password": f"wrong {k}"}, content_type=JSON)  # fmt: skip
        answers.append(answer.status_code)
    assert answers[:4] == [403] * 4 and answers[-1] == 429
    right = client.post("/api/login/", {"name": "owner", "password": GOOD}, content_type=JSON)
    assert right.status_code == 429, "also the right one waits"
    nobody = client.post("/api/login/", {"name": "nobody", "password": "x"}, content_type=JSON)
    assert nobody.json()["what"] == "Name and password do not fit."


@pytest.mark.slow
def test_sessions_are_new_at_login_and_gone_at_logout(people, project, settings):
    # The hashers of a real installation: tests' own one comes first otherwise.
    settings.PASSWORD_HASHERS = [*settings.PASSWORD_HASHERS[1:], settings.PASSWORD_HASHERS[0]]
    browser = logged_in("viewer")
    cookie = browser.cookies["quilt_session"]
    assert cookie["httponly"] and cookie["samesite"] == "Lax"
    before = cookie.value
    again = browser.post("/api/login/", {"name": "viewer", "password": GOOD}, content_type=JSON)
    assert again.cookies["quilt_session"].value != before
    assert browser.post("/api/logout/").status_code == 204
    assert browser.get(f"/api/projects/{project.pk}/").status_code == 401
    # Another page cannot use the browser's session.
    browser = logged_in("editor")
    body = {"name": "x", "change": project.head_id}
    away = browser.patch(f"/api/projects/{project.pk}/", body, content_type=JSON, headers={"origin": "https://elsewhere.example"})  # fmt: skip
    assert away.status_code == 403
    user = get_user_model().objects.get(username="editor")
    assert user.password.startswith("argon2")
    user.is_active = False
    user.save()
    assert browser.get(f"/api/projects/{project.pk}/").status_code == 401


def test_the_pulse_tells_the_newest_step_and_who_is_here(people, project, atlas):
    def beat(name, window="1", **more):
        body = {"window": f"{name}{window}", "atlas": atlas.pk, "stage": "Arrange", **more}
        answer = people[name].post(f"/api/projects/{project.pk}/presence/", body, content_type=JSON)
        assert answer.status_code == (404 if name == "stranger" else 200)
        return answer.json()

    assert beat("viewer", picked=[1, 2]) == {"change": project.head_id, "redo": 0, "jobs": 0, "people": []}  # fmt: skip
    (seen,) = beat("editor")["people"]
    assert (seen["name"], seen["picked"], seen["mine"]) == ("viewer", [1, 2], False)
    assert beat("editor", "2")["people"][1]["mine"], "another window of one's own"
    beat("stranger")
    body = {"name": "Pier two", "change": project.head_id}
    assert (
        people["editor"].patch(f"/api/projects/{project.pk}/", body, content_type=JSON).status_code
        == 200
    )
    assert beat("viewer")["change"] != project.head_id
    # Who is silent is gone.
    Presence.objects.filter(window="editor1").update(seen=timezone.now() - timedelta(minutes=1))
    assert {one["name"] for one in beat("viewer")["people"]} == {"editor"}
    Presence.objects.update(seen=timezone.now() - timedelta(minutes=9))
    beat("owner")
    assert Presence.objects.count() == 1, "old rows are forgotten"
    # Two who touch the same are told who came first.
    late = people["owner"].patch(f"/api/projects/{project.pk}/", {"name": "Pier three", "change": project.head_id}, content_type=JSON)  # fmt: skip
    assert late.status_code == 409 and "by editor" in late.json()["what"]


def test_whoever_wants_to_leave_may_but_for_the_last_owner(people, project):
    ids = dict(Membership.objects.filter(project=project).values_list("role", "user"))
    members = f"/api/projects/{project.pk}/members/"
    assert people["viewer"].delete(f"{members}{ids['editor']}/").status_code == 403
    assert people["viewer"].delete(f"{members}{ids['viewer']}/").status_code == 204
    assert people["viewer"].get(f"/api/projects/{project.pk}/").status_code == 404
    assert people["owner"].delete(f"{members}{ids['owner']}/").status_code == 400
    assert people["owner"].get(members).status_code == 200
