"""How far a baked normal map is from the fine mesh, against closed forms; and painted distances."""

from __future__ import annotations

import json

import cv2
import numpy as np
import pytest

from quilt_cli.main import main
from quilt_core.bake.bake import MET, MISSED, bake
from quilt_core.bake.case import BakeCase
from quilt_core.bake.difference import as_colours, difference
from quilt_core.bake.ray_distance import grey_of, painted_reach
from quilt_core.bake.settings import BakeSettings
from quilt_core.errors import LayoutError, QuiltError
from quilt_core.scene.tiles import TileSize
from quilt_core.textures.decode import encode_png
from tests.core.bake_findings_samples import glb
from tests.core.high_poly import plane, surface

AMPLITUDE, TURNS = 0.03, 4.0


def wave(x, y):
    return AMPLITUDE * np.sin(2 * np.pi * TURNS * x)


def fine_wave(side: int = 400):
    """A wave with the normals of its closed form."""
    flat = plane(side, wave)
    k = 2 * np.pi * TURNS
    slope = AMPLITUDE * k * np.cos(k * flat.points[..., 0])
    normals = np.stack([-slope, np.zeros_like(slope), np.ones_like(slope)], axis=2)
    normals /= np.linalg.norm(normals, axis=2, keepdims=True)
    return surface(flat.points, normals, flat.uv)


def compared(size: int, bits: int = 32):
    case = BakeCase(
        plane(1), fine_wave(), BakeSettings(maps=("normal",), outward=0.1, inward=0.1, bits=bits)
    )
    (one,) = bake(case, [TileSize(1001, size, size)])
    return difference(case, one)


@pytest.mark.parametrize("size", [32, 64, 256])
@pytest.mark.slow
def test_the_difference_of_a_wave_is_that_of_mixing_its_normals(size):
    # Between two texels a renderer shows the mean of their normals; the wave's own are known everywhere.
    found = compared(size)
    k = 2 * np.pi * TURNS
    pitch = 1 / (0.96 * size)

    def normal(s):
        slope = AMPLITUDE * k * np.cos(k * s)
        return np.stack([-slope, np.ones_like(slope)], axis=-1) / np.sqrt(1 + slope**2)[..., None]

    y, x = np.nonzero(found.known)
    s = (x / size - 0.02) / 0.96
    inner = (s > 2 * pitch) & (s < 1 - 2 * pitch) & (y > 2) & (y < size - 2)
    mixed = normal(s - pitch / 2) + normal(s + pitch / 2)
    mixed /= np.linalg.norm(mixed, axis=1, keepdims=True)
    want = np.degrees(np.arccos(np.clip((mixed * normal(s)).sum(axis=1), -1, 1)))
    np.testing.assert_allclose(found.degrees[y, x][inner], want[inner], atol=0.06)


@pytest.mark.slow
def test_more_texels_come_nearer_and_eight_bits_leave_their_steps():
    coarse, fine = compared(32), compared(128)
    assert fine.high < coarse.high / 8  # the error of mixing falls with the square of the pitch
    kept = compared(128, 8)
    # Half a step of 255 in each of two channels of a vector as long as 127.5 steps: 0.32 degrees at most.
    assert fine.most < kept.median + 0.32
    assert 0.02 < kept.median < 0.5


@pytest.mark.slow
def test_the_picture_is_dark_where_the_difference_is_large():
    found = compared(32)
    shown = as_colours(found).astype(int).sum(axis=2)
    assert found.scale >= found.high > found.scale / 5
    y, x = np.nonzero(found.known)
    order = np.argsort(found.degrees[y, x])
    dark = shown[y, x][order]
    assert (np.diff(dark) <= 1).all(), "darker the more it differs, but for rounding"
    assert dark[0] > dark[-1] + 200


def test_a_mesh_onto_itself_differs_nowhere():
    flat = plane(3)
    case = BakeCase(flat, flat, BakeSettings(maps=("normal",), bits=32))
    (one,) = bake(case, [TileSize(1001, 64, 64)])
    found = difference(case, one)
    assert found.known.any()
    assert found.most < 0.05
    shown = as_colours(found)
    assert (shown[found.known] == (250, 246, 236)).all()
    assert not (shown[~found.known] == (250, 246, 236)).all(axis=1).any()


