"""Proving through the API: findings, rules, fixes, reports."""

import json
import re

import pytest

from studio.actions.check import measure_layout
from studio.actions.check.examine import examine
from studio.actions.check.rules import is_checked
from studio.arrays import load_layout
from studio.models import Measurement, Project, Revision
from studio.state import members_of
from tests.core.meshes import QUAD_OBJ
from tests.studio.conftest import step_of

pytestmark = pytest.mark.django_db


def head(gathered):
    gathered.refresh_from_db()
    return gathered.head


def checked_of(client, revision):
    return client.get(f"/api/revisions/{revision.pk}/check/").json()


def kinds(checked):
    return {f["kind"] for f in checked["findings"]}


def patch(client, url, body):
    """Change a project's rules from its newest step."""
    seen = Project.objects.values_list("head_id", flat=True).get(pk=int(url.split("/")[3]))
    return client.patch(url, json.dumps({"change": seen, **body}), content_type="application/json")


def fix(client, atlas, name, islands):
    body = {"change": step_of(atlas), "fix": name, "islands": islands}
    return client.post(
        f"/api/atlases/{atlas.pk}/fix/", json.dumps(body), content_type="application/json"
    )


def test_a_gathered_layout_is_proven_at_once(client, gathered):
    checked = checked_of(client, head(gathered))
    assert checked["current"]
    assert not checked["ready"]
    assert checked["errors"] == sum(
        n for k, n in checked["totals"].items() if k in ("overlap", "gap", "margin")
    )
    overlap = next(f for f in checked["findings"] if f["kind"] == "overlap")
    assert overlap["islands"]
    assert overlap["spots"]
    assert overlap["fix"] in ("spread", "stack")
    assert (
        len(checked["island_material"])
        == len(checked["island_stretch"])
        == len(head(gathered).figures["island_flags"])
    )
    assert checked["materials"]


def test_figures_and_findings_are_one_measurement(client, gathered):
    revision = head(gathered)
    checked = checked_of(client, revision)
    pairs = [f for f in checked["findings"] if f["kind"] == "overlap"]
    assert len(pairs) == revision.figures["overlap_pairs"]
    flagged = {i for i, flags in enumerate(revision.figures["island_flags"]) if flags & 2}
    assert flagged == {i for f in pairs for i in f["islands"]}


def test_rules_change_the_verdict_and_a_changed_house_density_is_judged_again(client, gathered):
    project = gathered.project
    url = f"/api/projects/{project.pk}/rules/"
    rules = client.get(url).json()
    assert {k["kind"] for k in rules["kinds"]} >= {"overlap", "hard edge", "material gap"}
    assert (
        patch(
            client, url, {"severity": {"overlap": "warning", "gap": "off", "margin": "off"}}
        ).status_code
        == 200
    )
    assert checked_of(client, head(gathered))["ready"]
    assert (
        patch(client, url, {"severity": {"overlap": "error", "gap": "error"}}).json()["kinds"][0][
            "severity"
        ]
        == "error"
    )
    assert "overlap" not in Project.objects.get(pk=project.pk).rules["severity"], (
        "what is usual is not kept"
    )
    before = checked_of(client, head(gathered))["totals"]
    patch(client, f"/api/projects/{project.pk}/", {"house_density": 77777})
    after = checked_of(client, head(gathered))
    assert after["current"]
    assert after["totals"]["below density"] > before.get("below density", 0)


@pytest.mark.parametrize(
    "body",
    [{"stretch": 0.2}, {"severity": {"overlap": "dreadful"}}, {"severity": {"nothing": "error"}}, {"ignored": [{"finding": "x"}]}, {"mip_level": 99}],
)  # fmt: skip
def test_rules_that_cannot_be_are_refused(client, gathered, body):
    answer = patch(client, f"/api/projects/{gathered.project_id}/rules/", body)
    assert answer.status_code == 400
    assert answer.json()["what"]
    assert Project.objects.get(pk=gathered.project_id).rules == {}


