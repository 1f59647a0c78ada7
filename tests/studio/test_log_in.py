"""Who gets in, how often one may try, and that rights which end end now.

The rules are those of OWASP ASVS 5.0 (6.2 passwords, 6.3 throttling, 7.4 sessions that end, 8.3 access); names that look
alike are those of Unicode Technical Standard 39.
"""

from __future__ import annotations

import http.client
import json
import threading
from contextlib import ExitStack, contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer

import pytest
import waitress
from django.contrib.auth import get_user_model
from django.core.files.uploadedfile import SimpleUploadedFile
from django.test import Client

from studio import live
from studio.actions.errors import Conflict, Refused
from studio.actions.people import guesses
from studio.actions.people.invite import new_account, set_role
from studio.live import Hub, Stream, Window
from studio.management.commands.serve import in_front
from studio.middleware import HASHED_AT_ONCE, HASHED_LATER, TRIES, AtOnce, LogIns
from studio.models import ApiToken, Job, Membership
from tests.core.meshes import QUAD_OBJ
from tests.studio.conftest import GOOD, JSON

pytestmark = pytest.mark.django_db(transaction=True)


@pytest.fixture(autouse=True)
def _accounts(settings):
    settings.ACCOUNTS = True


def told(environ, answer):
    """An application that tells who asks it, and how."""
    answer("200 OK", [("Content-Type", "application/json")])
    return [json.dumps([environ["REMOTE_ADDR"], environ["wsgi.url_scheme"]]).encode()]


@contextmanager
def waitress_of(proxies):
    server = waitress.create_server(told, host="127.0.0.1", port=0, **in_front(proxies))
    thread = threading.Thread(target=server.run, daemon=True)
    thread.start()
    try:
        yield server.effective_port
    finally:
        server.close()
        thread.join(10)


@contextmanager
def proxy_to(port, seen_as, https):
    """A small proxy: it adds whom it was asked by, and the first one whether by TLS."""

    class Handler(BaseHTTPRequestHandler):
        def do_GET(self):
            before = self.headers.get("X-Forwarded-For")
            scheme = "https" if https else self.headers.get("X-Forwarded-Proto", "http")
            headers = {"X-Forwarded-For": f"{before}, {seen_as}" if before else seen_as, "X-Forwarded-Proto": scheme}  # fmt: skip
            body = asked(port, headers)
            self.send_response(200)
            self.send_header("Content-Length", str(len(body)))
            self.end_headers()
            self.wfile.write(body)

        def log_message(self, *args):
            pass

    server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
    threading.Thread(target=server.serve_forever, daemon=True).start()
    try:
        yield server.server_address[1]
    finally:
        server.shutdown()
        server.server_close()


def asked(port, headers):
    connection = http.client.HTTPConnection("127.0.0.1", port, timeout=30)
    connection.request("GET", "/", headers=headers)
    return connection.getresponse().read()


@pytest.mark.parametrize("proxies", [1, 2])
def test_who_asks_is_told_rightly_behind_proxies(proxies):
    """Whatever a client says of itself (RFC 7239, section 8.1: the last entries alone can be believed)."""
    with ExitStack() as stack:
        port = stack.enter_context(waitress_of(proxies))
        if proxies == 2:
            port = stack.enter_context(proxy_to(port, "10.0.0.2", False))
        port = stack.enter_context(proxy_to(port, "203.0.113.7", True))
        for lie in ({}, {"X-Forwarded-For": "198.51.100.1, 198.51.100.2", "X-Forwarded-Proto": "http"}):  # fmt: skip
            assert json.loads(asked(port, lie)) == ["203.0.113.7", "https"]


def test_without_a_proxy_nobody_says_who_they_are():
    lie = {"X-Forwarded-For": "198.51.100.1", "X-Forwarded-Proto": "https"}
    with waitress_of(0) as port:
        assert json.loads(asked(port, lie)) == ["127.0.0.1", "http"]


