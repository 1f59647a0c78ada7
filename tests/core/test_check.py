"""Findings: exact against Shapely on random sets and real meshes, with words and spots."""

import json
import time
from dataclasses import replace

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import affinity

from demo.diorama import files
from quilt_core.check import FINDING_KINDS, Ignored, Rules, check_layout, read_rules
from quilt_core.check.mips import closing, last_open_level
from quilt_core.check.quality_checks import histogram
from quilt_core.check.rules import make_rules, plain
from quilt_core.errors import QuiltError
from quilt_core.formats import read_scene
from quilt_core.measure import close_pairs, find_overlaps
from quilt_core.scene import TileSize, concatenate, island_set, join_surfaces, read_surface
from quilt_core.scene.island_set import PER_ISLAND
from quilt_core.scene.placement import identity
from tests.core.examples import examples
from tests.core.shapes import island_set_of, polygon_of, random_polygons

TILE = (TileSize(1001, 1024, 1024),)


def prove_polygons(polygons, rules=None, placements=None, tiles=TILE, **more):
    islands = island_set_of(polygons)
    placements = identity(len(polygons)) if placements is None else placements
    return check_layout(islands, None, placements, tiles, ["Crate"], rules, **more)


def prove_file(name, data, rules=None):
    scene = read_scene(name, data)
    parts = [read_surface(o, 0, scene.metres_per_unit, scene.materials) for o in scene.objects]
    islands = concatenate([p[0] for p in parts])
    surface = join_surfaces([p[1] for p in parts], [p[0].count for p in parts])
    return check_layout(
        islands, surface, identity(islands.count), TILE, [o.name for o in scene.objects], rules
    )


def of_kind(checked, kind):
    return [f for f in checked.findings if f.kind == kind]


@pytest.mark.parametrize("name", ["yard.obj", "lighthouse.glb", "lamps.glb"])
@pytest.mark.slow
def test_overlaps_of_real_meshes_are_shapely_s(name):
    scene = read_scene(name, files()[name])
    islands = concatenate([island_set(o, 0, 1.0) for o in scene.objects])
    shapes = [polygon_of(islands, i, 2048, 2048) for i in range(islands.count)]
    tree = shapely.STRtree(shapes)
    found = find_overlaps(islands, 2048, 2048)
    got = {
        tuple(p): t for p, t in zip(found.pairs.tolist(), found.texels, strict=True) if p[0] != p[1]
    }
    for i, j in tree.query(shapes, predicate="intersects").T.tolist():
        if i < j:
            want = shapes[i].intersection(shapes[j]).area
            least = min(shapes[i].area, shapes[j].area)
            assert got.pop((i, j), 0.0) == pytest.approx(
                want, rel=1e-9, abs=max(1e-9 * least, 2e-6)
            )
    assert not got


@settings(max_examples=examples(40))
@given(st.integers(0, 10_000), st.integers(2, 10), st.floats(1, 60))
@pytest.mark.slow
def test_every_pair_below_a_reach_is_shapely_s(seed, count, reach):
    polygons = random_polygons(np.random.default_rng(seed), count, 0.05)
    pixels = [affinity.scale(p, 1024, 512, origin=(0, 0)) for p in polygons]
    found = close_pairs(island_set_of(polygons), 1024, 512, reach)
    got = {tuple(p): d for p, d in zip(found.pairs.tolist(), found.pixels, strict=True)}
    for i in range(count):
        for j in range(i + 1, count):
            want = pixels[i].boundary.distance(pixels[j].boundary)
            if want < reach - 1e-9:
                assert got.pop((i, j)) == pytest.approx(want, abs=1e-9)
    assert not got or min(got.values()) >= reach - 1e-9
    for (a, b), pixels_apart, spots in zip(found.pairs, found.pixels, found.spots, strict=True):
        assert np.hypot(*(spots[0] - spots[1])) == pytest.approx(pixels_apart, abs=1e-6)
        assert pixels[a].boundary.distance(shapely.Point(spots[0])) < 1e-6
        assert pixels[b].boundary.distance(shapely.Point(spots[1])) < 1e-6


