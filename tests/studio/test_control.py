"""Locks, bundles, tiles, stacks, drafts, presets and the planner through the API."""

import io
import json
import zipfile

import numpy as np
import pytest
from django.core.files.uploadedfile import SimpleUploadedFile
from PIL import Image

from quilt_core.pack.plan import expected_coverage, plan_tiles
from studio.actions.check.rules import is_checked
from studio.arrays import load_layout
from studio.models import Job, Preset, Revision, TileImage
from tests.core.apart_samples import obj_of
from tests.core.meshes import QUAD_OBJ
from tests.studio.conftest import step_of

pytestmark = pytest.mark.slow

PAIRS_OBJ = b"""
o squares
v 0 0 0
v 1 0 0
v 1 1 0
v 0 1 0
v 2 0 0
v 3 0 0
v 3 1 0
v 2 1 0
v 0 5 0
v 2 5 0
v 0 6 0
v 4 5 0
v 6 5 0
v 4 6 0
vt 0 0
vt 0.2 0
vt 0.2 0.2
vt 0 0.2
vt 0.4 0
vt 0.8 0
vt 0.4 0.2
f 1/1 2/2 3/3 4/4
f 5/1 6/2 7/3 8/4
o corners
f 9/5 10/6 11/7
f 12/5 13/6 14/7
"""
"""Two squares and two triangles, each pair of one shape."""


def layout(client, atlas):
    atlas.refresh_from_db()
    return client.get(f"/api/revisions/{atlas.head_id}/").json()


def placements(client, revision):
    return np.frombuffer(
        client.get(f"/api/revisions/{revision}/placements/").content, "<f4"
    ).reshape(-1, 6)


def pack(act, atlas, **more):
    return act(atlas, "pack", effort="quick", **more)


def tiles(client, atlas, *rows):
    atlas.refresh_from_db()
    body = {
        "change": step_of(atlas),
        "tiles": [
            dict(zip(("number", "width", "height", "frozen"), r, strict=False)) for r in rows
        ],
    }
    return client.put(f"/api/atlases/{atlas.pk}/tiles/", body, content_type="application/json")


def test_a_locked_island_stays_and_undo_takes_the_lock_off(gathered, act, client):
    pack(act, gathered)
    assert (
        act(gathered, "control", islands=[1], lock_place=True, lock_rotation=True).status_code
        == 200
    )
    before = layout(client, gathered)
    assert before["controls"]["flags"] == [0, 3, 0]
    where = placements(client, gathered.head_id)[1]
    assert pack(act, gathered, seed=7, padding=16).status_code == 202
    assert Job.objects.first().state == "done", Job.objects.first().error
    after = layout(client, gathered)
    assert after["controls"]["flags"] == [0, 3, 0]
    assert np.array_equal(placements(client, gathered.head_id)[1], where)
    act(gathered, "undo")
    act(gathered, "undo")
    assert layout(client, gathered)["controls"]["flags"] == [0, 0, 0]


def test_tiles_are_added_filled_and_frozen(gathered, act, client):
    assert tiles(client, gathered, (1001, 512, 512), (1002, 256, 256)).status_code == 200
    assert act(gathered, "control", islands=[2], tile=1002).status_code == 200
    pack(act, gathered, order="spread")
    found = layout(client, gathered)
    by_number = {t["number"]: t for t in found["figures"]["tiles"]}
    assert by_number[1001]["islands"] + by_number[1002]["islands"] == 3
    assert by_number[1002]["islands"] >= 1
    assert found["figures"]["outside"] == 0
    assert by_number[1001]["density"] > 0
    tiles(client, gathered, (1001, 512, 512, True), (1002, 256, 256, False))
    before = placements(client, gathered.head_id)
    pack(act, gathered, seed=3)
    after = placements(client, gathered.head_id)
    frozen = (before[:, 2] < 1) & (before[:, 5] < 1)
    assert np.array_equal(before[frozen], after[frozen])
    tiles(client, gathered, (1001, 512, 512, True))
    pack(act, gathered)
    assert "frozen" in Job.objects.first().error["what"]


