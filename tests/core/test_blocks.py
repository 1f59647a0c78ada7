"""Blocks of compressed textures: against Shapely's areas, and cases worked out by hand."""

import json

import numpy as np
import pytest
import shapely
from shapely import affinity

from quilt_core.check.rules import Rules
from quilt_core.measure.blocks import gap_for_blocks, shared_blocks
from quilt_core.scene import TileSize
from tests.core.cli_samples import run
from tests.core.shapes import random_polygons
from tests.core.test_check import of_kind, prove_polygons


def outlines(shapes):
    """Edges of polygons in px, and whose they are."""
    edges = []
    for shape in shapes:
        rings = [np.array(ring.coords) for ring in (shape.exterior, *shape.interiors)]
        edges.append(np.concatenate([np.stack([r[:-1], r[1:]], axis=1) for r in rings]))
    owner = np.repeat(np.arange(len(shapes)), [len(e) for e in edges])
    return np.concatenate(edges), owner


def by_areas(shapes, block, height, width=256):
    """The same from areas: every block against every polygon."""
    x, y = np.meshgrid(np.arange(0, width, block), np.arange(0, height, block))
    x, top = x.ravel(), height - y.ravel()
    cells = shapely.box(x, top - block, x + block, top)
    holds = np.stack([shapely.area(shapely.intersection(cells, s)) > 1e-8 for s in shapes])
    shared = {}
    for a in range(len(shapes)):
        for b in range(a + 1, len(shapes)):
            n = int((holds[a] & holds[b]).sum())
            if n:
                shared[a, b] = n
    return shared


@pytest.mark.parametrize("block", [4, 5, 6, 8, 12])
@pytest.mark.parametrize("seed", [1, 2, 3])
def test_shared_blocks_are_those_that_have_an_area_of_both(block, seed):
    rng = np.random.default_rng(seed)
    shapes = [affinity.scale(p, 256, 256, origin=(0, 0)) for p in random_polygons(rng, 14)]
    found = shared_blocks(*outlines(shapes), block, 256)
    wanted = by_areas(shapes, block, 256)
    # Where islands lie on one another a block may be full of one of them: no outline crosses it.
    apart = {pair for pair in wanted if not shapes[pair[0]].intersection(shapes[pair[1]]).area > 0}
    got = dict(zip(map(tuple, found.pairs.tolist()), found.blocks.tolist(), strict=True))
    assert {p: n for p, n in got.items() if p in apart} == {p: wanted[p] for p in apart}
    assert set(got) <= set(wanted)


def test_blocks_begin_at_the_upper_left_corner():
    # In a tile of 10 px the upper blocks of 4 reach from y = 10 down to 6: boxes from 6.5 to 7 and
    # from 9 to 9.5 share one; counted from below they would not.
    low, high = shapely.box(1, 6.5, 2, 7), shapely.box(1, 9, 2, 9.5)
    found = shared_blocks(*outlines([low, high]), 4, 10)
    assert found.blocks.tolist() == [1]
    assert found.spots.tolist() == [[2.0, 8.0]]


def test_islands_that_end_on_the_border_of_a_block_share_none():
    left, right = shapely.box(0, 0, 8, 8), shapely.box(8, 0, 16, 8)
    assert not len(shared_blocks(*outlines([left, right]), 4, 16).pairs)
    near = shapely.box(7.9, 0, 16, 8)
    assert shared_blocks(*outlines([shapely.box(0, 0, 7.5, 8), near]), 4, 16).blocks.tolist() == [2]


def test_a_stack_may_share():
    shapes = [shapely.box(0, 0, 3, 3), shapely.box(1, 1, 3, 3)]
    edges, owner = outlines(shapes)
    assert len(shared_blocks(edges, owner, 4, 16).pairs) == 1
    assert not len(shared_blocks(edges, owner, 4, 16, stack=np.array([7, 7])).pairs)


@pytest.mark.parametrize("block", [4, 5, 6, 8, 10, 12])
def test_the_gap_is_the_diagonal_of_a_block(block):
    assert block * 2**0.5 <= gap_for_blocks(block) <= block * 2**0.5 + 0.01


def test_the_check_names_pairs_and_counts():
    squares = [
        [(0.1, 0.1), (0.2, 0.1), (0.2, 0.2), (0.1, 0.2)],
        [(0.201, 0.1), (0.3, 0.1), (0.3, 0.2), (0.201, 0.2)],
    ]
    tiles = (TileSize(1001, 1000, 1000),)
    polygons = [shapely.Polygon(s) for s in squares]
    found = of_kind(
        prove_polygons(polygons, Rules(padding=0, block=4), tiles=tiles), "shared block"
    )
    # A column from y = 100 to 200 px: 25 blocks of 4, whose borders both ends lie on; x = 200 is
    # one, too, so blocks 200 to 204 hold the right square alone.
    assert not found
    rules = Rules(padding=0, block=6)
    (found,) = of_kind(prove_polygons(polygons, rules, tiles=tiles), "shared block")
    # Blocks of 6 from x = 198 to 204; rows from the top, 1000 - 200 = 800 to 900: 133 to 149.
    assert found.amount == 17
    assert found.text == "17 blocks hold texels of both, of 6 x 6 px"
    assert not of_kind(prove_polygons(polygons, Rules(padding=0), tiles=tiles), "shared block")


def test_a_pack_with_blocks_has_none_that_are_shared(tmp_path, monkeypatch, capsys):
    monkeypatch.chdir(tmp_path)
    text, count = [], 0
    rng = np.random.default_rng(5)
    for k in range(40):
        w, h = rng.uniform(0.2, 1.5, 2)
        text.append(f"o piece_{k}")
        for x, y in ((0, 0), (w, 0), (w * 0.7, h), (0, h * 0.8)):
            text += [f"v {x:.6f} {y:.6f} {k}", f"vt {x:.6f} {y:.6f}"]
        text.append("f " + " ".join(f"{count + i}/{count + i}" for i in (1, 2, 3, 4)))
        count += 4
    (tmp_path / "pieces.obj").write_text("\n".join(text))

    common = ("pieces.obj", "--size", "512", "--padding", "1", "--effort", "quick")
    for block in (0, 6):
        _, told, _ = run(
            capsys, "pack", *common, "--block", str(block), "--out", f"out{block}", "--json"
        )
        (atlas,) = json.loads(told)["atlases"]
        assert atlas["padding"] == (8.49 if block else 1)
        assert (atlas["block_cost"] is None) == (block == 0)
        if block:
            assert 0.01 < atlas["block_cost"] < 0.5
        shapes = []
        rows = (tmp_path / f"out{block}" / "pieces.obj").read_text().split("\n")
        uv = [tuple(map(float, r.split()[1:3])) for r in rows if r.startswith("vt ")]
        for row in rows:
            if row.startswith("f "):
                ring = [uv[int(word.split("/")[1]) - 1] for word in row.split()[1:]]
                shapes.append(shapely.Polygon(512 * np.array(ring)))
        assert bool(by_areas(shapes, 6, 512, 512)) == (block == 0)
        status, _, _ = run(
            capsys, "check", f"out{block}/pieces.obj", "--size", "512", "--padding", "1", "--block", "6",
            "--kinds", "shared block",
        )  # fmt: skip
        assert status == (1 if block == 0 else 0)
