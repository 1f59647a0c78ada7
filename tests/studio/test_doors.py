"""Who may change something, and what a page may load."""

import os
import subprocess
import sys

import pytest
from django.conf import settings as site
from django.test import Client

BODY = {"data": {"name": "Quay"}, "content_type": "application/json"}
BEARER = f"Bearer {site.TOKEN}"


@pytest.mark.parametrize(
    ("headers", "status"),
    [
        ({"origin": "http://testserver"}, 201),
        ({"origin": "http://elsewhere.example"}, 403),
        ({}, 403),
        ({"authorization": BEARER}, 201),
        ({"authorization": BEARER, "origin": "http://elsewhere.example"}, 201),
        ({"authorization": "Bearer " + "x" * 54}, 403),
        ({"authorization": "Bearer "}, 403),
        ({"authorization": "Basic " + site.TOKEN}, 403),
        ({"origin": "null"}, 403),
    ],
)
def test_a_change_names_its_page_or_the_token(db, headers, status):
    answer = Client(headers=headers).post("/api/projects/", **BODY)
    assert answer.status_code == status
    if status == 403:
        assert answer.json()["fix"]


def test_looking_needs_neither(db):
    assert Client().get("/api/projects/").status_code == 200


def test_where_others_can_reach_it_everything_needs_the_token(db, settings):
    settings.DEMAND_TOKEN = True
    browser = Client(headers={"origin": "http://testserver"})
    assert browser.get("/api/projects/").status_code == 401
    assert browser.post("/api/projects/", **BODY).status_code == 401
    assert browser.get("/?token=wrong").status_code == 401
    opened = browser.get(f"/project/1?token={settings.TOKEN}")
    assert (opened.status_code, opened["Location"]) == (302, "/project/1")
    cookie = browser.cookies["quilt_token"]
    assert cookie["httponly"]
    assert cookie["samesite"] == "Strict"
    assert browser.get("/api/projects/").status_code == 200
    assert browser.post("/api/projects/", **BODY).status_code == 201
    assert Client(headers={"authorization": BEARER}).get("/api/projects/").status_code == 200


def test_the_page_loads_only_its_own_scripts(db):
    policy = Client().get("/")["Content-Security-Policy"]
    assert "default-src 'self'" in policy
    assert "script-src" not in policy, "as for all else: its own"
    assert "frame-ancestors 'none'" in policy


@pytest.mark.slow
def test_the_web_process_loads_no_compiled_loops():
    """They take a second and much memory to load, and belong to the worker; so do the trees of points that SciPy has."""
    code = "import sys, django; django.setup(); import studio.api.urls; from quilt_core.operations.registry import OPERATIONS as o; [one.settings for one in o.values() if one.pace == 'moment']; print([one for one in ('numba', 'scipy.spatial') if one in sys.modules])"
    environment = {**os.environ, "DJANGO_SETTINGS_MODULE": "tests.settings"}
    told = subprocess.run(
        [sys.executable, "-c", code], env=environment, capture_output=True, text=True, check=True
    )
    assert told.stdout.strip() == "[]"


def test_a_project_s_page_names_what_it_will_ask_for(gathered, client):
    def named(address):
        link = client.get(address).headers.get("Link", "")
        return [part.split(">")[0].strip(" <") for part in link.split(",") if part]

    page = f"/project/{gathered.project_id}"
    early = named(page)
    assert len(early) == 6
    for address in early:
        assert client.get(address).status_code == 200, address
    assert named(f"{page}?atlas={gathered.pk}") == early
    assert named(f"{page}?atlas=x%27") == early, "what is no atlas of it is not asked for"
    assert named("/projects") == named("/project/999999999") == named("/project/0x1") == []