@pytest.mark.parametrize(
    ("rows", "said"),
    [([], "needs a tile"), ([(1201, 64, 64)], "1201"), ([(1001, 64, 64)] * 2, "same number")],
)
def test_tile_grids_that_cannot_be_are_refused(gathered, client, rows, said):
    head = gathered.head_id
    answer = tiles(client, gathered, *rows)
    assert answer.status_code == 400
    assert said in answer.json()["what"]
    gathered.refresh_from_db()
    assert gathered.head_id == head


def test_a_fixed_density_adds_the_tiles_that_it_takes(gathered, act, client):
    tiles(client, gathered, (1001, 256, 256))
    act(gathered, "even-out", density=200)
    pack(act, gathered, density="fixed", more_tiles=True, padding=4, margin=2)
    found = layout(client, gathered)
    assert [row[0] for row in found["revision"]["tiles"]] == [1001, 1002, 1003]
    assert found["figures"]["side_table"] == 0
    assert found["figures"]["density"]["mean"] == pytest.approx(200, rel=1e-3)


def candidates(act, client, atlas):
    job = act(atlas, "stacks").json()["id"]
    return client.get(f"/api/jobs/{job}/").json()["result"]["candidates"]


def test_stacks_are_found_made_and_taken_off(gathered, act, client):
    found = candidates(act, client, gathered)
    assert found
    members = found[0]["islands"]
    assert act(gathered, "control", islands=members, stack=True).status_code == 200
    pack(act, gathered)
    figures = layout(client, gathered)["figures"]
    assert figures["overlapping"] == 0, "a stack that is meant is no overlap"
    rows = candidates(act, client, gathered)
    assert next(r for r in rows if r["islands"] == members)["stacked"]
    assert act(gathered, "control", islands=members, stack=False).status_code == 200
    assert layout(client, gathered)["figures"]["overlapping"] == len(members), (
        "now they lie on one another"
    )


def test_all_candidates_are_stacked_at_once_or_none_is(send, atlas, act, client):
    assert send(two__obj=PAIRS_OBJ).status_code == 201
    atlas.refresh_from_db()
    found = candidates(act, client, atlas)
    groups = [row["islands"] for row in found]
    assert sorted(len(g) for g in groups) == [2, 2]
    assert {row["kind"] for row in found} == {"shape"}
    assert all(row["deviation"] < 1e-6 for row in found)
    odd = [groups[0], [groups[0][0], groups[1][0]]]
    refused = act(atlas, "control", islands=[], stacks=odd)
    assert refused.status_code == 400
    assert "same shape" in refused.json()["what"]
    assert layout(client, atlas)["controls"]["stack"] == [-1] * 4
    assert act(atlas, "control", islands=[], stacks=groups).status_code == 200
    stack = layout(client, atlas)["controls"]["stack"]
    assert [len({stack[i] for i in g}) for g in groups] == [1, 1]
    assert stack[groups[0][0]] != stack[groups[1][0]]
    act(atlas, "undo")
    assert layout(client, atlas)["controls"]["stack"] == [-1] * 4


@pytest.mark.parametrize("tolerance", ["0", "0.02", "much", "-1", "nan"])
def test_a_tolerance_that_cannot_be_is_refused(gathered, act, tolerance):
    answer = act(gathered, "stacks", tolerance=tolerance)
    assert answer.status_code == 400
    assert answer.json()["where"] == "tolerance"


@pytest.mark.parametrize(
    ("body", "said"),
    [
        ({"islands": []}, "No islands"),
        ({"islands": [99], "lock_rotation": True}, "no island 100"),
        ({"islands": [0]}, "Nothing was changed"),
        ({"islands": [0], "bundle": True}, "at least two"),
        ({"islands": [0], "tile": 1005}, "no tile 1005"),
    ],
)
def test_control_that_cannot_be_is_refused(gathered, act, body, said):
    answer = act(gathered, "control", **body)
    assert answer.status_code == 400
    assert said in answer.json()["what"]