def try_to(client, name, password, address="192.0.2.1"):
    body = {"name": name, "password": password}
    return client.post("/api/login/", body, content_type=JSON, REMOTE_ADDR=address).status_code


def test_a_lock_is_for_an_account_from_an_address(people, project, client):
    assert [try_to(client, "owner", f"wrong {k}") for k in range(6)][-1] == 429
    assert try_to(client, "owner", GOOD) == 429
    assert try_to(client, "owner", GOOD, "192.0.2.2") == 200, "from elsewhere it is open"
    assert people["owner"].get(f"/api/projects/{project.pk}/").status_code == 200


def test_many_addresses_together_are_slowed(people, project, client, monkeypatch):
    monkeypatch.setattr(guesses, "MOST_WRONG", 6)
    monkeypatch.setattr(guesses, "_last", {})
    for k in range(6):
        assert try_to(client, "editor", "wrong", f"192.0.2.{k}") == 403
    assert try_to(client, "editor", "wrong", "192.0.2.50") == 403, "one is looked at"
    assert try_to(client, "editor", GOOD, "192.0.2.51") == 429, "and the next has to wait"
    monkeypatch.setattr(guesses, "PAUSE", 0.0)
    assert try_to(client, "editor", GOOD, "192.0.2.51") == 200
    assert people["editor"].get(f"/api/projects/{project.pk}/").status_code == 200


def test_few_passwords_are_looked_at_and_few_wait():
    doors = LogIns()
    with ExitStack() as stack:
        rooms = [stack.enter_context(doors.entered(f"192.0.2.{k}")) for k in range(20)]
        assert sum(rooms) == HASHED_AT_ONCE + HASHED_LATER
    for _ in range(TRIES):
        with doors.entered("192.0.2.200") as room:
            assert room
    with doors.entered("192.0.2.200") as room, doors.entered("192.0.2.201") as other:
        assert (room, other) == (False, True), "one address does not shut out another"


def test_who_is_in_does_not_wait_for_passwords(settings, rf):
    """Each log-in stands still here; a look is answered all the same, and one more log-in is told to wait."""
    settings.AT_ONCE = 1
    going, looked = threading.Event(), []

    def answer(request):
        if request.path == "/api/login/":
            going.wait(30)
        return looked.append(request.path)

    gate = AtOnce(answer)
    many = HASHED_AT_ONCE + HASHED_LATER
    log_ins = [
        threading.Thread(target=gate, args=(rf.post("/api/login/", REMOTE_ADDR=f"192.0.2.{k}"),), daemon=True)
        for k in range(many)
    ]  # fmt: skip
    for thread in log_ins:
        thread.start()
    while gate.log_ins._inside < many:
        going.wait(0.01)
    gate(rf.get("/api/projects/"))
    assert looked == ["/api/projects/"]
    late = gate(rf.post("/api/login/"))
    assert late.status_code == 429 and int(late["Retry-After"]) > 0
    going.set()
    for thread in log_ins:
        thread.join(30)
    assert looked.count("/api/login/") == many


@pytest.mark.parametrize("word", ["passwordpassword", "PasswordPassword", "abcabcabcabc", "aaaaaaaaaaaaaa", "password1234"])  # fmt: skip
def test_passwords_that_are_quickly_guessed_will_not_do(word):
    with pytest.raises(Refused) as refused:
        new_account("somebody", word)
    assert refused.value.where == "password"


@pytest.mark.parametrize("name", ["OWNER", "ｏwner", "\u043ewner", "o\u1d21ner"])
def test_names_that_look_alike_are_one(people, name):
    with pytest.raises(Conflict) as refused:
        new_account(name, GOOD)
    assert refused.value.what in ("This name is taken.", "This name looks like another one.")


def test_a_name_has_no_characters_that_are_not_seen():
    with pytest.raises(Refused):
        new_account("ow\u200bner", GOOD)