def test_the_faces_that_overlap_are_named_with_their_tile():
    text = (
        "o A\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt .1 .1\nvt .3 .1\nvt .3 .3\nvt .1 .3\nf 1/1 2/2 3/3\nf 1/1 3/3 4/4\n"
        "o B\nv 0 0 1\nv 1 0 1\nv 1 1 1\nvt .28 .1\nvt .4 .1\nvt .4 .2\nvt .9 .9\nvt .95 .9\nvt .95 .95\n"
        "f 5/8 6/9 7/10\nf 5/5 6/6 7/7\n"
    )
    (overlap,) = of_kind(prove_file("two.obj", text.encode()), "overlap")
    assert (overlap.object, overlap.other_object, overlap.tile) == ("A", "B", 1001)
    assert overlap.faces == (0,)
    assert overlap.other_faces == (1,)


def test_gap_overlap_and_edges_are_told_apart():
    box = shapely.box
    checked = prove_polygons(
        [
            box(0.1, 0.1, 0.2, 0.2),
            box(0.205, 0.1, 0.3, 0.2),
            box(0.5, 0.5, 0.7, 0.7),
            box(0.6, 0.6, 0.8, 0.8),
            box(0.002, 0.8, 0.1, 0.9),
        ],
        Rules(padding=8, margin=4),
    )
    (gap,) = of_kind(checked, "gap")
    assert gap.amount == pytest.approx(0.005 * 1024)
    assert (gap.island, gap.other_island, gap.fix) == (1, 2, "spread")
    assert "closes at mip level 3 (128 px)" in gap.text
    assert np.array(gap.spots)[:, 0] == pytest.approx([0.2, 0.205])
    (overlap,) = of_kind(checked, "overlap")
    assert overlap.amount == pytest.approx(0.01 * 1024**2)
    assert overlap.spots[0] == pytest.approx((0.65, 0.65), abs=0.05)
    (edge,) = of_kind(checked, "margin")
    assert edge.amount == pytest.approx(0.002 * 1024)
    assert not checked.ready
    assert checked.errors == 3
    assert checked.totals == {"overlap": 1, "gap": 1, "margin": 1}


def test_straddling_outside_far_and_parked():
    box = shapely.box
    checked = prove_polygons(
        [
            box(0.9, 0.1, 1.05, 0.2),
            box(1.4, 0.4, 1.6, 0.6),
            box(8, 8, 8.2, 8.2),
            box(0.3, 0.3, 0.5, 0.4),
            box(1.3, 0.3, 1.5, 0.4),
            box(-0.7, 1.3, -0.5, 1.4),
        ]
    )
    where = {f.island: f.kind for f in checked.findings}
    assert where == {1: "straddling", 2: "outside", 3: "far away", 5: "parked", 6: "parked"}
    assert of_kind(checked, "straddling")[0].amount == pytest.approx(0.05 * 1024)
    assert "+1, +0 tiles" in of_kind(checked, "parked")[0].text
    assert of_kind(checked, "parked")[0].severity == "hint"
    assert checked.totals["parked"] == 2


def test_tiles_of_a_grid_are_no_outside_and_gaps_are_not_measured_across_them():
    tiles = (TileSize(1001, 1024, 1024), TileSize(1002, 512, 512))
    checked = prove_polygons(
        [shapely.box(0.9, 0.1, 0.999, 0.2), shapely.box(1.001, 0.1, 1.1, 0.2)], tiles=tiles
    )
    assert checked.findings == ()
    assert checked.ready
    assert checked.figures.gap.pixels == np.inf


def test_stacks_that_are_meant_are_no_fault_and_loose_ones_are():
    square, moved = shapely.box(0.1, 0.1, 0.3, 0.3), shapely.box(0.15, 0.1, 0.35, 0.3)
    alike = prove_polygons([square, square])
    assert "exactly on one another" in of_kind(alike, "overlap")[0].text
    assert of_kind(alike, "overlap")[0].fix == "stack"
    assert prove_polygons([square, square], stack=np.array([0, 0])).findings == ()
    loose = prove_polygons([square, moved], stack=np.array([0, 0]))
    assert [f.kind for f in loose.findings] == ["loose stack"]
    assert loose.findings[0].amount == pytest.approx(0.05 * 1024)