def test_drafts_lie_beside_and_one_is_kept(gathered, act, client):
    head = gathered.head_id
    for seed in (1, 2):
        pack(act, gathered, draft=True, seed=seed)
    gathered.refresh_from_db()
    assert gathered.head_id == head
    drafts = client.get(f"/api/atlases/{gathered.pk}/drafts/").json()
    assert [d["params"]["seed"] for d in drafts] == [2, 1]
    assert all(d["coverage"] > 0 and d["seconds"] > 0 for d in drafts)
    assert client.get(f"/api/revisions/{drafts[0]['id']}/thumbnail.png").content.startswith(
        b"\x89PNG"
    )
    kept = client.post(
        f"/api/drafts/{drafts[0]['id']}/",
        {"change": step_of(gathered)},
        content_type="application/json",
    ).json()
    assert kept["head"]["verb"] == "keep draft"
    assert np.array_equal(
        placements(client, kept["head"]["id"]), placements(client, drafts[0]["id"])
    )
    assert client.delete(f"/api/drafts/{drafts[1]['id']}/").status_code == 204
    assert client.delete(f"/api/drafts/{head}/").status_code == 400
    assert Revision.objects.filter(draft=True).count() == 1
    act(gathered, "undo")
    gathered.refresh_from_db()
    assert gathered.head_id == head


def test_presets_are_saved_replaced_and_thrown_away(project, client):
    url = f"/api/projects/{project.pk}/presets/"
    for padding in (4, 6):
        client.post(
            url,
            {
                "name": "tight",
                "settings": {"padding": padding, "rotate": "free", "density": "equal", "odd": 1},
            },
            content_type="application/json",
        )
    (preset,) = client.get(url).json()
    assert preset["settings"] == {"padding": 6, "rotate": "free", "density": "equal"}
    bad = client.post(
        url, {"name": "bad", "settings": {"rotate": "wild"}}, content_type="application/json"
    )
    assert bad.status_code == 400
    assert "wild" in bad.json()["what"]
    assert client.delete(f"/api/presets/{preset['id']}/").status_code == 204
    assert not Preset.objects.exists()


def test_the_planner_answers_before_packing_and_is_corrected_after(gathered, act, client):
    before = client.get(f"/api/revisions/{gathered.head_id}/plan/").json()
    assert before["coverage"] is None
    pack(act, gathered, size="512x512")
    found = layout(client, gathered)
    after = client.get(f"/api/revisions/{gathered.head_id}/plan/").json()
    assert after["coverage"] == found["figures"]["coverage"]
    row = next(r for r in after["rows"] if (r["size"], r["count"]) == (512, 1))
    act(gathered, "even-out", density="average")
    evened = found["figures"]["density"]["mean"]
    assert row["density"] == pytest.approx(evened, rel=1e-3)


def test_memory_is_what_the_formats_say():
    """8 and 16 bytes per 4x4 block (Khronos Data Format Specification), mips 4/3 (arithmetic)."""
    row = plan_tiles(1.0, 10, 0, 500, sizes=(1024,), counts=(1,))[0]
    blocks = 256 * 256
    assert row.bc1 == pytest.approx(blocks * 8 * 4 / 3)
    assert row.bc7 == pytest.approx(blocks * 16 * 4 / 3)
    assert row.raw == pytest.approx(1024 * 1024 * 4 * 4 / 3)
    assert row.density == pytest.approx(1024 * np.sqrt(expected_coverage(10, 0, 1024, 1)))
    assert row.reaches


def test_a_running_pack_shows_its_best_layout(gathered, act, client):
    pack(act, gathered)
    job = Job.objects.filter(kind="pack").first()
    shown = np.frombuffer(client.get(f"/api/jobs/{job.pk}/preview/").content, "<f4").reshape(-1, 6)
    assert shown.shape == (3, 6)
    assert np.isfinite(shown).all()


def test_one_tile_is_filled_and_the_other_is_not_touched(gathered, act, client):
    tiles(client, gathered, (1001, 512, 512), (1002, 512, 512))
    pack(act, gathered, order="spread", padding=4)
    gathered.refresh_from_db()
    before = placements(client, gathered.head_id)
    pack(act, gathered, tile=1002, seed=4, padding=8)
    gathered.refresh_from_db()
    after = placements(client, gathered.head_id)
    assert Job.objects.filter(kind="pack").first().state == "done"
    same = (before == after).all(axis=1)
    figures = layout(client, gathered)["figures"]
    assert same.sum() == next(t["islands"] for t in figures["tiles"] if t["number"] == 1001)
    assert figures["overlapping"] == figures["outside"] == 0


