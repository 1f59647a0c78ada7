"""Detail: how coarse a texture may become before one sees it.

Values that are worked out by hand stand beside the tests. Outside references: peak signal-to-noise ratio by scikit-image's own
metric; pairs of colours and their CIEDE2000 from G. Sharma, W. Wu, E. N. Dalal, “The CIEDE2000 Color-Difference Formula:
Implementation Notes, Supplementary Test Data, and Mathematical Observations”, Color Research & Application 30 (2005), table 1
(pairs 1, 4, 17 and 25, from memory).
"""

from __future__ import annotations

import json

import numpy as np
import pytest
from skimage.color import deltaE_ciede2000, lab2rgb, rgb2lab
from skimage.metrics import peak_signal_noise_ratio

from quilt_cli.main import main
from quilt_core.formats import read_scene
from quilt_core.textures.decode import to_linear
from quilt_core.textures.detail import Alike, _same, coarsest, read_texels, shown_from
from quilt_core.textures.materials import (
    BASE,
    CLAMP,
    MIRRORED,
    NORMAL,
    REPEAT,
    Slot,
    TextureBinding,
)
from tests.core.painted import GlbMaker

GREY = Slot("height", "data", (0,))
WHOLE = np.ones((64, 64), bool)


def grey(values):
    return np.repeat(np.asarray(values, np.float32)[..., None], 4, axis=2)


def test_what_is_plain_needs_one_texel():
    assert coarsest(grey(np.full((64, 64), 0.3)), WHOLE, GREY, Alike()) == 6
    assert coarsest(grey(np.full((5, 40), 0.3)), np.ones((5, 40), bool), GREY, Alike()) == 6


def test_what_differs_from_texel_to_texel_needs_all_of_them():
    noise = np.random.default_rng(3).random((64, 64))
    assert coarsest(grey(noise), WHOLE, GREY, Alike()) == 0
    checks = np.indices((64, 64)).sum(axis=0) % 2
    assert coarsest(grey(checks), WHOLE, GREY, Alike()) == 0


@pytest.mark.parametrize("rise", [0.2, 0.5, 1.0])
def test_a_ramp_is_off_at_its_ends_only(rise):
    """Means of a ramp, joined by straight lines, are the ramp again, but for half a square at each end, where the last mean is
    held: there texels are off by slope x (0.5, 1.5, …)."""
    slope = rise / 64
    values = grey(np.tile(slope * np.arange(64), (64, 1)))
    by_hand = []
    for level in range(1, 7):
        half = 2 ** (level - 1)
        error = 2 * sum((slope * (k + 0.5)) ** 2 for k in range(half)) / 64
        by_hand.append(-10 * np.log10(error))
        again = shown_from(values, WHOLE, level, GREY)[..., 0]
        assert peak_signal_noise_ratio(values[..., 0], again, data_range=1) == pytest.approx(
            by_hand[-1], abs=1e-3
        )
    wanted = next((k for k, db in enumerate(by_hand) if db < 45), 6)
    assert coarsest(values, WHOLE, GREY, Alike()) == wanted and 0 < wanted < 6


def test_only_what_the_island_covers_counts():
    """A plain disc in the midst of noise: what lies round it neither counts nor is mixed in."""
    y, x = np.indices((64, 64)) - 31.5
    disc = x**2 + y**2 < 20**2
    values = np.where(disc, 0.6, np.random.default_rng(1).random((64, 64)))
    assert coarsest(grey(values), disc, GREY, Alike()) == 6
    assert coarsest(grey(values), WHOLE, GREY, Alike()) == 0


def test_colours_are_mixed_in_linear_light():
    """Black and white in squares of one texel: half the light, which is 188 of 255 as it is stored (IEC 61966-2-1)."""
    checks = grey(np.indices((64, 64)).sum(axis=0) % 2)
    mixed = shown_from(checks, WHOLE, 1, BASE)[32, 32, :3]
    assert mixed == pytest.approx(float(to_linear(np.float32(188 / 255))), abs=0.003)


