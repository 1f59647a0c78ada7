"""The report as a page and as JSON; the surface behind it."""

import base64
import io
import json
from html.parser import HTMLParser

import numpy as np
import pytest
import shapely
from PIL import Image

from quilt_core.check import Ignored, Rules, check_layout
from quilt_core.check.drawings import density_strip, tile_image
from quilt_core.check.report import MOST_ROWS, Subject, report_page, report_values
from quilt_core.formats import read_scene
from quilt_core.scene import TileSize, concatenate, join_surfaces, read_surface
from quilt_core.scene.edges import find_neighbours
from quilt_core.scene.islands import weld_ids
from quilt_core.scene.placement import identity
from quilt_core.scene.surface import worst_octaves
from tests.core.meshes import QUAD_OBJ, plain_glb
from tests.core.shapes import island_set_of

TILES = (TileSize(1001, 512, 256),)
COLOUR = "#a06040"
NAME = 'Crate <b> & "rope"'


def subject_of(polygons, rules=None, tiles=TILES, **more):
    islands = island_set_of(polygons)
    checked = check_layout(islands, None, identity(islands.count), tiles, [NAME], rules, **more)
    return Subject(
        "Harbour <light>",
        "today",
        islands,
        tiles,
        [NAME],
        [COLOUR],
        {"Packed with": "padding 8 px"},
    ), checked


class Page(HTMLParser):
    def __init__(self, text):
        super().__init__()
        self.open, self.text, self.images = [], [], []
        self.feed(text)

    def handle_starttag(self, tag, attrs):
        attrs = dict(attrs)
        assert not {"onload", "onclick"} & set(attrs)
        assert tag not in ("script", "link", "iframe")
        if tag == "img":
            self.images.append(attrs["src"])
        if tag not in ("meta", "img", "br"):
            self.open.append(tag)

    def handle_endtag(self, tag):
        assert self.open.pop() == tag, "tags are closed in order"

    def handle_data(self, data):
        self.text.append(data)


def pixels(uri):
    assert uri.startswith("data:image/png;base64,")
    return Image.open(io.BytesIO(base64.b64decode(uri.partition(",")[2])))


def test_the_page_is_whole_and_names_are_text():
    boxes = [shapely.box(0.1, 0.1, 0.4, 0.4), shapely.box(0.3, 0.3, 0.6, 0.6)]
    page = Page(report_page(*subject_of(boxes)))
    assert page.open == []
    said = " ".join(page.text)
    assert "Harbour <light>" in said
    assert NAME in said
    assert "Not ready to bake" in said
    assert "overlapping islands (1)" in said
    assert pixels(page.images[0]).size == (512, 256)


def test_what_is_ignored_is_listed_with_its_reason_and_a_clean_layout_is_ready():
    boxes = [shapely.box(0.1, 0.1, 0.4, 0.4), shapely.box(0.3, 0.3, 0.6, 0.6)]
    _, checked = subject_of(boxes)
    rules = Rules(ignored=(Ignored(checked.findings[0].key, "two decals"),))
    said = " ".join(Page(report_page(*subject_of(boxes, rules))).text)
    assert "ignored: two decals" in said
    assert "Ready to bake" in said
    assert "Nothing stands against it." in said
    clean = " ".join(Page(report_page(*subject_of(boxes[:1]))).text)
    assert "Nothing was found." in clean


@pytest.mark.slow
def test_a_long_list_says_how_many_more_there_are():
    count = MOST_ROWS + 20
    boxes = [shapely.box(0.1 + 0.002 * k, 0.1, 0.101 + 0.002 * k, 0.4) for k in range(count)]
    boxes += [shapely.box(0.1 + 0.002 * k, 0.2, 0.101 + 0.002 * k, 0.3) for k in range(count)]
    page = Page(report_page(*subject_of(boxes)))
    said = " ".join(page.text)
    assert "and 20 more" in said


def test_the_values_are_plain_json_with_a_picture_per_tile():
    tiles = (TileSize(1001, 512, 256), TileSize(1002, 2048, 1024))
    subject, checked = subject_of(
        [shapely.box(0.1, 0.1, 0.2, 0.2), shapely.box(1.1, 0.1, 1.2, 0.2)], tiles=tiles
    )
    values = json.loads(json.dumps(report_values(subject, checked), allow_nan=False))
    assert values["ready"]
    assert values["min_gap_px"] is None, "they lie in different tiles"
    assert [t["number"] for t in values["tiles"]] == [1001, 1002]
    assert pixels(values["tiles"][1]["image"]).size == (1024, 512), "at most 1024 px"
    assert "image" not in report_values(subject, checked, images=False)["tiles"][0]
    assert values["density"]["objects"][0]["name"] == NAME