def test_mirrored_islands_and_faces_turned_against_their_island():
    placements = identity(2)
    placements[0] = [[-1, 0, 0.5], [0, 1, 0]]
    checked = prove_polygons(
        [shapely.box(0.1, 0.1, 0.3, 0.3), shapely.box(0.5, 0.5, 0.8, 0.6)], placements=placements
    )
    (mirrored,) = of_kind(checked, "mirrored")
    assert (mirrored.island, mirrored.fix, mirrored.severity) == (1, "mirror", "warning")
    folded = b"v 0 0 0\nv 2 0 0\nv 2 1 0\nv 1 1 0\nvt 0 0\nvt .4 0\nvt .4 .4\nvt .3 -.1\nf 1/1 2/2 3/3\nf 1/1 3/3 4/4\n"
    (turned,) = of_kind(prove_file("fold.obj", folded), "turned faces")
    assert turned.faces == (1,) or turned.faces == (0,)


def test_density_is_judged_against_the_band_of_each_island_s_weight():
    size = 0.125  # 1 UV = 1 m, so 1024 px/m
    boxes = [shapely.box(x, 0.1, x + size, 0.2) for x in (0.1, 0.4, 0.7)]
    rules = Rules(house_density=800, tolerance=0.05)
    checked = prove_polygons(boxes, rules, weight=np.array([1.28, 1.0, 2.0]))
    assert [(f.kind, f.island) for f in checked.findings] == [
        ("below density", 3),
        ("over-detailed", 2),
    ]
    assert of_kind(checked, "over-detailed")[0].amount == pytest.approx(1024)
    assert "1,024 px/m" in of_kind(checked, "over-detailed")[0].text
    table = checked.density
    assert table["all"] == {
        "islands": 3,
        "min": pytest.approx(1024),
        "max": pytest.approx(1024),
        "mean": pytest.approx(1024),
    }
    assert sum(table["histogram"]["area"]) == pytest.approx(sum(b.area for b in boxes))
    assert histogram(np.empty(0), np.empty(0)) == {"edges": [], "area": []}


CUBE = """v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 0 0 1\nv 1 0 1\nvt 0.1 0.1\nvt 0.3 0.1\nvt 0.3 0.3\nvt 0.1 0.3
vt 0.3 0\nvt 0.1 0\nvt 0.6 0.6\nvt 0.8 0.6\nvt 0.8 0.8\nvt 0.6 0.8\nvn 0 0 -1\nvn 0 -1 0\n"""


@pytest.mark.parametrize(
    ("faces", "hard", "soft"),
    [
        ("f 1/1/1 2/2/1 3/3/1 4/4/1\nf 1/1/2 5/6/2 6/5/2 2/2/2\n", 1, 0),
        ("f 1/1/1 2/2/1 3/3/1 4/4/1\nf 1/1/1 5/6/1 6/5/1 2/2/1\n", 0, 0),
        ("f 1/1/1 2/2/1 3/3/1 4/4/1\nf 1/7/2 5/8/2 6/9/2 2/10/2\n", 0, 0),
        ("f 1/1/1 2/2/1 3/3/1 4/4/1\nf 1/7/1 5/8/1 6/9/1 2/10/1\n", 0, 2),
        ("s 1\nf 1/1 2/2 3/3 4/4\ns 2\nf 1/1 5/6 6/5 2/2\n", 1, 0),
        ("s 1\nf 1/1 2/2 3/3 4/4\nf 1/1 5/6 6/5 2/2\n", 0, 0),
        ("s off\nf 1/1 2/2 3/3 4/4\nf 1/1 5/6 6/5 2/2\n", 1, 0),
        ("f 1/1 2/2 3/3 4/4\nf 1/1 5/6 6/5 2/2\n", 0, 0),
    ],
)
def test_hard_edges_must_be_island_borders(faces, hard, soft):
    # Common practice: shading and island borders must agree where a normal map is baked.
    checked = prove_file("angle.obj", (CUBE + faces).encode())
    assert sum(int(f.amount) for f in of_kind(checked, "hard edge")) == hard
    assert sum(int(f.amount) for f in of_kind(checked, "smooth border")) == soft
    if hard:
        (finding,) = of_kind(checked, "hard edge")
        assert finding.spots[0] == pytest.approx((0.2, 0.1))
        assert finding.severity == "error"