def test_every_tile_is_exported_with_a_sheet_and_drawn_in_the_thumbnail(gathered, act, client):
    tiles(client, gathered, (1001, 64, 64), (1002, 32, 32), (1012, 64, 32))
    pack(act, gathered, order="spread", padding=2, margin=1)
    act(gathered, "export")
    job = Job.objects.filter(kind="export").first()
    archive = zipfile.ZipFile(io.BytesIO(client.get(f"/api/jobs/{job.pk}/download/").content))
    sizes = {
        n: Image.open(io.BytesIO(archive.read(f"layout.{n}.png"))).size for n in (1001, 1002, 1012)
    }
    assert sizes == {1001: (64, 64), 1002: (32, 32), 1012: (64, 32)}
    assert set(json.loads(archive.read("figures.json"))["sizes"]) == {"1001", "1002", "1012"}
    gathered.refresh_from_db()
    image = Image.open(
        io.BytesIO(client.get(f"/api/revisions/{gathered.head_id}/thumbnail.png").content)
    )
    assert image.size == (240, 240), "two columns and two rows"
    svg = client.get(f"/api/revisions/{gathered.head_id}/sheet.svg?tile=1002").content.decode()
    assert 'width="32"' in svg


def test_a_draft_from_before_other_objects_came_in_is_not_kept(gathered, act, client, send):
    pack(act, gathered, draft=True)
    (draft,) = client.get(f"/api/atlases/{gathered.pk}/drafts/").json()
    send(more__obj=QUAD_OBJ)
    gathered.refresh_from_db()
    answer = client.post(
        f"/api/drafts/{draft['id']}/",
        {"change": step_of(gathered)},
        content_type="application/json",
    )
    assert answer.status_code == 409
    assert "before other objects" in answer.json()["what"]


def test_locks_survive_when_more_files_come_in(gathered, act, client, send):
    act(gathered, "control", islands=[1], lock_size=True, weight=2)
    send(more__obj=QUAD_OBJ)
    controls = layout(client, gathered)["controls"]
    assert controls["flags"][:3] == [0, 4, 0]
    assert controls["weight"][:3] == [1, 2, 1]
    assert set(controls["flags"][3:]) == {0}


def test_a_weight_of_an_island_is_kept_by_even_out(gathered, act, client):
    act(gathered, "control", islands=[1], weight=2)
    act(gathered, "even-out", density=100)
    assert layout(client, gathered)["figures"]["island_density"] == pytest.approx([100, 200, 100])


@pytest.mark.parametrize("by", ["object", "material"])
def test_one_bundle_per_object_or_material(client, send, atlas, by):
    faces = [f"f {k}/1 {k + 1}/2 {k + 2}/3" for k in (1, 4, 7)]
    points = [f"v {k} {k % 3 == 1:d} 0" for k in range(9)]
    text = [
        *points,
        "vt 0 0",
        "vt 1 0",
        "vt 0 1",
        "o a",
        "usemtl x",
        *faces[:2],
        "o b",
        "usemtl y",
        faces[2],
    ]
    send(three__obj="\n".join([*text, "usemtl x", "f 1/1 4/2 9/3"]).encode())
    atlas.refresh_from_db()
    gathered = atlas
    count = len(gathered.head.figures["island_flags"])
    assert count == 4
    body = {"change": step_of(gathered), "islands": list(range(count)), "bundle_by": by}
    answer = client.post(
        f"/api/atlases/{gathered.pk}/control/", json.dumps(body), content_type="application/json"
    )
    assert answer.status_code == 200
    gathered.refresh_from_db()
    assert gathered.head.verb == f"bundle by {by}"
    layout = load_layout(gathered.head)
    groups = (
        layout.islands.object_index
        if by == "object"
        else np.array(gathered.head.checked["island_material"])
    )
    for bundle in set(layout.controls["bundle"]) - {-1}:
        assert len(set(groups[layout.controls["bundle"] == bundle])) == 1
    alone = layout.controls["bundle"] < 0
    assert all((groups == g).sum() == 1 or g < 0 for g in groups[alone])