def test_normals_stay_one_long():
    tilt = np.where(np.indices((64, 64))[1] % 2, 0.6, -0.6)
    stored = np.stack([tilt, np.zeros((64, 64)), np.full((64, 64), 0.8), np.ones((64, 64))], axis=2)
    again = 2 * shown_from(np.float32(0.5 + 0.5 * stored), WHOLE, 1, NORMAL)[8:-8, 8:-8, :3] - 1
    assert np.linalg.norm(again, axis=2) == pytest.approx(1, abs=1e-5)
    assert again[..., 2] == pytest.approx(1, abs=1e-5)


PAIRS = [
    ((50.0, 2.6772, -79.7751), (50.0, 0.0, -82.7485), 2.0425),
    ((50.0, -1.3802, -84.2814), (50.0, 0.0, -82.7485), 1.0000),
    ((50.0, 2.5, 0.0), (73.0, 25.0, -18.0), 27.1492),
    ((60.2574, -34.0099, 36.2677), (60.4626, -34.1751, 39.4387), 1.2644),
]


def test_the_colour_difference_is_that_of_the_published_table():
    for one, other, said in PAIRS:
        assert deltaE_ciede2000(np.array(one), np.array(other)) == pytest.approx(said, abs=5e-5)


def test_a_colour_may_differ_by_one():
    """The last pair of the table lies within sRGB: 1.26 apart, but near enough by 45 dB when it is blue that differs."""
    one, other = (lab2rgb(np.array(PAIRS[3][k])) for k in (0, 1))
    apart = float(deltaE_ciede2000(rgb2lab(one), rgb2lab(other)))
    assert apart == pytest.approx(PAIRS[3][2], abs=2e-3)
    pair = [np.append(to_linear(c), 1)[None].astype(np.float32) for c in (one, other)]
    loose = Alike(decibels=20)
    assert not _same(*pair, BASE, loose)
    assert _same(*pair, BASE, Alike(20, apart + 0.01))
    assert not _same(*pair, BASE, Alike(decibels=60, colour=20))


def test_a_hundredth_of_the_texels_may_be_off():
    before = np.full((1000, 4), 0.5, np.float32)
    for many, same in ((9, True), (11, False)):
        after = before.copy()
        after[:many, 0] += 0.06
        assert _same(before, after, BASE, Alike(decibels=40)) is same


@pytest.mark.parametrize(
    ("wrap", "columns"),
    [(REPEAT, [6, 7, 0, 1]), (CLAMP, [6, 7, 7, 7]), (MIRRORED, [6, 7, 7, 6])],
)
def test_a_texture_goes_on_beyond_its_edge_as_it_says(wrap, columns):
    image = grey(np.tile(np.arange(8.0), (8, 1)))
    square = np.array([[[0.75, 0], [1.25, 0], [1.25, 0.5]], [[0.75, 0], [1.25, 0.5], [0.75, 0.5]]])
    binding = TextureBinding(0, 0, np.eye(2, 3), (wrap, wrap))
    read, inside = read_texels(image, square, binding)
    assert read[0, :, 0].tolist() == columns and inside.all() and inside.shape == (4, 4)
    assert read_texels(image, 4 * square, binding)[0] is image
    assert read_texels(image, np.full((1, 3, 2), np.nan), binding) is None


def device(tmp_path, half):
    """Two square metres side by side on one texture of 256 px: noise on the left, `half` on the right."""
    noise = np.random.default_rng(5).integers(0, 256, (256, 128, 3), np.uint8)
    maker = GlbMaker()
    points, uvs, faces = [], [], []
    for k in range(2):
        for x, y in ((0, 0), (1, 0), (1, 1), (0, 1)):
            points.append((1.5 * k + x, 0, y))
            uvs.append((0.5 * k + 0.5 * x, y))
        faces += [(4 * k, 4 * k + 2, 4 * k + 1), (4 * k, 4 * k + 3, 4 * k + 2)]
    texture = maker.texture(np.concatenate([noise, half], axis=1))
    part = {
        "points": np.array(points, np.float32),
        "uvs": [np.array(uvs, np.float32)],
        "faces": np.array(faces),
        "material": maker.material(pbrMetallicRoughness={"baseColorTexture": {"index": texture}}),
    }
    maker.mesh("Sign", part)
    path = tmp_path / "sign.glb"
    path.write_bytes(maker.glb())
    return path