def squares_of(sides) -> bytes:
    """An OBJ of squares with UVs beside one another, an object each."""
    text, count = [], len(sides)
    for k, side in enumerate(sides):
        text.append(f"o square_{k}")
        for x, y in ((0, 0), (1, 0), (1, 1), (0, 1)):
            text.append(f"v {side * x:.9g} {side * y:.9g} 0")
            text.append(f"vt {(k + 0.2 + 0.6 * x) / count:.9g} {0.2 + 0.6 * y:.9g}")
        text.append("f " + " ".join(f"{4 * k + i}/{4 * k + i}" for i in (1, 2, 3, 4)))
    return "\n".join(text).encode()


@pytest.mark.parametrize(
    ("size", "said"),
    [
        (62.0, "62 m long, 124 times the middle of the others: centimetres read as metres?"),
        (620.0, "620 m long, 1,240 times the middle of the others: millimetres read as metres?"),
        (0.0005, "0.5 mm long, 1/1,000 of the middle of the others: metres read as millimetres?"),
        (40.0, None),
        (0.01, None),
    ],
)
def test_an_object_in_another_unit_is_told(size, said):
    # A metre has 100 centimetres, 1,000 millimetres and 39.37 inches (SI; the inch of 1959).
    checked = prove_file("sizes.obj", squares_of([0.4, 0.5, 0.6, 0.5, size]))
    found = of_kind(checked, "odd size")
    assert [f.text for f in found] == ([said] if said else [])
    assert all(f.object == "square_4" for f in found)


def test_two_objects_have_no_usual_size():
    assert not of_kind(prove_file("two.obj", squares_of([0.01, 50.0])), "odd size")


def test_duplicates_collapsed_broken_and_bare_faces_are_named():
    text = (
        "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 1 1 0\nv nan 0 0\nvt 0 0\nvt .5 0\nvt .5 .5\nvt 0 .5\n"
        "f 1/1 2/2 3/3\nf 3/3 1/1 2/2\nf 1/1 5/3 4/4\nf 1/1 6/2 3/3\nf 1 2 4\nf 2/2 3/2 4/2\n"
    )
    checked = prove_file("bad.obj", text.encode())
    said = {f.kind: f for f in checked.findings}
    assert said["duplicate faces"].faces == (1,)
    assert said["duplicate vertices"].amount == 1
    assert said["broken"].faces == (3,)
    assert said["without UVs"].amount == 1
    assert said["without UVs"].object == "bad"  # what has no name is called as its file
    assert said["collapsed"].faces == (5,)
    json.dumps([f.text for f in checked.findings])


@pytest.mark.slow
def test_different_materials_need_their_gap():
    text = (
        CUBE + "usemtl brass\nf 1/1/1 2/2/1 3/3/1 4/4/1\nusemtl iron\nf 1/7/1 5/8/1 6/9/1 2/10/1\n"
    )
    assert not of_kind(prove_file("two.obj", text.encode()), "material gap")
    (finding,) = of_kind(
        prove_file("two.obj", text.encode(), Rules(material_gap=500)), "material gap"
    )
    assert finding.amount == pytest.approx(np.hypot(0.3, 0.3) * 1024)
    assert "brass and iron" in finding.text
    joined = CUBE + "usemtl brass\nf 1/1/1 2/2/1 3/3/1\nusemtl iron\nf 1/1/1 3/3/1 4/4/1\n"
    assert of_kind(prove_file("one.obj", joined.encode(), Rules(material_gap=4)), "mixed materials")


