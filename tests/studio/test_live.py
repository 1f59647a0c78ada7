"""What is new is told as it happens: a step, jobs, who is here, notes; only to who may, and to so many windows."""

from __future__ import annotations

import json
import threading

import pytest

from studio.live import Hub, Stream, Window, news_of
from studio.models import Job, Membership
from tests.studio.conftest import JSON

pytestmark = pytest.mark.django_db(transaction=True)


def events(lines):
    """Events among lines of a stream."""
    return [json.loads(line[5:]) for line in lines if line.startswith(b"data:")]


@pytest.fixture
def quiet(monkeypatch):
    """A hub without its thread: nothing looks but what a test does."""
    hub = Hub()
    hub._thread = threading.current_thread()
    monkeypatch.setattr("studio.api.live_views.HUB", hub)
    return hub


def test_a_window_hears_of_steps_and_jobs_once_each(project, atlas, act):
    window = Window(project.pk, "mine", None)
    first = news_of({project.pk})[project.pk]
    assert first["change"] == project.head_id and first["jobs"] == 0
    window.hear(first)
    assert window.wake.is_set() and window.news["people"] == []
    window.wake.clear()
    window.hear(news_of({project.pk})[project.pk])
    assert not window.wake.is_set(), "nothing is new"
    assert act(atlas, "name", method="put", name="Shed").status_code == 200
    Job.objects.create(project=project, kind="pack", state=Job.RUNNING)
    Job.objects.create(project=project, kind="piece", state=Job.RUNNING, parent=Job.objects.get())
    window.hear(news_of({project.pk})[project.pk])
    assert window.wake.is_set() and window.news["change"] > first["change"]
    assert window.news["jobs"] == 1, "parts are no jobs of their own"


def test_a_stream_tells_what_is_new_breathes_and_leaves(monkeypatch, quiet):
    monkeypatch.setattr("studio.live.BREATH", 0.05)
    window = Window(1, "mine", None)
    assert quiet.connect(window)
    told = Stream(window, quiet, life=60)
    lines = iter(told)
    assert next(lines).startswith(b"retry:")
    assert next(lines).startswith(b":")
    window.hear({"change": 7, "redo": 0, "jobs": 0, "notes": "", "people": []})
    assert events([next(lines)])[0]["change"] == 7
    told.close()
    assert not quiet._windows
    # After its time a window connects anew, and whether it may is looked at anew.
    assert len(list(Stream(window, quiet, life=0.2))) > 1


def test_too_many_windows_are_told_to_ask_by_themselves(client, project, settings):
    settings.LIVE_WINDOWS = 0
    answer = client.get(f"/api/projects/{project.pk}/live/?window=a", HTTP_ACCEPT="text/event-stream")  # fmt: skip
    assert answer.status_code == 204


@pytest.fixture
def with_accounts(settings):
    settings.ACCOUNTS = True


def test_people_hear_of_each_other_and_strangers_hear_nothing(
    with_accounts, people, project, atlas, quiet
):
    address = f"/api/projects/{project.pk}/live/?window=editor"
    assert people["stranger"].get(address).status_code == 404
    said = people["viewer"].post(
        f"/api/projects/{project.pk}/presence/", {"window": "viewer", "atlas": atlas.pk, "stage": "check", "picked": [3, 5]}, content_type=JSON,
    )  # fmt: skip
    assert said.status_code == 200
    people["viewer"].post(f"/api/projects/{project.pk}/notes/", {"text": "Look here."}, content_type=JSON)  # fmt: skip
    news = news_of({project.pk})[project.pk]
    assert news["notes"] == "1/0"
    ids = dict(Membership.objects.filter(project=project).values_list("role", "user"))
    other, own = Window(project.pk, "editor", ids["editor"]), Window(project.pk, "viewer", ids["viewer"])  # fmt: skip
    other.hear(news)
    own.hear(news)
    (one,) = other.news["people"]
    assert one["picked"] == [3, 5] and one["stage"] == "check" and one["mine"] is False
    assert own.news["people"] == [], "a window does not hear of itself"
    answer = people["viewer"].get(address, HTTP_ACCEPT="text/event-stream")
    assert answer.status_code == 200 and answer["Content-Type"] == "text/event-stream"
    assert answer["Content-Encoding"] == "identity", "compression would keep it back"
    assert len(quiet._windows) == 1
    answer.close()
    assert not quiet._windows, "also where nothing was sent yet"