def test_spots_are_marked_in_the_picture():
    boxes = [shapely.box(0.1, 0.1, 0.4, 0.4), shapely.box(0.3, 0.3, 0.6, 0.6)]
    subject, checked = subject_of(boxes, tiles=(TileSize(1001, 400, 400),))
    image = np.array(
        Image.open(
            io.BytesIO(tile_image(subject.islands, [COLOUR], subject.tiles[0], checked))
        ).convert("RGB")
    )
    rose = (np.abs(image.astype(int) - (166, 61, 79)).sum(axis=2) < 30).nonzero()
    assert rose[0].mean() == pytest.approx(400 * (1 - 0.35), abs=12)
    assert rose[1].mean() == pytest.approx(400 * 0.35, abs=12)


def test_the_strip_has_a_dot_per_island_and_the_band():
    subject, checked = subject_of([shapely.box(0.1, 0.1, 0.2, 0.2)] * 3, Rules(house_density=500))
    strip = density_strip(subject.islands, checked.figures, subject.names, [COLOUR], checked.rules)
    assert strip.count("<circle") == 3
    assert strip.count("<rect") == 1
    assert "px/m" in strip
    empty = island_set_of([])
    none = check_layout(empty, None, identity(0), subject.tiles, [NAME])
    assert "No island" in density_strip(empty, none.figures, [NAME], [COLOUR], none.rules)


def surfaces(*named):
    parts = []
    for name, data in named:
        scene = read_scene(name, data)
        parts += [read_surface(o, 0, 1.0, scene.materials) for o in scene.objects]
    return concatenate([p[0] for p in parts]), join_surfaces(
        [p[1] for p in parts], [p[0].count for p in parts]
    )


def test_surfaces_are_joined_with_materials_by_name():
    islands, surface = surfaces(
        ("a.obj", QUAD_OBJ), ("b.obj", QUAD_OBJ.replace(b"iron", b"oak")), ("c.glb", plain_glb())
    )
    assert islands.count == len(surface.island_material) == 5
    names = [surface.materials[m] if m >= 0 else "" for m in surface.island_material]
    assert names == ["brass", "iron", "brass", "oak", ""]
    assert len(surface.points) == len(islands.triangles)
    assert surface.face_start.tolist()[:5] == [0, 1, 2, 3, 4]
    assert surface.shaded.tolist() == [True, True, True, True, False]
    assert len(join_surfaces([], []).points) == 0


def test_neighbours_know_which_way_the_other_face_runs():
    # Two triangles over one edge; the second time one of them is inside out.
    for face, turned in ((b"f 2 1 4", False), (b"f 1 2 4", True)):
        mesh = (
            read_scene("t.obj", b"v 0 0 0\nv 1 0 0\nv 0 1 0\nv 0 -1 0\nf 1 2 3\n" + face + b"\n")
            .objects[0]
            .mesh
        )
        found = find_neighbours(mesh, weld_ids(*mesh.positions.T))
        assert found.turned.tolist() == [turned]
        here, there = found.ends()
        assert np.array_equal(
            mesh.positions[mesh.corner_vertex[here]], mesh.positions[mesh.corner_vertex[there]]
        )


def test_octaves_are_the_same_for_every_size_turn_and_mirroring():
    rng = np.random.default_rng(3)
    uv, points, group = rng.normal(size=(20, 3, 2)), rng.normal(size=(20, 3, 3)), np.arange(20) % 3
    want = worst_octaves(uv, points, group, 3)
    turn = np.array([[0.6, -0.8], [0.8, 0.6]]) @ np.diag([-1, 1])
    assert worst_octaves(7 * uv @ turn.T + 5, points, group, 3) == pytest.approx(want)
    flat = np.concatenate([points[:, :, :2], np.zeros((20, 3, 1))], axis=2)
    assert worst_octaves(flat[:, :, :2], flat, np.arange(20), 20) == pytest.approx(
        np.zeros(20), abs=1e-9
    )