def test_an_ignored_finding_stays_listed_with_its_reason(client, gathered):
    finding = next(
        f for f in checked_of(client, head(gathered))["findings"] if f["kind"] == "overlap"
    )
    url = f"/api/projects/{gathered.project_id}/rules/"
    patch(client, url, {"ignored": [{"finding": finding["key"], "reason": "decals on purpose"}]})
    checked = checked_of(client, head(gathered))
    same = next(f for f in checked["findings"] if f["key"] == finding["key"])
    assert same["ignored"] == "decals on purpose"
    assert checked["totals"].get("overlap", 0) == sum(
        f["kind"] == "overlap" and not f["ignored"] for f in checked["findings"]
    )


def test_ignoring_goes_by_objects_and_faces_and_not_by_names(client, send, atlas):
    """Names repeat, and what an object is called changes when another of its name comes in."""
    alone = QUAD_OBJ.split(b"o Right plate")[0]
    mirrored = alone.replace(b"f 1/1/1 2/2/1 3/3/1 4/4/1", b"f 1/2/1 2/1/1 3/4/1 4/3/1")
    assert send(a__obj=mirrored).status_code == 201
    url = f"/api/projects/{atlas.project_id}/rules/"

    def mirrors():
        found = checked_of(client, head(atlas))["findings"]
        return {f["object"]: (f["ignored"], f["key"]) for f in found if f["kind"] == "mirrored"}

    ((name, (_, key)),) = mirrors().items()
    assert name == "Left plate"
    row = {"finding": key, "reason": "a decal", "about": "mirrored · Left plate"}
    patch(client, url, {"ignored": [row]})
    assert client.get(url).json()["ignored"] == [row]
    assert mirrors()["Left plate"][0] == "a decal"
    assert send(b__obj=mirrored).status_code == 201
    told = mirrors()
    assert told["a.obj/Left plate"][0] == "a decal"
    assert told["b.obj/Left plate"][0] == ""


def test_mirrored_islands_are_mirrored_back_and_undo_brings_them_again(client, send, project):
    assert (
        send(
            a__obj=QUAD_OBJ.replace(b"f 1/1/1 2/2/1 3/3/1 4/4/1", b"f 1/2/1 2/1/1 3/4/1 4/3/1")
        ).status_code
        == 201
    )
    atlas = project.atlases.get()
    (mirrored,) = [
        f for f in checked_of(client, head(atlas))["findings"] if f["kind"] == "mirrored"
    ]
    assert mirrored["fix"] == "mirror"
    assert fix(client, atlas, "mirror", mirrored["islands"]).status_code == 200
    assert head(atlas).verb == "mirror back"
    assert "mirrored" not in kinds(checked_of(client, head(atlas)))
    client.post(
        f"/api/projects/{atlas.project_id}/undo/",
        json.dumps({"change": step_of(atlas)}),
        content_type="application/json",
    )
    assert "mirrored" in kinds(checked_of(client, head(atlas)))


@pytest.mark.parametrize(
    ("move", "kind"),
    [
        (b"vt 7 7\nvt 7.2 7\nvt 7.2 7.2\nvt 7 7.2\n", "far away"),
        (b"vt .9 .2\nvt 1.1 .2\nvt 1.1 .4\nvt .9 .4\n", "straddling"),
    ],
)
def test_islands_outside_are_moved_into_the_tile(client, send, project, move, kind):
    lines = re.sub(rb"(vt .*\n)+", move, QUAD_OBJ, count=1).replace(
        b"f 5/1/1 6/2/1 7/3/1 8/4/1", b"f 5 6 7 8"
    )
    assert send(a__obj=lines).status_code == 201
    atlas = project.atlases.get()
    assert kind in kinds(checked_of(client, head(atlas)))
    assert fix(client, atlas, "move in", [0]).status_code == 200
    assert not {kind, "outside", "margin"} & kinds(checked_of(client, head(atlas)))


