"""Nasty meshes: right islands, areas and densities; packs that a judge of its own finds clean."""

import json

import numpy as np
import pytest

from quilt_core.check import Rules, check_layout
from quilt_core.formats import read_scene, write_scene
from quilt_core.measure import equalize, measure
from quilt_core.measure.density import LONGER, island_densities
from quilt_core.pack import PackSettings, pack_islands
from quilt_core.scene import TileSize, read_surface
from quilt_core.scene.placement import identity
from tests.core.cli_samples import run
from tests.core.corners import object_corner_uvs
from tests.core.judge import judge
from tests.core.nasty import MESHES, sheet

SIZE, PADDING = 1024, 8


def islands_of(text):
    scene = read_scene("nasty.obj", text)
    return scene, *read_surface(scene.objects[0], 0, 1.0)


def packed(text):
    """The file written back after evening out and packing, and what was found on the way."""
    scene, islands, _ = islands_of(text)
    even = equalize(islands, identity(islands.count), SIZE, SIZE)
    settings = PackSettings(SIZE, SIZE, padding=PADDING, margin=4, effort="quick")
    *_, (_, found, placed) = pack_islands(islands, even, settings)
    assert placed.all()
    out = write_scene(scene, 0, [object_corner_uvs(scene.objects[0], 0, found)])["nasty.obj"]
    return out, islands


@pytest.mark.parametrize("name", MESHES)
def test_islands_and_the_area_that_they_cover_are_true(name):
    mesh = MESHES[name]
    _, islands, _ = islands_of(mesh.text)
    assert islands.count == mesh.islands
    found = measure(islands, identity(islands.count), SIZE, SIZE)
    assert found.coverage == pytest.approx(mesh.covered, rel=2e-3)
    assert np.isfinite(islands.edges).all()
    assert set(islands.edge_island) == set(range(islands.count)), "every island has an outline"


@pytest.mark.parametrize("name", MESHES)
@pytest.mark.slow
def test_packs_are_clean_by_the_judge_and_by_the_check_of_what_was_written(name):
    mesh = MESHES[name]
    out, islands = packed(mesh.text)
    said = judge(out, SIZE)
    assert said.islands == mesh.islands
    assert said.overlaps == 0
    assert said.gap >= PADDING - 0.01
    _, again, surface = islands_of(out)
    assert again.count == islands.count, "nothing fell apart on the way out"
    checked = check_layout(
        again,
        surface,
        identity(again.count),
        [TileSize(1001, SIZE, SIZE)],
        ["nasty"],
        Rules(padding=PADDING),
    )
    assert not {"overlap", "gap", "crowded", "outside", "straddling", "far away"} & set(
        checked.totals
    )
    assert checked.figures.gap.pixels == pytest.approx(said.gap, abs=0.01) or name == "collapsed"
    if name != "keyhole":  # of which the judge's fan covers the hole
        assert checked.figures.coverage == pytest.approx(said.coverage, rel=2e-3)
    if name != "thin":
        assert said.density.min() == pytest.approx(said.density.max(), rel=1e-3)


def test_the_outline_of_a_card_bounds_it_and_its_sides_are_no_fold():
    _, islands, surface = islands_of(MESHES["card"].text)
    assert len(surface.backs) == 1
    assert not len(surface.duplicate)
    checked = check_layout(islands, surface, identity(1), [TileSize()], ["card"])
    assert "two-sided" in checked.totals
    assert not {"fold", "turned faces", "duplicate faces", "mirrored"} & set(checked.totals)


def test_a_fold_is_a_fold_with_the_area_that_lies_twice():
    _, islands, surface = islands_of(MESHES["fold"].text)
    checked = check_layout(islands, surface, identity(1), [TileSize(1001, SIZE, SIZE)], ["strip"])
    (fold,) = [f for f in checked.findings if f.kind == "fold"]
    assert fold.amount == pytest.approx(0.2 * 0.4 * SIZE**2)
    assert "turned faces" in checked.totals
    # Both faces count with their area, so the density is that of the sum: (0.16 + 0.08) over 2
    # square metres.
    assert island_densities(islands, identity(1), SIZE, SIZE)[0] == pytest.approx(
        SIZE * np.sqrt(0.24 / 2)
    )


@pytest.mark.parametrize(("jitter", "count"), [(0.9e-5 / 2, 1), (3e-4, 36)])
def test_edges_that_agree_within_the_tolerance_are_joined_and_others_not(jitter, count):
    assert islands_of(sheet(6, jitter).text)[1].count == count


def test_near_seams_are_one_hint_an_island():
    _, islands, surface = islands_of(sheet(2, 5e-5).text)
    checked = check_layout(
        islands, surface, identity(islands.count), [TileSize(1001, SIZE, SIZE)], ["sheet"]
    )
    assert islands.count > 1
    assert 1 <= checked.totals["near seam"] <= islands.count


def test_a_nearly_collapsed_island_is_not_blown_up():
    _, islands, _ = islands_of(MESHES["thin"].text)
    even = equalize(islands, identity(2), SIZE, SIZE, target=300)
    box = islands.placed(even).bounds()
    length = (box[:, 2:] - box[:, :2]).max(axis=1) * SIZE
    assert length[0] == pytest.approx(300)
    assert length[1] <= 300 * LONGER * 1.5
    lines = islands_of(MESHES["collapsed"].text)[1]
    flat = lines.placed(equalize(lines, identity(4), SIZE, SIZE, target=300)).bounds()
    # A line gets its true length: four sides and a diagonal of a quad squeezed onto one.
    assert 0.5 * 300 < (flat[2, 2] - flat[2, 0]) * SIZE < 2 * 300
    assert (flat[3, :2] == flat[3, 2:]).all()


@pytest.mark.parametrize(
    "corners", ["0.5 0.5\nvt 0.9 0.5\nvt 0.7 0.5", "0.3 0.1\nvt 0.3 0.9\nvt 0.3 0.3"]
)
def test_lines_and_spikes_are_packed_with_their_extent(corners, tmp_path, capsys, monkeypatch):
    """An island on a line, and a spike on an island: docs/decisions/0021."""
    monkeypatch.chdir(tmp_path)
    text = "o plate\nv 0 0 0\nv 1 0 0\nv 1 1 0\nv 0 1 0\nv 2 0.5 0\nv 3 0 0\nv 3 1 0\n"
    text += f"vt 0.1 0.1\nvt 0.3 0.1\nvt 0.3 0.3\nvt 0.1 0.3\nvt {corners}\n"
    text += "f 1/1 2/2 3/3 4/4\nf 2/5 5/6 3/7\n"
    (tmp_path / "plate.obj").write_text(text)
    words = ("plate.obj", "--size", "512", "--padding", "8", "--margin", "4", "--effort", "quick")
    assert run(capsys, "pack", *words, "--out", "out")[0] == 0
    rows = (tmp_path / "out/plate.obj").read_text().splitlines()
    px = 512 * np.array([list(map(float, r.split()[1:])) for r in rows if r.startswith("vt ")])
    assert px.min() >= 4 - 0.01 and px.max() <= 508 + 0.01
    status, told, _ = run(
        capsys,
        "check",
        "out/plate.obj",
        "--size",
        "512",
        "--padding",
        "8",
        "--margin",
        "4",
        "--json",
    )
    totals = json.loads(told)["atlases"][0]["totals"]
    assert status == 0 and totals["collapsed"] == 1
    assert not {"straddling", "outside", "margin", "gap"} & set(totals)