@pytest.mark.parametrize("name", ["owners", "Öwner", "хозяин", "所有者"])
def test_names_that_differ_are_two(people, name):
    assert new_account(name, GOOD).pk


def test_another_scheme_is_another_origin(people, project, settings):
    at, body = f"/api/projects/{project.pk}/", {"name": "x", "change": project.head_id}
    answer = people["editor"].patch(at, body, content_type=JSON, headers={"origin": "https://testserver"})  # fmt: skip
    assert answer.status_code == 403 and "QUILT_PROXIES" in answer.json()["fix"]
    settings.CSRF_TRUSTED_ORIGINS = ["https://testserver"]
    answer = people["editor"].patch(at, body, content_type=JSON, headers={"origin": "https://testserver"})  # fmt: skip
    assert answer.status_code == 200


def test_a_token_neither_sees_nor_takes_away_another(people, project):
    make = {"name": "farm", "scope": "write", "project": project.pk}
    word, other = (people["editor"].post("/api/tokens/", make, content_type=JSON).json() for _ in range(2))  # fmt: skip
    script = Client(headers={"authorization": f"Bearer {word['token']}"})
    assert script.get("/api/tokens/").status_code == 403
    for one in (other, word):
        assert script.delete(f"/api/tokens/{one['id']}/").status_code == 403
    assert ApiToken.objects.count() == 2
    assert len(people["editor"].get("/api/tokens/").json()) == 2


def lines_of(window, hub):
    """What a window hears, gathered by a thread, until its stream ends."""
    heard = []
    thread = threading.Thread(target=lambda: heard.extend(Stream(window, hub)), daemon=True)
    thread.start()
    return heard, thread


def test_whoever_is_no_member_any_more_hears_nothing_more(people, project, monkeypatch):
    monkeypatch.setattr(live, "LOOK_EVERY", 0.02)
    user = get_user_model().objects.get(username="viewer")
    hub = Hub()
    session = people["viewer"].session.session_key
    windows = [Window(project.pk, "1", user.pk, session), Window(project.pk, "2", user.pk)]
    for window in windows:
        assert hub.connect(window)
    (first, one), (second, two) = (lines_of(window, hub) for window in windows)
    while not all(window.told for window in windows):
        one.join(0.01)
    people["viewer"].post("/api/logout/")
    one.join(30)
    assert not one.is_alive() and two.is_alive(), "by the token it goes on"
    set_role(project, user.pk, None)
    two.join(30)
    assert not two.is_alive()
    heard = len(first), len(second)
    Job.objects.create(project=project, kind="pack")
    for window in windows:
        hub.leave(window)
    while hub._thread is not None:
        one.join(0.01)
    assert (len(first), len(second)) == heard


def test_work_of_whoever_may_not_any_more_ends(people, project):
    rows = dict(Membership.objects.filter(project=project).values_list("role", "user"))
    jobs = [
        Job.objects.create(project=project, kind="pack", user_id=rows[role], state=state)
        for role in ("editor", "owner") for state in (Job.QUEUED, Job.RUNNING)
    ]  # fmt: skip
    set_role(project, rows["editor"], "viewer")
    for job in jobs:
        job.refresh_from_db()
    assert [(job.state, job.cancel) for job in jobs] == [
        (Job.CANCELLED, ""), (Job.RUNNING, "drop"), (Job.QUEUED, ""), (Job.RUNNING, ""),
    ]  # fmt: skip


def test_what_is_of_a_project_is_kept_by_nobody_on_the_way(people, project, atlas):
    sent = {"files": [SimpleUploadedFile("props.obj", QUAD_OBJ)]}
    assert people["editor"].post(f"/api/projects/{project.pk}/files/", sent).status_code == 201
    atlas.refresh_from_db()
    for place in ("geometry.glb", "placements/", "thumbnail.png"):
        answer = people["viewer"].get(f"/api/revisions/{atlas.head_id}/{place}")
        assert answer.status_code == 200
        assert answer["Cache-Control"].startswith("private"), place
