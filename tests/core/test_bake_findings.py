"""What a rehearsal finds: faults made on purpose, and nothing on good meshes; the command from files to maps."""

from __future__ import annotations

import json
from dataclasses import replace
from pathlib import Path

import numpy as np
import OpenEXR
import pytest

from quilt_cli.main import main
from quilt_core.bake.bake import bake
from quilt_core.bake.case import BakeCase
from quilt_core.bake.findings import Limits, find_faults
from quilt_core.bake.seams import seam_differences
from quilt_core.bake.settings import BakeSettings
from quilt_core.bake.surface import unit
from quilt_core.scene.tiles import TileSize
from quilt_core.textures.decode import decode
from tests.core.bake_findings_samples import glb
from tests.core.high_poly import icosphere, pit, plane, sheet, surface

ASSIMP = Path("/usr/share/assimp/models")


def examined(low, high, size: int = 128, limits: Limits | None = None, **settings):
    case = BakeCase(low, high, BakeSettings(**settings))
    tiles = list(bake(case, [TileSize(1001, size, size)]))
    seams = seam_differences(case, tiles)
    return seams, find_faults(case, tiles, seams, limits or Limits())


def halves(lift: float = 0.0):
    """A tube of 32 sides in two islands, each a half of it; and their UVs."""
    points, uv = sheet(32, 4, lambda s, t: (np.cos(2 * np.pi * s), np.sin(2 * np.pi * s), t))
    right = uv[..., 0].mean(axis=1) > 0.5
    uv = uv * (1.0, 0.4)
    uv[right] += (-0.5, 0.5)
    normals = unit(points * (1, 1, 0))
    mesh = surface(points, normals, uv * (1.8, 1.0))
    return replace(mesh, island=right.astype(int)), right


def test_nothing_is_found_on_a_good_mesh():
    low, _ = halves()
    fine, _ = sheet(
        256, 8, lambda s, t: (1.02 * np.cos(2 * np.pi * s), 1.02 * np.sin(2 * np.pi * s), t)
    )
    high = surface(fine, unit(fine * (1, 1, 0)))
    seams, found = examined(low, high, 256, maps=("normal", "occlusion"), outward=0.1, inward=0.1)
    assert {s.name for s in seams} == {"normal", "occlusion"}
    assert max(s.high for s in seams if s.unit == "°") < 1.0
    assert found == ()


def test_a_seam_that_was_broken_on_purpose_is_found():
    low, right = halves()
    fine, _ = sheet(
        256, 8, lambda s, t: (1.02 * np.cos(2 * np.pi * s), 1.02 * np.sin(2 * np.pi * s), t)
    )
    case = BakeCase(
        low, surface(fine, unit(fine * (1, 1, 0))), BakeSettings(outward=0.1, inward=0.1)
    )
    tiles = list(bake(case, [TileSize(1001, 256, 256)]))
    # Green of one island the other way: what a map for other frames would say.
    of_right = right[tiles[0].triangles[tiles[0].texels.owner]] & (tiles[0].texels.owner >= 0)
    tilt = unit(np.array([0.0, 0.3, 1.0]))
    tiles[0].maps["normal"][of_right] = tilt
    seams = seam_differences(case, tiles)
    (found,) = [f for f in find_faults(case, tiles, seams) if f.kind == "visible seam"]
    assert found.amount == pytest.approx(np.degrees(np.arctan(0.3)), abs=1.0)
    assert {found.island, found.other_island} == {1, 2} and found.spots


def test_rays_that_meet_nothing_are_told_with_the_distance_that_would_do():
    _, (missed, *_) = examined(
        plane(4), surface(plane(1).points + (0, 0, 0.3)), outward=0.1, inward=0.1
    )
    assert missed.kind == "missed rays" and "0.33 m would do" in missed.text
    _, (never, *_) = examined(
        plane(4), surface(plane(1).points + (9, 0, 0)), outward=0.1, inward=0.1
    )
    assert "nothing to meet" in never.text


def test_backs_and_other_parts_and_slants_are_found():
    turned = surface(plane(1).points[:, ::-1] + (0, 0, 0.01))
    _, (back,) = examined(plane(1), turned)
    assert back.kind == "back hit" and back.amount > 10_000
    ramp, uv = sheet(2, 1, lambda s, t: (s, t, 3 * np.abs(s - 0.5)))
    _, found = examined(surface(ramp, uv=uv), surface(ramp + (0, 0, 0.005)))
    assert "skewed" in {f.kind for f in found}


def test_texels_that_mix_are_told_by_their_mip_level():
    # Two islands 4 px apart, whose texels part at 60 px: blocks of 2 and 4 px are clean, those of 8 px are not.
    points, uv = sheet(1, 1, lambda s, t: (s, t, 0.0), inset=0.0)
    low = surface(
        np.concatenate([points, points + (2, 0, 0)]),
        uv=np.concatenate([uv * (58 / 128, 0.9), uv * (58 / 128, 0.9) + (62 / 128, 0)]), obj=[0, 0, 1, 1], names=("a", "b"),
    )  # fmt: skip
    _, found = examined(low, low, 128, Limits(mip_level=3), pairs="every")
    assert {f.object for f in found if f.kind == "bled"} == {"a", "b"}
    assert all("level 3 (16 px)" in f.text for f in found)
    _, none = examined(low, low, 128, Limits(mip_level=2), pairs="every")
    assert none == ()