def test_mip_levels_at_which_gaps_close():
    # Arithmetic: 16 px at 2048 keeps one texel down to level 4 (128 px); 5 px at 1024 down to level
    # 2.
    assert [last_open_level(g) for g in (0.99, 1, 1.99, 2, 5, 15.99, 16)] == [-1, 0, 0, 1, 2, 3, 4]
    assert closing(16, 2048) == "closes at mip level 5 (64 px)"
    assert closing(5000, 2048) == "never closes"
    boxes = [shapely.box(0.1, 0.1, 0.2, 0.2), shapely.box(0.2 + 10 / 1024, 0.1, 0.3, 0.2)]
    assert prove_polygons(boxes, Rules(padding=8)).ready
    assert prove_polygons(boxes, Rules(padding=8)).open_level == 3
    assert not prove_polygons(boxes, Rules(padding=8, mip_level=4)).ready


def test_rules_change_severities_and_ignore_with_a_reason():
    boxes = [shapely.box(0.1, 0.1, 0.3, 0.3), shapely.box(0.2, 0.2, 0.4, 0.4)]
    key = prove_polygons(boxes).findings[0].key
    assert key == "overlap / Crate : 1 / Crate : 2"
    assert prove_polygons(boxes, Rules(severity={"overlap": "off"})).findings == ()
    assert prove_polygons(boxes, Rules(severity={"overlap": "warning"})).ready
    ignored = prove_polygons(boxes, Rules(ignored=(Ignored(key, "a decal"),)))
    assert ignored.ready
    assert ignored.findings[0].ignored == "a decal"
    rules = make_rules(plain(ignored.rules), "again", Rules())
    assert rules == ignored.rules


@pytest.mark.slow
@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("{", "not JSON"), ("[]", "not a JSON object"), ('{"paddin": 3}', "no rule “paddin”"), ('{"padding": "8"}', "padding"),
        ('{"mip_level": 2.5}', "whole number"), ('{"severity": {"overlap": "bad"}}', "no severity"),
        ('{"severity": {"ovelap": "error"}}', "no kind"), ('{"ignored": [{"finding": "x"}]}', "without a reason"),
        ('{"ignored": [3]}', "not named"), ('{"tolerance": NaN}', "tolerance"), ('{"severity": 4}', "not an object"),
    ],
)  # fmt: skip
def test_bad_rules_are_refused_with_a_word(text, said):
    with pytest.raises(QuiltError, match=said) as caught:
        read_rules(text, "house.json")
    assert "house.json" in caught.value.where


def test_every_kind_has_words():
    for about in FINDING_KINDS.values():
        assert about.title
        assert about.why.endswith(".")
        assert about.advice.endswith(".")


