"""One history for everything a user does: undo, redo, steps, rebasing, and what a step costs."""

from __future__ import annotations

import random

import numpy as np
import pytest
from django.db import connection

from quilt_core.document.islands import fresh_islands
from quilt_core.document.state import MemberRow, changed_islands
from quilt_core.scene.placement import identity
from studio.actions.history.change import Made, edit_atlas, edit_settings, keep_measurement
from studio.actions.history.list_steps import list_steps
from studio.actions.history.parts import meet
from studio.actions.history.step import redo, undo
from studio.actions.operate import operate
from studio.models import (
    Atlas,
    BaseLayout,
    Change,
    Measurement,
    MeshObject,
    Project,
    Revision,
    Source,
)
from studio.state import read_state
from studio.stored_islands import RECENT
from tests.studio.conftest import step_of

MANY = 10_000


def snapshot(project):
    """All that undo has to bring back, to the bit, as the rows have it."""
    RECENT.forget()
    project = Project.objects.select_related("head").get(pk=project.pk)
    states = [read_state(Revision.objects.get(pk=pk)) for _, pk in project.head.atlases]
    return project.settings, [
        (s.name, s.members, s.tiles, s.padding, s.margin, s.islands.tobytes()) for s in states
    ]


def some_action(rng, act, client, atlas):
    """One random action of any verb; the answer."""
    count = len(read_state(Atlas.objects.get(pk=atlas.pk).head).islands)
    islands = rng.sample(range(count), rng.randint(1, count))
    turn = rng.choice(["lock_place", "lock_rotation", "lock_size", "may_flip", "leave_out"])
    moved = (identity(len(islands)) + rng.random()).reshape(-1, 6).tolist()
    members = read_state(Atlas.objects.get(pk=atlas.pk).head).members
    rows = [
        {"number": 1001 + k, "width": 256 * rng.randint(1, 8), "height": 512}
        for k in range(rng.randint(1, 3))
    ]
    actions = [
        lambda: act(atlas, "control", islands=islands, **{turn: rng.random() < 0.5}),
        lambda: act(atlas, "control", islands=islands, weight=rng.uniform(0.5, 3)),
        lambda: act(atlas, "control", islands=islands, bundle=True),
        lambda: act(
            atlas, "move", verb=rng.choice(["move", "turn"]), islands=islands, placements=moved
        ),
        lambda: act(atlas, "tiles", "put", tiles=rows),
        lambda: act(
            atlas, "atlas", "patch", object=rng.choice(members).object, weight=rng.uniform(0.5, 2)
        ),
        lambda: act(atlas, "project", "patch", house_density=rng.uniform(50, 2000)),
        lambda: act(
            atlas, "project", "patch", tolerance=rng.uniform(0.01, 0.5), name=f"Pier {rng.random()}"
        ),
        lambda: act(atlas, "rules", "patch", stretch=rng.uniform(1, 3)),
        lambda: act(atlas, "even-out", density=rng.uniform(50, 800)),
        lambda: act(atlas, "fix", fix="mirror", islands=islands),
        lambda: act(atlas, "pack", effort="quick", seconds=0.2, padding=rng.uniform(0, 8)),
    ]
    return rng.choice(actions)()


@pytest.mark.parametrize("seed", [1, 2])
@pytest.mark.slow
def test_eighty_actions_with_undo_and_redo_in_any_order_end_at_the_same_bits(
    gathered, act, client, monkeypatch, seed
):
    # What is measured of a step is no part of its state.
    monkeypatch.setattr("studio.jobs.queue.start_measure", lambda *_: None)
    monkeypatch.setattr("studio.api.views.start_measure", lambda *_: None)
    rng = random.Random(seed)
    chain, at, made = [snapshot(gathered.project)], 0, set()
    for _ in range(80):
        choice = rng.random()
        if choice < 0.25 and at > 0:
            assert act(gathered, "undo").status_code == 200
            at -= 1
        elif choice < 0.4 and at < len(chain) - 1:
            assert act(gathered, "redo").status_code == 200
            at += 1
        elif choice < 0.45:
            steps = client.get(f"/api/projects/{gathered.project_id}/history/").json()["steps"]
            at = rng.randrange(len(chain))
            # The steps before the first snapshot are those that made the project.
            there = steps[len(steps) - len(chain) + at]["id"]
            assert act(gathered, "history", step=there).status_code == 200
        else:
            before = step_of(gathered)
            answer = some_action(rng, act, client, gathered)
            assert answer.status_code in (200, 202, 400), answer.json()
            if step_of(gathered) != before:
                chain, at = [*chain[: at + 1], snapshot(gathered.project)], at + 1
                made.add(Change.objects.get(pk=step_of(gathered)).verb)
        assert snapshot(gathered.project) == chain[at]
    assert len(made) >= 9, made