def test_what_is_plain_gets_less_weight(tmp_path, capsys):
    """128 x 256 texels a square metre: 181.02 px/m. Plain, the right half needs one texel of 256 in a row, a 128th part of
    the density in each direction at level 8; the weight goes down to an eighth, so that 1/64 of its texels are left."""
    path = device(tmp_path, np.full((256, 128, 3), 90, np.uint8))
    assert main(["detail", str(path), "--json"]) == 0
    (atlas,) = json.loads(capsys.readouterr().out)["atlases"]
    left, right = atlas["islands"]
    assert left["painted"] == right["painted"] == pytest.approx(np.sqrt(128 * 256), abs=1e-3)
    assert (left["needed"], left["weight"]) == (left["painted"], 1)
    assert right["needed"] == pytest.approx(right["painted"] / 256, abs=1e-3)
    assert right["weight"] == 0.125
    assert atlas["painted_texels"] == atlas["even_texels"] == 2 * 128 * 256
    assert atlas["needed_texels"] == round(128 * 256 * (1 + 1 / 64))
    assert atlas["saved"] == pytest.approx(1 - (1 + 1 / 64) / 2, abs=1e-4)


def test_weights_of_detail_are_taken_by_a_pack_and_what_was_seen_is_kept(tmp_path, capsys):
    """A slow wave on the right: at the weights proposed it keeps 45 dB, read back from the merged texture's density."""
    x = np.arange(128) / 128
    wave = np.rint(110 + 50 * np.sin(2 * np.pi * x))[None, :, None] * np.ones((256, 1, 3))
    path = device(tmp_path, wave.astype(np.uint8))
    assert main(["detail", str(path), "--json"]) == 0
    told = capsys.readouterr().out
    (atlas,) = json.loads(told)["atlases"]
    weight = atlas["islands"][1]["weight"]
    assert 0.125 <= weight <= 0.5
    packed = [
        "pack",
        str(path),
        "--out",
        str(tmp_path / "out"),
        "--size",
        "512",
        "--effort",
        "quick",
        "--density",
        "equal",
    ]
    (tmp_path / "w.json").write_text(told)
    assert main([*packed, "--weights", str(tmp_path / "w.json")]) == 0
    capsys.readouterr()
    scene = read_scene("sign.glb", (tmp_path / "out/sign.glb").read_bytes())
    mesh = scene.objects[0].mesh
    t = mesh.channels[0].per_corner[mesh.triangles]
    a, b = t[:, 1] - t[:, 0], t[:, 2] - t[:, 0]
    area = np.abs(a[:, 0] * b[:, 1] - a[:, 1] * b[:, 0])
    assert np.sqrt(area[2] / area[0]) == pytest.approx(weight, rel=1e-5)


def test_without_a_texture_there_is_nothing_to_look_at(tmp_path, capsys):
    (tmp_path / "a.obj").write_text(
        "v 0 0 0\nv 1 0 0\nv 0 1 0\nvt 0 0\nvt 1 0\nvt 0 1\nf 1/1 2/2 3/3\n"
    )
    assert main(["detail", str(tmp_path / "a.obj")]) != 0
    assert "No object is painted." in capsys.readouterr().err


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("{", "holds no weights"),
        ('{"atlases": [{"islands": [{"object": "Sign"}]}]}', "Each row needs object, island"),
        (
            '{"atlases": [{"islands": [{"object": "Sign", "island": 1, "weight": 0}]}]}',
            "0.01 to 100",
        ),
        (
            '{"atlases": [{"islands": [{"object": "Sign", "island": 9, "weight": 1}]}]}',
            "“Sign” has no island 9",
        ),
    ],
)
def test_a_file_of_other_weights_is_told(tmp_path, capsys, text, said):
    path = device(tmp_path, np.full((256, 128, 3), 90, np.uint8))
    (tmp_path / "w.json").write_text(text)
    command = [
        "pack",
        str(path),
        "--out",
        str(tmp_path / "out"),
        "--weights",
        str(tmp_path / "w.json"),
    ]
    assert main(command) != 0
    assert said in capsys.readouterr().err
    assert not (tmp_path / "out").exists()