def within_reason(work, count):
    """Time for a large input next to that of one tenth of it: far from the hundredfold of pairwise
    work."""
    work(count // 10)
    started = time.monotonic()
    work(count // 10)
    small = time.monotonic() - started
    started = time.monotonic()
    work(count)
    return (time.monotonic() - started) / max(small, 0.02)


@pytest.mark.slow
def test_thousands_of_faces_on_one_spot_are_a_finding():
    def stacked(count):
        text = "v 0 0 0\nv 1 0 0\nv 1 1 0\nvt 0 0\nvt .5 0\nvt .5 .5\n" + "f 1/1 2/2 3/3\n" * count
        return prove_file("pile.obj", text.encode())

    assert within_reason(lambda n: stacked(n), 9_000) < 60
    said = {f.kind for f in stacked(9_000).findings}
    assert {"fold", "duplicate faces"} <= said
    assert "crowded" not in said, "all of them are copies of one face: nothing was left out"


@pytest.mark.slow
def test_one_huge_face_does_not_slow_the_small_ones_down():
    def scene(count):
        n = int(np.sqrt(count))
        s = np.stack(np.meshgrid(np.arange(n), np.arange(n)), -1).reshape(-1, 2) / n
        small = np.array([[0, 0], [0.6, 0], [0, 0.6]]) / n + s[:, None]
        return np.concatenate([small, [[[-5e3, -5e3], [1e4, -5e3], [-5e3, 1e4]]]])

    def work(count):
        triangles = scene(count)
        rows = {name: np.ones(len(triangles)) for name in PER_ISLAND}
        islands = replace(
            island_set_of([]),
            **rows,
            triangles=triangles,
            triangle_island=np.arange(len(triangles)),
        )
        found = find_overlaps(islands, 1024, 1024)
        assert len(found.pairs) == len(triangles) - 1, "every small face lies on the huge one"
        assert found.complete

    assert within_reason(work, 90_000) < 60


@pytest.mark.parametrize("factor", [1e6, 1e-6])
def test_coordinates_of_any_size_are_measured(factor):
    boxes = [
        affinity.scale(b, factor, factor, origin=(0, 0))
        for b in (shapely.box(0, 0, 0.3, 0.3), shapely.box(0.2, 0.2, 0.5, 0.5))
    ]
    (overlap,) = of_kind(prove_polygons(boxes), "overlap")
    assert overlap.amount == pytest.approx(0.01 * factor**2 * 1024**2, rel=1e-9)
    far = prove_polygons(
        [affinity.translate(shapely.box(0, 0, 0.1, 0.1), 1e6, 1e6), shapely.box(0, 0, 0.1, 0.1)]
    )
    assert {f.kind for f in far.findings} <= {"far away", "parked"}


def test_a_vertex_that_is_no_number_is_a_finding_in_every_format():
    from tests.core.meshes import POINTS, plain_glb

    broken = plain_glb(points=np.where(POINTS == 1, np.nan, POINTS).astype("<f4"))
    assert of_kind(prove_file("a.glb", broken), "broken")
    assert of_kind(
        prove_file(
            "a.obj", b"v 0 0 0\nv 1 nan 0\nv 1 1 0\nvt 0 0\nvt 1 0\nvt inf 1\nf 1/1 2/2 3/3\n"
        ),
        "broken",
    )


def test_nothing_and_one_island():
    empty = check_layout(island_set_of([]), None, identity(0), TILE, ["Crate"])
    assert empty.ready
    one = prove_polygons([shapely.box(0.1, 0.1, 0.2, 0.2)])
    assert one.findings == ()
    assert one.open_level is None


@pytest.mark.parametrize(
    ("density", "said"),
    [
        (100 / 1.25 * 0.999, "below density"),
        (100 / 1.25 * 1.001, None),
        (124.9, None),
        (125.1, "over-detailed"),
    ],
)
def test_the_house_band_reaches_as_many_times_down_as_up(density, said):
    # In these sets the world's area is that in UV, so the density is the tile's edge, 1024: the
    # house is scaled.
    rules = Rules(house_density=1024 * 100 / density, tolerance=0.25)
    checked = prove_polygons([shapely.box(0.1, 0.1, 0.4, 0.4)], rules)
    kinds = {f.kind for f in checked.findings} & {"below density", "over-detailed"}
    assert kinds == ({said} if said else set())


def test_with_ids_a_finding_is_known_by_its_object_and_the_first_face_of_its_island():
    """Faces count from 0 within their object, whatever stands before it."""
    square = "v 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nvt 0 0\nvt 0.2 0\nvt 0.2 0.2\nvt 0 0.2\n"
    mirrored = "f {0}/2 {1}/1 {2}/4 {3}/3\n"
    text = square + "o one\nf 1/1 2/2 3/3 4/4\no two\nf 1/1 2/2 3/3 4/4\n"
    text += "v 5 0 0\nv 6 0 0\nv 6 1 0\nv 5 1 0\n" + mirrored.format(5, 6, 7, 8)
    scene = read_scene("a.obj", text.encode())
    pairs = [read_surface(obj, 0, 1.0, ()) for obj in scene.objects]
    counts = [pair[0].count for pair in pairs]
    islands, surface = (
        concatenate([p[0] for p in pairs]),
        join_surfaces([p[1] for p in pairs], counts),
    )
    checked = check_layout(
        islands,
        surface,
        identity(islands.count),
        [TileSize(1001, 64, 64)],
        ["one", "two"],
        ids=["12", "7"],
    )
    (found,) = [f for f in checked.findings if f.kind == "mirrored"]
    assert (found.object, found.island, found.key) == ("two", 2, "mirrored / 7 : 1")


@pytest.mark.parametrize(
    ("shift", "fix"), [(0.0, "stack"), (0.001, "stack"), (0.02, "spread"), (0.1, "spread")]
)
def test_only_what_lies_exactly_on_one_another_is_offered_as_a_stack(shift, fix):
    one = shapely.box(0.2, 0.2, 0.4, 0.4)
    checked = prove_polygons([one, affinity.translate(one, shift, 0)])
    (overlap,) = of_kind(checked, "overlap")
    assert overlap.fix == fix
    assert ("exactly" in overlap.text) == (fix == "stack")
    # A smaller one within it is another shape, though all its texels are shared.
    (other,) = of_kind(prove_polygons([one, shapely.box(0.25, 0.25, 0.35, 0.35)]), "overlap")
    assert other.fix == "spread"


@pytest.mark.parametrize(
    ("rules", "low", "high"),
    [
        ({}, [], []),
        ({"least_density": 100.0}, ["square_2"], []),
        ({"most_density": 300.0}, [], ["square_0"]),
        ({"least_density": 100.0, "most_density": 300.0}, ["square_2"], ["square_0"]),
        ({"house_density": 177.36, "tolerance": 0.05}, ["square_2"], ["square_0"]),
        ({"house_density": 177.36, "tolerance": 0.05, "most_density": 400.0}, ["square_2"], []),
        ({"house_density": 177.36, "least_density": 88.6, "most_density": 354.8}, [], []),
    ],
)
def test_a_band_with_its_own_ends(rules, low, high):
    # Each square covers 0.2 x 0.6 tiles of 1024 px: sqrt(0.12) x 1024 = 354.72 px, on 1, 2 and 4 m.
    checked = prove_file("three.obj", squares_of([1.0, 2.0, 4.0]), make_rules(rules, "", Rules()))
    assert [f.object for f in of_kind(checked, "below density")] == low
    assert [f.object for f in of_kind(checked, "over-detailed")] == high


def test_a_band_says_how_far_an_island_is_from_its_end():
    rules = Rules(least_density=100.0, house_density=300.0)
    (found,) = of_kind(prove_file("two.obj", squares_of([1.0, 5.0]), rules), "below density")
    # sqrt(0.3 x 0.6) x 1024 = 434.45 px on 5 m
    assert found.text == "86.89 px/m, 13% below 100 px/m"


@pytest.mark.parametrize(
    ("unit", "said"),
    [
        ("px/m", "86.89 px/m, 13% below 100 px/m"),
        ("px/cm", "0.8689 px/cm, 13% below 1 px/cm"),
        ("px/in", "2.207 px/in, 13% below 2.54 px/in"),  # an inch is 0.0254 m
    ],
)
def test_densities_are_told_in_the_unit_of_the_project(unit, said):
    rules = make_rules({"density_unit": unit}, "", Rules(least_density=100.0, house_density=300.0))
    (found,) = of_kind(prove_file("two.obj", squares_of([1.0, 5.0]), rules), "below density")
    assert found.text == said
    with pytest.raises(QuiltError, match="px/ft"):
        make_rules({"density_unit": "px/ft"}, "", Rules())


def test_a_band_that_ends_before_it_begins_is_refused():
    with pytest.raises(QuiltError, match="above the most"):
        make_rules({"least_density": 500, "most_density": 400}, "rules", Rules())
    assert make_rules({"least_density": 500}, "", Rules(house_density=400.0)).band == (500, 500)


def test_a_copy_that_is_flipped_onto_its_stack_is_no_finding():
    box = shapely.box(0.1, 0.1, 0.3, 0.25)
    over = np.array([[[-1.0, 0, 0.4], [0, 1, 0]]])
    places = np.concatenate([identity(1), over])
    alone = prove_polygons([box, box], placements=places)
    assert [f.island for f in of_kind(alone, "mirrored")] == [2]
    assert not of_kind(prove_polygons([box, box], placements=places, stack=np.array([3, 3])), "mirrored")  # fmt: skip
    both = np.concatenate([over, over])
    kept = prove_polygons([box, box], placements=both, stack=np.array([3, 3]))
    assert len(of_kind(kept, "mirrored")) == 2