@pytest.mark.slow
def test_two_clients_edit_at_once_and_each_hears_the_truth(gathered, act, client, monkeypatch):
    """120 edits of two clients that look at the project now and then only."""
    monkeypatch.setattr("studio.jobs.queue.start_measure", lambda *_: None)
    monkeypatch.setattr("studio.api.views.start_measure", lambda *_: None)
    rng = random.Random(5)
    project = gathered.project
    seen = [step_of(gathered)] * 2
    weights, house, refused, kept = {}, None, 0, 0
    for turn in range(120):
        who = turn % 2
        if rng.random() < 0.3:
            seen[who] = step_of(gathered)
        if rng.random() < 0.3:
            value = rng.uniform(50, 900)
            answer = act(gathered, "project", "patch", change=seen[who], house_density=value)
            if answer.status_code == 200:
                house = value
        else:
            island, value = rng.randrange(3), round(rng.uniform(0.5, 3), 3)
            answer = act(gathered, "control", change=seen[who], islands=[island], weight=value)
            if answer.status_code == 200:
                weights[island] = value
        if answer.status_code == 200:
            kept += 1
            if rng.random() < 0.5:
                seen[who] = answer.json()["change"]
        else:
            refused += 1
            said = answer.json()
            assert answer.status_code == 409
            assert "has changed since: " in said["what"]
            assert said["verb"] in ("weight", "house density")
            seen[who] = said["head"]
        project.refresh_from_db()
        state = read_state(Atlas.objects.get(pk=gathered.pk).head)
        assert house is None or project.house_density == house
        for number, value in weights.items():
            assert state.controls["weight"][number] == np.float32(value)
    assert refused > 10
    assert kept > 60
    assert Change.objects.filter(verb__in=["weight", "house density"]).count() == kept


@pytest.mark.slow
def test_an_edit_is_rebased_on_what_it_does_not_touch_and_refused_with_a_word_else(gathered, act):
    seen = step_of(gathered)
    act(gathered, "control", islands=[0], weight=2)
    act(gathered, "project", "patch", house_density=200)
    assert act(gathered, "control", change=seen, islands=[1], lock_rotation=True).status_code == 200
    assert act(gathered, "project", "patch", change=seen, tolerance=0.2).status_code == 200
    refused = act(gathered, "control", change=seen, islands=[0, 1], lock_size=True).json()
    assert refused["what"].startswith("It has changed since: lock turn (1 island)")
    refused = act(gathered, "project", "patch", change=seen, house_density=100).json()
    assert (
        "house density (1,024 px/m → 200 px/m)" in refused["what"]
        or "→ 200 px/m" in refused["what"]
    )
    stale = act(gathered, "even-out", change=seen)
    assert stale.status_code == 409, "it relies on the house density and on the whole atlas"
    state = read_state(Atlas.objects.get(pk=gathered.pk).head)
    assert state.controls["weight"].tolist() == [2, 1, 1]
    assert state.controls["flags"].tolist() == [0, 2, 0]


def test_what_was_undone_since_counts_as_changed(gathered, act):
    act(gathered, "control", islands=[0], weight=2)
    seen = step_of(gathered)
    act(gathered, "undo")
    assert act(gathered, "control", change=seen, islands=[0], weight=3).status_code == 409
    assert act(gathered, "control", change=seen, islands=[1], weight=3).status_code == 200


