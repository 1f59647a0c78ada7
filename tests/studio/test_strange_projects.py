"""Project files from strangers, changed by a grammar: each is taken or refused in words, and what is taken can be worked with.

Values, keys, references, names, rings, arrays and the archive itself are changed; every entry keeps a right hash, so that
what is changed is what is read.
"""

from __future__ import annotations

import copy
import random
from typing import Any

import pytest
from django.core.files.uploadedfile import SimpleUploadedFile

from studio import storage
from studio.models import Project
from tests.core.examples import examples
from tests.core.projects import archive_of, entries_of, with_records
from tests.studio.conftest import step_of

pytestmark = [
    pytest.mark.django_db(transaction=True),
    pytest.mark.usefixtures("folder"),
    pytest.mark.slow,
]
SEEDS = 250
"""Tried by hand up to 2,000."""
ODD: tuple[Any, ...] = (
    None, True, 0, 1, -1, 2**31, 2**63, -(2**63), 2**64, 10**30, 0.5, -0.0, 1e308, 1e-308, "", "x", "0", "../../etc/passwd",
    "a\0b", "\u202egnp.exe", "\u200b", "x" * 65_536, "<script>", [], [[]], {}, {"": 0}, [0] * 1000, "2026-13-45T99:99:99Z",
)  # fmt: skip


def places(value, path=()):
    """Paths of all values within a value."""
    yield path
    if isinstance(value, dict):
        for key in value:
            yield from places(value[key], (*path, key))
    elif isinstance(value, list):
        for k in range(len(value)):
            yield from places(value[k], (*path, k))


def changed(record, rng):
    """Change one to four values of a record."""
    for _ in range(rng.choice((1, 1, 1, 2, 4))):
        paths = [path for path in places(record) if path]
        *above, last = rng.choice(paths)
        holder = record
        for key in above:
            holder = holder[key]
        old, how = holder[last], rng.randrange(8)
        if how == 0:
            del holder[last]
        elif how == 1:
            holder[last] = rng.choice(ODD)
        elif how == 2 and isinstance(old, int) and not isinstance(old, bool):
            # References are small numbers: rings and the wrong row come of this.
            holder[last] = old + rng.choice((-2, -1, 1, 2))
        elif how == 3 and isinstance(old, list) and old:
            old.append(copy.deepcopy(rng.choice(old)))
        elif how == 4 and isinstance(old, list):
            rng.shuffle(old)
        elif how == 5 and isinstance(holder, dict):
            holder[rng.choice(("more", "__class__", last.upper()))] = old
        elif how == 6:
            other = rng.choice(paths)
            found = record
            try:
                for key in other:
                    found = found[key]
                holder[last] = copy.deepcopy(found)
            except (KeyError, IndexError, TypeError):
                holder[last] = rng.choice(ODD)
        elif isinstance(old, str):
            holder[last] = old[: rng.randint(0, len(old))] + rng.choice(("", "/", "..", "\n", "é"))
        elif isinstance(old, float):
            holder[last] = old * rng.choice((-1, 0, 1e9, 1e-9))


def strange(data, rng):
    """A project file that differs from a good one in its records, or in some bytes of an entry."""
    if rng.random() < 0.75:
        return with_records(data, lambda record: changed(record, rng))
    entries = entries_of(data)
    name = rng.choice(sorted(entries))
    body = bytearray(entries[name])
    for _ in range(rng.randint(1, 6)):
        if body:
            body[rng.randrange(len(body))] = rng.randrange(256)
    entries[name] = bytes(body)
    if rng.random() < 0.2:
        entries[rng.choice(("../x", "/x", "files/../../x", name + "/", "states/99.npy"))] = b"x"
    return archive_of(entries)


@pytest.fixture
def good(gathered, act, client):
    """A project with edits, an undone step, a draft, a note and a line of the run sheet."""
    place = f"/api/projects/{gathered.project_id}/"
    assert act(gathered, "pack", effort="quick").status_code == 202
    assert act(gathered, "pack", effort="quick", padding=5, draft=True).status_code == 202
    assert act(gathered, "control", islands=[0], weight=0.5).status_code == 200
    for address, body in (
        (f"/api/atlases/{gathered.pk}/remember/", {"name": "x"}),
        (f"{place}notes/", {"text": "Hm.", "atlas": gathered.pk}),
        (f"{place}undo/", {"change": step_of(gathered)}),
    ):
        answer = client.post(address, body, content_type="application/json")
        assert answer.status_code in (200, 201), answer.content
    return b"".join(client.get(f"{place}project.quilt"))


def looked_at(client, project, act):
    """Everything that a page asks for of a project, an edit, and its file."""
    at = f"/api/projects/{project}/"
    for address in ("", "history/", "notes/", "jobs/", "atlases/", "presets/", "profiles/", "run-sheet/", "rules/", "loose/"):  # fmt: skip
        yield at + address, client.get(at + address).status_code
    yield "file", len(b"".join(client.get(at + "project.quilt"))) and 200
    for atlas in Project.objects.get(pk=project).atlases.exclude(head=None):
        yield "atlas", client.get(f"/api/atlases/{atlas.pk}/").status_code
        for place in ("", "placements/", "geometry.glb", "check/", "thumbnail.png", "sheet.png"):
            address = f"/api/revisions/{atlas.head_id}/{place}"
            yield address, client.get(address).status_code
        yield "edit", act(atlas, "control", islands=[0], weight=0.7).status_code
        yield "pack", act(atlas, "pack", effort="quick").status_code
        body = {"change": step_of(atlas)}
        yield "undo", client.post(f"{at}undo/", body, content_type="application/json").status_code


def test_strange_projects_are_taken_or_refused_in_words(good, client, act):
    client.raise_request_exception = False
    taken, files = 0, {name for name, _ in storage.listed()}
    count = Project.objects.count()
    for seed in range(examples(SEEDS)):
        data = strange(good, random.Random(seed))
        answer = client.post("/api/project-files/", {"file": SimpleUploadedFile("p.quilt", data)})
        assert answer.status_code in (201, 400), (seed, answer.status_code, answer.content[:300])
        if answer.status_code == 400:
            assert answer.json()["what"] and answer.json()["fix"], seed
            assert Project.objects.count() == count, seed
            assert {name for name, _ in storage.listed()} == files, seed
            continue
        taken += 1
        project = answer.json()["id"]
        for what, status in looked_at(client, project, act):
            assert status < 500, (seed, what, status)
        assert client.get("/api/projects/").status_code == 200, seed
        count += 1
        files |= {name for name, _ in storage.listed()}
    assert taken, "some differ in nothing that matters"