def test_what_tidiness_costs_is_told_and_stays_with_a_draft(client, gathered, act):
    pack(act, gathered)
    assert layout(client, gathered)["revision"]["tidy_cost"] is None
    pack(act, gathered, tidy=1.0, draft=True)
    (draft,) = client.get(f"/api/atlases/{gathered.pk}/drafts/").json()
    assert 0 <= draft["tidy_cost"] < 1
    head = {"change": step_of(gathered)}
    kept = client.post(f"/api/drafts/{draft['id']}/", head, content_type="application/json")
    assert kept.status_code == 200
    assert layout(client, gathered)["revision"]["tidy_cost"] == draft["tidy_cost"]


def test_packing_can_even_out_first_and_leaves_locked_sizes(gathered, act, client):
    tiles(client, gathered, (1001, 512, 512), (1002, 256, 256))
    act(gathered, "control", islands=[2], tile=1002)
    pack(act, gathered, order="spread")
    assert np.ptp(layout(client, gathered)["figures"]["island_density"]) < 1e-3
    # The same layout on a finer tile: the island there is denser now.
    tiles(client, gathered, (1001, 512, 512), (1002, 1024, 1024))
    pack(act, gathered, order="spread")
    uneven = layout(client, gathered)["figures"]["island_density"]
    assert uneven[2] == pytest.approx(4 * uneven[0])
    assert pack(act, gathered, density="equal", order="spread").status_code == 202
    evened = layout(client, gathered)
    assert np.ptp(evened["figures"]["island_density"]) < 1e-3
    act(gathered, "undo")
    act(gathered, "control", islands=[0], lock_size=True)
    kept = layout(client, gathered)["figures"]["island_density"][0]
    pack(act, gathered, density="equal", padding=1, margin=1)
    found = layout(client, gathered)["figures"]["island_density"]
    assert found[0] == pytest.approx(kept)
    assert found[1] == pytest.approx(found[2])


def test_at_a_fixed_size_packing_evens_out_to_the_house_density(gathered, act, client):
    house = gathered.project.house_density
    pack(act, gathered, density="house", more_tiles=True)
    assert layout(client, gathered)["figures"]["island_density"] == pytest.approx([house] * 3)


def test_evening_out_leaves_locked_islands_and_says_when_all_are(gathered, act, client):
    act(gathered, "control", islands=[1], lock_place=True)
    before = layout(client, gathered)["figures"]["island_density"]
    act(gathered, "even-out", density=300)
    assert layout(client, gathered)["figures"]["island_density"] == pytest.approx(
        [300, before[1], 300]
    )
    act(gathered, "control", islands=[0, 1, 2], lock_size=True)
    act(gathered, "even-out", density=400)
    job = Job.objects.filter(kind="even-out").first()
    assert job.state == "failed"
    assert "keep their place or their size" in job.error["what"]
    assert "Unlock" in job.error["fix"]


def test_a_layout_is_judged_by_the_distances_that_it_was_packed_with(gathered, act, client):
    def judged():
        gathered.refresh_from_db()
        atlas = client.get(f"/api/atlases/{gathered.pk}/").json()
        figures = client.get(f"/api/revisions/{gathered.head_id}/check/").json()["totals"]
        return (atlas["padding"], atlas["margin"], figures.get("gap", 0))

    options = {"size": 512, "effort": "quick", "seconds": 1}
    act(gathered, "pack", padding=8, margin=2, **options)
    assert judged() == (8, 2, 0)
    act(gathered, "pack", padding=40, margin=6, draft=True, **options)
    assert judged() == (8, 2, 0), "a draft beside it changes nothing"
    draft = client.get(f"/api/atlases/{gathered.pk}/drafts/").json()[0]["id"]
    body = {"change": step_of(gathered)}
    assert (
        client.post(f"/api/drafts/{draft}/", body, content_type="application/json").status_code
        == 200
    )
    assert judged() == (40, 6, 0)
    gathered.refresh_from_db()
    assert gathered.head.checked is not None, (
        "what is known of the draft is known of the layout made of it"
    )
    assert is_checked(gathered.head)
    act(gathered, "control", islands=[0], lock_place=True)
    assert judged() == (40, 6, 0), "an action that packs nothing keeps the distances"
    act(gathered, "undo")
    act(gathered, "undo")
    assert judged() == (8, 2, 0)