def test_twins_are_marked_as_a_stack(client, send, project):
    assert send(a__obj=QUAD_OBJ).status_code == 201
    atlas = project.atlases.get()
    (overlap,) = [f for f in checked_of(client, head(atlas))["findings"] if f["kind"] == "overlap"]
    assert overlap["fix"] == "stack"
    assert fix(client, atlas, "stack", overlap["islands"]).status_code == 200
    assert checked_of(client, head(atlas))["totals"].get("overlap") is None
    # Moved apart they are a loose stack, and the fix lays them together again.
    moved = head(atlas)
    fix(client, atlas, "mirror", [1])
    assert fix(client, atlas, "stack", [0, 99]).status_code == 400
    assert head(atlas).parent_id == moved.pk


def test_a_parked_twin_is_laid_on_the_one_in_the_tile(client, send, project):
    parked = QUAD_OBJ.replace(
        b"f 5/1/1 6/2/1 7/3/1 8/4/1",
        b"vt 1 0\nvt 1.5 0\nvt 1.5 .5\nvt 1 .5\nf 5/5/1 6/6/1 7/7/1 8/8/1",
    )
    assert send(a__obj=parked).status_code == 201
    atlas = project.atlases.get()
    (found,) = [f for f in checked_of(client, head(atlas))["findings"] if f["kind"] == "parked"]
    assert found["object"] == "Right plate"
    assert found["severity"] == "hint"
    assert fix(client, atlas, "stack", found["islands"]).status_code == 200
    layout = load_layout(head(atlas))
    box = layout.islands.placed(layout.placements).bounds()
    assert box[1] == pytest.approx(box[0])
    assert box[0].max() == pytest.approx(0.5), "the one in the tile stayed"
    assert not {"parked", "overlap", "loose stack"} & kinds(checked_of(client, head(atlas)))


def test_an_old_proof_is_not_taken_for_a_new_one(gathered, act):
    revision = head(gathered)
    digest = revision.measurement.digest
    weigh = {"object": members_of(revision)[0].object, "weight": 3.0}
    assert act(gathered, "project", "patch", house_density=200).status_code == 200
    again = Revision.objects.get(pk=revision.pk)
    assert again.measurement.digest != digest, "measured anew by the new band"
    assert is_checked(again)
    assert act(gathered, "atlas", "patch", **weigh).status_code == 200
    assert head(gathered).measurement.digest != again.measurement.digest
    Measurement.objects.filter(revision=head(gathered)).update(digest=digest)
    assert not is_checked(head(gathered))


def test_the_proof_is_written_as_page_and_json(client, gathered):
    body = json.dumps({"change": step_of(gathered)})
    job = client.post(
        f"/api/atlases/{gathered.pk}/report/", body, content_type="application/json"
    ).json()
    page = client.get(f"/api/jobs/{job['id']}/report.html").content.decode()
    assert "Not ready to bake" in page
    assert not re.findall(r"https?://[^\"]*", page), "nothing is loaded from elsewhere"
    assert page.count('<img src="data:image/png;base64,') == 1
    values = json.loads(client.get(f"/api/jobs/{job['id']}/report.json?download=1").content)
    assert values["errors"] > 0
    assert values["tiles"][0]["image"].startswith("data:image/png")
    assert values["rules"]["padding"] == gathered.head.padding


def test_there_is_no_proof_before_it_is_made(client, gathered):
    Measurement.objects.all().delete()
    assert client.get(f"/api/revisions/{head(gathered).pk}/check/").status_code == 204


def test_a_slow_proof_by_older_rules_does_not_take_the_place_of_a_newer_one(
    client, gathered, monkeypatch
):
    revision = head(gathered)
    Measurement.objects.filter(revision=revision).delete()
    url = f"/api/projects/{gathered.project_id}/rules/"

    def slow(layout, rules):
        monkeypatch.setattr(measure_layout, "examine", examine)
        found = examine(layout, rules)
        # Meanwhile the rules are changed, and another worker has proven the layout by them.
        assert patch(client, url, {"severity": {"mirrored": "off"}}).status_code == 200
        assert is_checked(head(gathered))
        return found

    monkeypatch.setattr(measure_layout, "examine", slow)
    measure_layout.measure_revision(revision)
    assert is_checked(head(gathered))