@pytest.mark.parametrize(
    ("one", "two", "together"),
    [
        ({"settings/name": None}, {"settings/name": None}, True),
        ({"settings/name": None}, {"settings/rules": None}, False),
        ({"atlas/1/islands": [1, 2]}, {"atlas/1/islands": [2, 3]}, True),
        ({"atlas/1/islands": [1, 2]}, {"atlas/1/islands": [3]}, False),
        ({"atlas/1/islands": [1]}, {"atlas/1/islands": None}, True),
        ({"atlas/1/islands": [1]}, {"atlas/2/islands": [1]}, False),
        ({"atlas/1/": None}, {"atlas/1/tiles": None}, True),
        ({"atlas/1/": None}, {"atlas/11/tiles": None}, False),
    ],
)
def test_when_two_changes_meet(one, two, together):
    assert meet(one, two) is together
    assert meet(two, one) is together


@pytest.mark.slow
def test_steps_are_listed_named_and_gone_to(gathered, act, client):
    url = f"/api/projects/{gathered.project_id}/history/"
    act(gathered, "even-out", density=300)
    act(gathered, "control", islands=[0, 1], lock_place=True)
    steps = client.get(url).json()["steps"]
    assert [s["verb"] for s in steps] == ["begin", "gather", "even-out", "lock place"]
    assert steps[2]["what"] == "to 300 px/m"
    assert steps[2]["density"] == pytest.approx(300)
    assert steps[3]["what"] == "2 islands"
    assert steps[3]["coverage"] == steps[2]["coverage"], "a lock changes no figure"
    named = client.patch(
        f"{url}{steps[2]['id']}/", {"label": " even "}, content_type="application/json"
    )
    assert named.status_code == 204
    assert act(gathered, "history", step=steps[1]["id"]).json()["redo"] == "even-out"
    steps = client.get(url).json()["steps"]
    assert [s["ahead"] for s in steps] == [False, False, True, True]
    assert steps[2]["label"] == "even"
    assert act(gathered, "history", step=steps[3]["id"]).json()["undo"] == "lock place"
    assert act(gathered, "history", step=10**6).status_code == 400
    act(gathered, "undo")
    act(gathered, "control", islands=[0], weight=2)
    assert act(gathered, "history", step=steps[3]["id"]).status_code == 400, (
        "not on the way any more"
    )


@pytest.fixture
def many(project, atlas):
    """An atlas with 10,000 islands that lie on a grid; no geometry, as none of these actions needs
    one."""
    source = Source.objects.create(
        project=project, name="a.obj", sha256="0" * 64, size=1, is_mesh=True, folder="f"
    )
    made = MeshObject.objects.create(
        project=project,
        source=source,
        number=0,
        name="a",
        instances=[],
        channels=["UV"],
        faces=MANY,
    )
    base = BaseLayout.objects.create(object=made, geometry="0" * 64, islands=MANY, unflattened=0)
    places = identity(MANY) * 0.01
    places[:, 0, 2], places[:, 1, 2] = np.arange(MANY) % 100 / 100, np.arange(MANY) // 100 / 100

    def fill(head):
        state = read_state(head)
        members = (MemberRow(made.pk, base.pk, MANY),)
        return (
            Made("gather", state.having(members=members, placements=places))
            if state.members
            else Made(
                "gather",
                type(state)(state.name, members, state.tiles, islands=_grid(places)),
            )
        )

    edit_atlas(atlas.pk, None, fill)
    atlas.refresh_from_db()
    return atlas


def _grid(places):
    islands = fresh_islands(len(places))
    islands["placement"] = places
    return islands


def move(atlas, island, rng):
    places = read_state(atlas.head).placements[island].ravel() + rng.normal(0, 1e-3, 6) * [
        0,
        0,
        1,
        0,
        0,
        1,
    ]
    given = {"verb": "move", "islands": [island], "placements": [places.tolist()]}
    edit_atlas(atlas.pk, None, lambda head: operate(head, "move", given).made())
    atlas.refresh_from_db()