def test_there_is_no_difference_without_normals_nor_after_a_stop():
    flat = plane(3)
    case = BakeCase(flat, flat, BakeSettings(maps=("height",)))
    (one,) = bake(case, [TileSize(1001, 64, 64)])
    assert difference(case, one) is None
    case = BakeCase(flat, flat, BakeSettings(maps=("normal",)))
    (one,) = bake(case, [TileSize(1001, 256, 256)])
    assert difference(case, one, lambda done: False) is None


def test_painted_distances_let_rays_meet_where_they_are_white():
    low, high = plane(1), plane(1, lambda x, y: 0.1 + 0 * x)
    image = np.zeros((64, 64), np.float32)
    image[:, 32:] = 1.0
    case = BakeCase(low, high, BakeSettings(maps=("height",), outward=0.2, inward=0.2))
    case.reach = painted_reach({1001: image})
    (one,) = bake(case, [TileSize(1001, 128, 128)])
    has = one.texels.owner >= 0
    assert (one.rays[:, :60][has[:, :60]] == MISSED).all()
    assert (one.rays[:, 68:][has[:, 68:]] == MET).all()
    # Grey is a part of the distance: 0.1 m are met where more than half of 0.2 m is left.
    case.reach = painted_reach({1001: np.tile(np.linspace(0, 1, 64, dtype=np.float32), (64, 1))})
    (one,) = bake(case, [TileSize(1001, 128, 128)])
    first = np.argmax(one.rays[64] == MET)
    assert first == pytest.approx(64, abs=1)


def test_weights_are_read_between_texels_and_are_whole_elsewhere():
    image = np.array([[0.0, 1.0]], np.float32)
    reach = painted_reach({1002: image})
    uv = np.array([(1.25, 0.5), (1.5, 0.5), (1.75, 0.1), (1.0, 0.9), (0.5, 0.5), (7.2, 3.0)])
    np.testing.assert_allclose(reach(uv), [0.0, 0.5, 1.0, 0.0, 1.0, 1.0], atol=1 / 32)
    many = np.column_stack([np.full(70_000, 1.75), np.full(70_000, 0.5)])
    assert (reach(many) == 1.0).all()
    with pytest.raises(LayoutError):
        painted_reach({1001: np.zeros((2, 2, 3), np.float32)})
    grey = grey_of(encode_png(np.full((3, 4, 3), 51, np.uint8)), "a.png")
    np.testing.assert_allclose(grey, 0.2, atol=1e-6)
    with pytest.raises(QuiltError):
        grey_of(b"no picture", "a.png")


@pytest.mark.slow
def test_the_command_paints_distances_and_draws_the_difference(tmp_path, capsys):
    low, high = tmp_path / "low.glb", tmp_path / "high.glb"
    flat, lifted = plane(1), plane(40, wave)
    low.write_bytes(glb(thing_low=flat))
    high.write_bytes(glb(thing_high=lifted))
    white = tmp_path / "white.png"
    white.write_bytes(encode_png(np.full((8, 8, 1), 255, np.uint8)))
    out = tmp_path / "out"
    ask = ["bake", str(low), "--high", str(high), "--size", "128", "--distance", "0.1", "--out", str(out), "--json"]  # fmt: skip
    main([*ask, "--difference", "--ray-distance", str(white)])
    told = json.loads(capsys.readouterr().out)
    (row,) = told["difference"]
    assert 0 < row["median"] < row["at_99"] <= row["most"] < 5
    drawn = cv2.imread(str(out / "bake_difference.png"))
    assert drawn.shape == (128, 128, 3)
    # The darkest are those that reach the end of the scale, here 1 of 100 at most.
    assert row["at_99"] <= row["darkest"]
    darkest = np.abs(drawn.astype(int) - (40, 35, 110)).sum(axis=2) < 8
    assert darkest.mean() < 0.01
    black = tmp_path / "dark.1001.png"
    black.write_bytes(encode_png(np.zeros((8, 8, 1), np.uint8)))
    main([*ask, "--ray-distance", str(tmp_path / "dark.{tile}.png")])
    told = json.loads(capsys.readouterr().out)
    assert told["maps"][0]["figures"]["missed"] > 0.5
    for name in ("nothing.png", "nothing.{tile}.png"):
        assert main([*ask, "--ray-distance", str(tmp_path / name)]) == 2
    capsys.readouterr()
