"""Materials apart: regions and sheets of their own, judged by where the islands lie."""

from __future__ import annotations

import json

import numpy as np
import pytest
import shapely

from quilt_cli.main import main
from quilt_core.errors import LayoutError
from quilt_core.formats import read_scene
from quilt_core.pack import PackSettings, pack_apart
from quilt_core.pack.apart import regions
from quilt_core.pack.controls import no_controls
from quilt_core.scene import find_islands, island_set
from quilt_core.scene.placement import identity
from tests.core.apart_samples import obj_of

SIZES = [(0.1 + 0.02 * (k % 5), "abc"[k % 3]) for k in range(24)]


def boxes_by_material(text: str) -> dict[str, list[shapely.Polygon]]:
    """Faces of an OBJ as polygons, by material."""
    uv, out, material = [], {}, ""
    for line in text.splitlines():
        word, *rest = line.split()
        if word == "vt":
            uv.append((float(rest[0]), float(rest[1])))
        elif word == "usemtl":
            material = rest[0]
        elif word == "f":
            own = [uv[int(corner.split("/")[1]) - 1] for corner in rest]
            out.setdefault(material, []).append(shapely.Polygon(own))
    return out


def pack(tmp_path, capsys, *options: str):
    (tmp_path / "set.obj").write_text(obj_of(SIZES))
    out = tmp_path / "out.obj"
    code = main(["pack", str(tmp_path / "set.obj"), "--out", str(out), "--size", "1024", "--effort", "quick", "--json", *options])  # fmt: skip
    answer = json.loads(capsys.readouterr().out)
    return code, answer.get("atlases", [answer])[0], out


@pytest.mark.slow
def test_regions_keep_materials_a_gap_apart(tmp_path, capsys):
    _, together, _ = pack(tmp_path, capsys)
    code, answer, out = pack(tmp_path, capsys, "--apart", "regions", "--apart-gap", "40")
    assert code == 0 and not answer["left_over"]
    found = boxes_by_material(out.read_text())
    hulls = {name: shapely.box(*shapely.MultiPolygon(own).bounds) for name, own in found.items()}
    names = sorted(hulls)
    for k, one in enumerate(names):
        assert len(found[one]) == 8
        for other in names[k + 1 :]:
            assert hulls[one].distance(hulls[other]) * 1024 >= 40 - 0.01
        assert all(own.within(shapely.box(0, 0, 1, 1)) for own in found[one])
    assert answer["gap_px"] >= 8 - 0.01 and answer["margin_px"] >= 4 - 0.01
    # One scale for all: the sizes are still one to the other as they were.
    areas = [own.area for own in found["a"] + found["b"] + found["c"]]
    wanted = sorted(s**2 for s, _ in SIZES)
    assert np.ptp(np.array(sorted(areas)) / wanted) < 1e-4 * areas[0] / wanted[0] * 10
    # Keeping apart costs room, but not all of it.
    assert together["coverage"] * 0.7 < answer["coverage"] < together["coverage"]


@pytest.mark.slow
def test_each_material_gets_a_sheet(tmp_path, capsys):
    code, answer, out = pack(tmp_path, capsys, "--apart", "sheets")
    assert code == 0
    assert [tile["number"] for tile in answer["tiles"]] == [1001, 1002, 1003]
    for own in boxes_by_material(out.read_text()).values():
        assert len({int(np.floor(one.centroid.x)) for one in own}) == 1


def test_one_material_is_packed_as_ever(tmp_path, capsys):
    code, answer, _ = pack(tmp_path, capsys, "--apart", "regions", "--islands", "nothing*")
    assert code == 2 and "error" in answer


@pytest.mark.parametrize("gap", [0.0, 12.0])
def test_regions_fill_their_box_in_proportion(gap):
    shares = np.array([5.0, 1.0, 3.0, 2.0, 2.0])
    found = regions((10, 20, 1010, 820), shares, gap)
    areas = np.array([(b[2] - b[0]) * (b[3] - b[1]) for b in found])
    assert np.abs(areas / areas.sum() - shares / shares.sum()).max() < 0.02
    shapes = [shapely.box(*b) for b in found]
    assert all(b[0] >= 10 and b[2] <= 1010 and b[1] >= 20 and b[3] <= 820 for b in found)
    for k, one in enumerate(shapes):
        assert all(one.distance(other) >= gap for other in shapes[k + 1 :])
    with pytest.raises(LayoutError):
        regions((0, 0, 100, 100), np.ones(30), 20)


def test_what_cannot_be_kept_apart_says_why():
    scene = read_scene("set.obj", obj_of(SIZES).encode())
    obj = scene.objects[0]
    islands = island_set(obj, 0, 1.0, find_islands(obj.mesh, obj.mesh.channels[0]))
    groups = np.arange(islands.count) % 3

    def run(settings, controls=None):
        return list(
            pack_apart(islands, identity(islands.count), settings, groups, controls=controls)
        )

    with pytest.raises(LayoutError, match="3 materials on 1 tile"):
        run(PackSettings(512, 512, apart="sheets"))
    locked = no_controls(islands.count)
    locked.flags[0] = 1
    with pytest.raises(LayoutError, match="keep their place"):
        run(PackSettings(512, 512, apart="regions"), locked)
    with pytest.raises(LayoutError, match="no room"):
        run(PackSettings(64, 64, padding=1, margin=1, apart="regions", apart_gap=40))