@pytest.mark.slow
def test_a_move_of_one_of_ten_thousand_islands_costs_little_and_any_step_opens(many):
    """Bars: less than 2 kB for a move, less than 20 MB for 1,000 of them."""
    rng = np.random.default_rng(3)

    def size():
        with connection.cursor() as cursor:
            if connection.vendor == "postgresql":
                cursor.execute("SELECT pg_database_size(current_database())")
                return cursor.fetchone()[0]
            cursor.execute("PRAGMA page_count")
            pages = cursor.fetchone()[0]
            cursor.execute("PRAGMA page_size")
            return pages * cursor.fetchone()[0]

    states, before = [read_state(many.head).placements], size()
    for _ in range(102):
        move(many, int(rng.integers(MANY)), rng)
        states.append(read_state(many.head).placements)
    rows = list(Revision.objects.filter(atlas=many, verb="move").order_by("pk"))
    assert len(rows) == 102
    small = [len(bytes(r.state)) for r in rows if r.keyframe_id]
    assert len(small) >= 99
    assert max(small) < 200
    assert (size() - before) * 1000 / 102 < 20e6
    RECENT.forget()
    for k in (1, 20, 99, 100, 101):
        assert np.array_equal(read_state(rows[k - 1]).placements, states[k]), k


def test_what_changes_most_islands_is_stored_whole(many):
    places = read_state(many.head).placements
    places[:, 0, 2] += 0.5
    edit_atlas(many.pk, None, lambda head: Made("move", read_state(head).having(placements=places)))
    many.refresh_from_db()
    assert many.head.keyframe_id is None
    RECENT.forget()
    assert np.array_equal(read_state(many.head).placements, places)


def test_differences_are_found_to_the_bit(many):
    state = read_state(many.head)
    assert changed_islands(state, state.having(placements=state.placements)).tolist() == []
    controls = state.controls
    controls["weight"][[5, 9000]] = 2
    assert changed_islands(state, state.having(controls=controls)).tolist() == [5, 9000]


def test_an_edit_that_changes_nothing_is_no_step(gathered, act):
    before = step_of(gathered)
    assert act(gathered, "control", islands=[0], weight=1).status_code == 200
    assert (
        act(gathered, "project", "patch", house_density=gathered.project.house_density).status_code
        == 200
    )
    assert step_of(gathered) == before


@pytest.mark.slow
def test_a_long_history_is_listed_in_its_order(project):
    for k in range(300):
        edit_settings(
            project.pk,
            None,
            "house density",
            lambda s, k=k: ({**s, "house_density": 10.0 + k}, str(k)),
        )
    for _ in range(50):
        undo(project.pk)
    redo(project.pk)
    project.refresh_from_db()
    steps = list_steps(project)
    assert [s["what"] for s in steps[1:]] == [str(k) for k in range(300)]
    assert sum(s["ahead"] for s in steps) == 49
    assert project.house_density == 260


@pytest.mark.slow
def test_measurements_of_old_steps_are_forgotten_and_made_again(gathered, act):
    for k in range(16):
        act(gathered, "even-out", density=100 + k)
    assert Measurement.objects.filter(revision__atlas=gathered).count() <= 13
    steps = list_steps(Project.objects.get(pk=gathered.project_id))
    assert act(gathered, "history", step=steps[3]["id"]).status_code == 200
    gathered.refresh_from_db()
    assert gathered.head.figures["density"]["mean"] == pytest.approx(101)


@pytest.mark.slow
def test_a_measurement_that_ends_late_leaves_that_of_the_step_that_was_gone_to(
    gathered, act, monkeypatch
):
    monkeypatch.setattr("studio.actions.history.change.KEPT", 2)
    for k in range(6):
        act(gathered, "even-out", density=100 + k)
    steps = list_steps(Project.objects.get(pk=gathered.project_id))
    # A job began on the newest step; while it works somebody goes back to an old one.
    late = Atlas.objects.select_related("head").get(pk=gathered.pk).head
    assert late.atlas.head_id == late.pk
    kept = late.measurement
    assert act(gathered, "history", step=steps[1]["id"]).status_code == 200
    gathered.refresh_from_db()
    assert gathered.head_id != late.pk
    monkeypatch.setattr("studio.actions.history.change.KEPT", 1)
    keep_measurement(late, bytes(kept.figures), bytes(kept.checked), kept.digest)
    assert Measurement.objects.filter(revision=gathered.head_id).exists()