def test_islands_without_a_sample_are_found():
    # The second one lies in a texel beside the first, and is far smaller than it.
    points, uv = sheet(1, 1, lambda s, t: (s, t, 0.0))
    low = surface(
        np.concatenate([points, points + (2, 0, 0)]), uv=np.concatenate([uv * 0.5, uv * 1e-4 + (31.6 / 64, 0.25)]), obj=[0, 0, 1, 1], names=("a", "b")
    )  # fmt: skip
    _, found = examined(low, low, 64)
    assert [(f.kind, f.object) for f in found] == [("no samples", "b")]


def bake_files(tmp_path, capsys, *argv: str):
    code = main(["bake", *argv, "--out", str(tmp_path / "out"), "--json"])
    answer = capsys.readouterr().out
    return code, json.loads(answer), tmp_path / "out"


@pytest.mark.slow
def test_the_command_bakes_files(tmp_path, capsys):
    ball = icosphere(1)
    low = surface(
        ball, unit(ball), np.stack([ball[..., 0] * 0.2 + 0.5, ball[..., 1] * 0.2 + 0.5], axis=2)
    )
    fine = surface(icosphere(4), unit(icosphere(4)))
    (tmp_path / "low.glb").write_bytes(glb(ball_low=low))
    (tmp_path / "high.glb").write_bytes(glb(ball_high=fine))
    code, answer, out = bake_files(
        tmp_path, capsys, str(tmp_path / "low.glb"), "--high", str(tmp_path / "high.glb"), "--maps",
        "normal,occlusion,height,colour", "--size", "64", "--distance", "0.2", "--rays", "8",
    )  # fmt: skip
    assert code == 0, answer
    assert answer["pairs"] == [
        {"low": ["ball_low"], "high": ["ball_high"], "triangles": {"low": 80, "high": 5120}}
    ]
    rows = {row["map"]: {**row, **row["figures"]} for row in answer["maps"]}
    assert rows["height"]["bits"] == 16 and rows["height"]["range_m"] == pytest.approx(0.2)
    assert sum(rows["occlusion"]["histogram"]) == pytest.approx(
        rows["normal"]["covered"] * 4096, abs=1
    )
    assert decode("n", (out / "bake_normal.png").read_bytes()).size == (64, 64)
    code, answer, out = bake_files(
        tmp_path, capsys, str(tmp_path / "low.glb"), "--high", str(tmp_path / "high.glb"), "--maps",
        "height", "--size", "32", "--distance", "0.2", "--bits", "32", "--name", "deep",
    )  # fmt: skip
    values = (
        OpenEXR.File(str(out / "deep_height.exr"), separate_channels=True).channels()["Y"].pixels
    )
    assert 0.0 <= values.max() < 0.2 and values.dtype == np.float32
    # What misses is an error, and the pipeline hears of it.
    code, answer, _ = bake_files(
        tmp_path,
        capsys,
        str(tmp_path / "low.glb"),
        "--high",
        str(tmp_path / "high.glb"),
        "--size",
        "64",
        "--distance",
        "0.001",
    )
    assert code == 1 and answer["findings"][0]["kind"] == "missed rays"
    for wrong in (
        ["--maps", "sky"],
        ["--distance", "-1"],
        ["--along", "cage"],
        ["--tiles", "1055:64"],
    ):
        code = main(["bake", str(tmp_path / "low.glb"), "--out", str(tmp_path), *wrong])
        assert code == 2, wrong


def test_fine_objects_of_the_same_file_are_found_by_their_names(tmp_path, capsys):
    low, high = plane(1), surface(plane(8, lambda x, y: 0.01 * x).points + (5, 0, 0))
    (tmp_path / "both.glb").write_bytes(glb(**{"Post, low": low, "Post, high": high}))
    code, answer, _ = bake_files(
        tmp_path, capsys, str(tmp_path / "both.glb"), "--size", "32", "--maps", "height"
    )
    # They stand apart in the file, and still meet: by their own origins there is nothing between them here.
    assert answer["pairs"][0]["high"] == ["Post, high"]
    assert code in (0, 1)


@pytest.mark.skipif(not ASSIMP.exists(), reason="Debian's assimp-testmodels are not installed")
@pytest.mark.parametrize(
    "path",
    ["OBJ/spider.obj", "OBJ/box.obj", "glTF2/BoxTextured-glTF-Binary/BoxTextured.glb",
     "glTF2/BoxWithInfinites-glTF-Binary/BoxWithInfinites.glb", "OBJ/WusonOBJ.obj"],
)  # fmt: skip
@pytest.mark.slow
def test_real_files_are_baked_onto_themselves(tmp_path, capsys, path):
    code, answer, out = bake_files(
        tmp_path,
        capsys,
        str(ASSIMP / path),
        "--size",
        "128",
        "--maps",
        "normal,occlusion,thickness,curvature,colour,id,position",
        "--rays",
        "4",
    )
    assert code in (0, 1, 2), answer
    if code == 2:
        assert answer["error"]["fix"]
        return
    flat = decode("n", next(out.glob("*_normal*.png")).read_bytes()).pixels[..., :3].astype(int)
    assert np.median(np.abs(flat - (128, 128, 255)).max(axis=2)) <= 1


def test_a_pit_is_dark_at_its_bottom():
    # As a whole rehearsal: the floor of a pit as deep as wide, r² / (r² + h²) = 0.5 at its middle.
    floor = plane(1)
    low = surface(floor.points - (0.5, 0.5, 0), uv=floor.uv)
    walls = pit(1.0, 1.0)
    case = BakeCase(low, surface(walls), BakeSettings(maps=("occlusion",), rays=512))
    (one,) = bake(case, [TileSize(1001, 64, 64)])
    assert one.maps["occlusion"][28:36, 28:36].mean() == pytest.approx(0.5, abs=0.01)