def test_padding_follows_the_tile_until_somebody_says_otherwise(gathered, act):
    """Common practice: 16 px at 2048, so 4 at 512; half of it to the edge."""
    distances = []
    for size, said in (("512x512", {}), ("512x512", {"padding": 10}), ("256x256", {})):
        assert act(gathered, "pack", effort="quick", size=size, **said).status_code == 202
        gathered.refresh_from_db()
        distances.append((gathered.head.padding, gathered.head.margin))
    assert distances == [(4, 2), (10, 5), (10, 5)]


def test_materials_are_kept_apart_when_packing(act, send, atlas):
    sizes = [(0.1 + 0.02 * (k % 3), "ab"[k % 2]) for k in range(8)]
    assert send(set__obj=obj_of(sizes).encode()).status_code == 201
    atlas.refresh_from_db()
    for apart, tiles in (("regions", 1), ("sheets", 2)):
        answer = act(atlas, "pack", effort="quick", apart=apart, apart_gap=24, size="512x512")
        assert answer.status_code == 202, answer.content
        atlas.refresh_from_db()
        layout = load_layout(atlas.head)
        assert len(layout.tiles) == tiles and not layout.unplaced.any()
        box = layout.islands.placed(layout.placements).bounds()
        material = layout.surface.island_material
        one, two = (box[material == k] for k in np.unique(material))
        apart_by = [
            max(b[0] - a[2], a[0] - b[2], b[1] - a[3], a[1] - b[3]) for a in one for b in two
        ]
        # Sheets lie side by side: there are twice the edge margin between them.
        assert min(apart_by) * 512 >= (24 if tiles == 1 else 4) - 0.01
    assert act(atlas, "pack", apart="regions").status_code == 202
    job = Job.objects.latest("pk")
    assert job.state == Job.FAILED and "tiles" in job.error["what"]
    assert act(atlas, "pack", apart="somehow").status_code == 400


def test_a_picture_lies_behind_a_tile(gathered, client):
    base = f"/api/atlases/{gathered.pk}/tile-images/"
    out = io.BytesIO()
    Image.new("RGB", (3000, 1500), (9, 8, 7)).save(out, "PNG")

    image = out.getvalue()

    def lay(tile, data=image):
        return client.post(f"{base}{tile}/", {"file": SimpleUploadedFile("labels.png", data)})

    assert lay(1001).status_code == 200 and lay(1001).status_code == 200
    (row,) = client.get(base).json()
    assert (row["tile"], row["name"], row["opacity"]) == (1001, "labels.png", 0.6)
    shown = Image.open(io.BytesIO(client.get(f"{base}1001/").content))
    assert shown.size == (2048, 1024)
    assert lay(1002).status_code == 400 and lay(1001, b"no picture").status_code == 400
    fade = client.patch(f"{base}1001/", {"opacity": 0.3}, content_type="application/json")
    assert fade.json()["opacity"] == 0.3
    bad = client.patch(f"{base}1001/", {"opacity": 3}, content_type="application/json")
    assert bad.status_code == 400
    assert client.delete(f"{base}1001/").status_code == 204
    assert client.get(base).json() == []


def test_an_image_is_worn_and_comes_along_in_the_project_file(gathered, client):
    base = f"/api/atlases/{gathered.pk}/tile-images/"
    out = io.BytesIO()
    Image.new("RGB", (64, 32), (9, 8, 7)).save(out, "PNG")
    laid = SimpleUploadedFile("weave.png", out.getvalue())
    assert client.post(f"{base}1001/?purpose=worn", {"file": laid}).status_code == 200
    assert client.get(base).json() == []

    def change(**what):
        return client.patch(f"{base}1001/?purpose=worn", what, content_type="application/json")

    assert change(repeats=4).json()["repeats"] == 4
    assert change(metres=0.5).json()["metres"] == 0.5
    assert change(repeats=0).status_code == 400 and change(metres=-1).status_code == 400
    whole = b"".join(client.get(f"/api/projects/{gathered.project_id}/project.quilt"))
    taken = SimpleUploadedFile("yard.quilt", whole)
    made = client.post("/api/project-files/", {"file": taken})
    assert made.status_code == 201, made.content
    copy = TileImage.objects.exclude(atlas=gathered).get()
    assert (copy.name, copy.purpose, copy.repeats, copy.metres) == ("weave.png", "worn", 4, 0.5)
