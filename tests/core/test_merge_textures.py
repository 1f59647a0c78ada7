"""Textures carried over, judged from outside: cv2.remap for what is read where, closed forms for
normals, whole-texel moves that are exact."""

from __future__ import annotations

import cv2
import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy.ndimage import map_coordinates

from quilt_core.textures.bakings import Baking, plan_bakings
from quilt_core.textures.carry import SurfaceTriangles, carry
from quilt_core.textures.decode import (
    DecodedImage,
    decode,
    encode_png,
    quantized,
    to_linear,
    to_srgb,
)
from quilt_core.textures.frames import corner_tangents
from quilt_core.textures.loss import losses
from quilt_core.textures.materials import (
    BASE,
    CLAMP,
    EMISSIVE,
    METAL_ROUGH,
    MIRRORED,
    NORMAL,
    OCCLUSION,
    PLAIN,
    REPEAT,
    TextureBinding,
    TexturedMaterial,
)  # fmt: skip
from quilt_core.textures.memory import memory_of
from quilt_core.textures.texel_loops import nearest_on_triangle
from quilt_core.textures.texels import find_texels
from tests.core.examples import examples
from tests.core.painted import normal_map, paint

SIZE = 64
ALL = np.array([[1.0, 0, 0], [0, 1, 0]])


def square(corners, old, points=None):
    """Two triangles of a square with the UVs `corners` now (origin at the bottom left), which read
    the old texture at `old` (origin at the top left)."""
    corners, old = np.asarray(corners, float), np.asarray(old, float)
    if points is None:
        points = np.column_stack([old[:, 0], 1 - old[:, 1], np.zeros(4)])
    order = [(0, 1, 2), (0, 2, 3)]
    flat = np.tile([0.0, 0.0, 1.0], (2, 3, 1))
    return SurfaceTriangles(
        np.array([corners[list(row)] for row in order]),
        {0: np.array([old[list(row)] for row in order])},
        np.zeros(2, np.int64),
        np.array([np.asarray(points, float)[list(row)] for row in order]),
        flat,
        np.full((2, 3, 4), np.nan),
    )


def image_at(pixels) -> DecodedImage:
    return decode("made", encode_png(pixels))


def carried(surface, slot, pixels, size=SIZE, binding=None, factors=None, **more):
    binding = binding or TextureBinding(0, 0, ALL)
    material = TexturedMaterial("one", {slot.name: binding}, dict(PLAIN))
    image = image_at(pixels)
    channels = len(PLAIN[slot.name])
    baking = {0: Baking(factors or (1.0,) * channels)}
    texels = find_texels(surface.px(size, size), size, size)
    return carry(surface, slot, [material], baking, lambda k, n: image, texels, **more), texels


WHOLE = [(0, 1), (1, 1), (1, 0), (0, 0)]
"""Corners of the whole texture, origin at the top left, against those of a sheet."""
SHEET = [(0, 0), (1, 0), (1, 1), (0, 1)]


def test_a_picture_that_stays_is_the_same_bit_by_bit():
    for bits in (8, 16):
        pixels = paint(SIZE, 1, bits=bits)
        out, _ = carried(square(SHEET, WHOLE), BASE, pixels)
        np.testing.assert_array_equal(quantized(out[..., :3], True, bits), pixels)


@pytest.mark.parametrize("turns", [0, 1, 2, 3])
@pytest.mark.parametrize("mirror", [False, True])
def test_moves_by_whole_texels_are_exact(turns, mirror):
    pixels = paint(SIZE, 2)
    part = pixels[16:48, 8:40]
    old = [(8 / 64, 48 / 64), (40 / 64, 48 / 64), (40 / 64, 16 / 64), (8 / 64, 16 / 64)]
    new = np.roll([(0.25, 0.125), (0.75, 0.125), (0.75, 0.625), (0.25, 0.625)], turns, axis=0)
    if mirror:
        new = new[[1, 0, 3, 2]]
    out, texels = carried(square(new, old), BASE, pixels)
    assert int((texels.owner >= 0).sum()) == 32 * 32
    inside = quantized(out[..., :3], True, 8)[24:56, 16:48]
    # Corners that go on by one turn the texture by a quarter to the right.
    wanted = np.rot90(part, -turns if not mirror else 0)
    if mirror:
        wanted = part[:, ::-1] if turns == 0 else _turned_mirror(part, turns)
    np.testing.assert_array_equal(inside, wanted)


def _turned_mirror(part, turns):
    return np.rot90(part, -turns)[:, ::-1] if turns % 2 == 0 else np.rot90(part, -turns)[::-1]


@pytest.mark.parametrize("wrap", [REPEAT, CLAMP, MIRRORED])
@pytest.mark.parametrize("srgb", [True, False])
def test_what_is_read_is_what_cv2_remap_reads(wrap, srgb):
    """cv2.remap with bilinear weights (in steps of 1/32 texel, so to about 1/64 of the contrast)."""
    slot = EMISSIVE if srgb else METAL_ROUGH
    pixels = paint(48, 3)
    angle = 0.4
    turn = np.array([[np.cos(angle), -np.sin(angle)], [np.sin(angle), np.cos(angle)]])
    old = (np.array(WHOLE) - 0.5) @ turn.T * 1.1 + 0.5
    binding = TextureBinding(0, 0, ALL, (wrap, wrap))
    out, _ = carried(square(SHEET, old), slot, pixels, 96, binding)
    y, x = np.mgrid[:96, :96] + 0.5
    uv = (np.stack([x, y], axis=2) / 96 - 0.5) @ turn.T * 1.1 + 0.5
    at = (uv * 48 - 0.5).astype(np.float32)
    border = {REPEAT: cv2.BORDER_WRAP, CLAMP: cv2.BORDER_REPLICATE, MIRRORED: cv2.BORDER_REFLECT}
    source = image_at(pixels).linear(srgb)
    wanted = cv2.remap(source, at[..., 0], at[..., 1], cv2.INTER_LINEAR, borderMode=border[wrap])
    assert np.abs(out[..., :3] - wanted[..., :3]).max() < 0.03
    assert np.abs(out[..., :3] - wanted[..., :3]).mean() < 0.002


def test_what_shrinks_is_averaged_as_areas():
    """cv2.resize by INTER_AREA is the mean over each texel."""
    pixels = paint(SIZE, 4)
    out, _ = carried(square(SHEET, WHOLE), METAL_ROUGH, pixels, 16)
    wanted = cv2.resize(image_at(pixels).linear(False), (16, 16), interpolation=cv2.INTER_AREA)
    np.testing.assert_allclose(out[..., :3], wanted[..., :3], atol=0.02)
    assert abs(float((out - wanted)[..., :3].mean())) < 1e-3


def test_linear_light_is_that_of_the_standard():
    """IEC 61966-2-1: half way in sRGB is 21.4 % of the light; there and back is exact."""
    steps = np.arange(256, dtype=np.float32) / 255
    np.testing.assert_allclose(to_linear(np.float32(128 / 255)), 0.21586, atol=1e-5)
    assert np.array_equal(np.rint(to_srgb(to_linear(steps)) * 255), np.arange(256))
    checker = np.zeros((2, 2, 3), np.uint8)
    checker[0, 0] = checker[1, 1] = 255
    out, _ = carried(square(SHEET, WHOLE), BASE, checker, 1)
    # The mean of black and white is half the light: 188 of 255.
    assert quantized(out[..., :3], True, 8)[0, 0].tolist() == [188, 188, 188]


@pytest.mark.parametrize("turns", [0, 1, 2, 3])
@pytest.mark.parametrize("mirror", [False, True])
@pytest.mark.parametrize("shear", [0.0, 0.35])
def test_normals_of_a_known_surface_turn_with_their_island(turns, mirror, shear):
    """A normal map is read on a flat square; the normals on the surface stay what they were, whatever
    the island does, within 1 / 255 of each number."""
    pixels = normal_map(SIZE, 5, bits=16)
    new = np.roll(0.25 + 0.5 * np.array(SHEET), turns, axis=0)
    if mirror:
        new = new[[1, 0, 3, 2]]
    new = new + np.stack([shear * (new[:, 1] - 0.5), 0 * new[:, 1]], axis=1)
    points = np.array([(0, 0, 0), (1, 0, 0), (1, 1, 0), (0, 1, 0)], float)
    surface = square(new, WHOLE, points)
    out, texels = carried(surface, NORMAL, pixels, 256)
    tangent = corner_tangents(surface.points, surface.normals, surface.now)[0, 0]
    t, n = tangent[:3], np.array([0.0, 0, 1])
    b = np.cross(n, t) * tangent[3]
    read = out[..., :3] * 2 - 1
    world = read[..., :1] * t + read[..., 1:2] * b + read[..., 2:] * n
    # Where each texel lies on the square, by the two affine halves being one map.
    px = surface.px(256, 256)[0]
    to = np.linalg.solve(np.column_stack([px, np.ones(3)]), surface.points[0][:, :2])
    y, x = np.mgrid[:256, :256] + 0.5
    place = np.stack([x, y, np.ones_like(x)], axis=2) @ to
    at = np.stack([1 - place[..., 1], place[..., 0]]) * SIZE - 0.5
    source = image_at(pixels).linear(False)[..., :3] * 2 - 1
    read = [map_coordinates(source[..., k], at, order=1, mode="grid-wrap") for k in range(3)]
    wanted = np.stack(read, axis=2)
    wanted /= np.linalg.norm(wanted, axis=2, keepdims=True)
    inside = (texels.owner >= 0) & ~texels.rim
    assert inside.sum() > 2000
    assert np.abs(world - wanted)[inside].max() < 1 / 255


def test_a_flat_normal_map_stays_flat():
    flat = np.full((8, 8, 3), (128, 128, 255), np.uint8)
    for turns in range(4):
        surface = square(np.roll(SHEET, turns, axis=0), WHOLE)
        out, _ = carried(surface, NORMAL, flat, 16)
        assert (quantized(out[..., :3], False, 8) == (128, 128, 255)).all()


def test_colours_spread_from_inside_and_never_from_neighbours_in_the_old_picture():
    pixels = np.full((SIZE, SIZE, 3), (255, 0, 0), np.uint8)
    pixels[16:48, 16:48] = (0, 0, 255)
    old = [(0.25, 0.75), (0.75, 0.75), (0.75, 0.25), (0.25, 0.25)]
    new = [(0.26, 0.26), (0.73, 0.26), (0.73, 0.73), (0.26, 0.73)]
    out, texels = carried(square(new, old), BASE, pixels, SIZE)
    colours = quantized(out[..., :3], True, 8)
    bare = texels.owner < 0
    assert bare.any() and (colours[bare][:, 2] >= 127).all()
    assert (colours[bare][:, 0] <= 188).all()


@pytest.mark.parametrize("thin", [0.0, 0.2])
def test_islands_thinner_than_a_texel_are_read_too(thin):
    pixels = np.full((8, 8, 3), (10, 200, 30), np.uint8)
    y = 0.5 + thin / SIZE
    new = [(0.3, 0.5), (0.6, 0.5), (0.6, y), (0.3, y)]
    out, texels = carried(square(new, WHOLE), BASE, pixels)
    assert (texels.owner >= 0).sum() >= 15
    assert (quantized(out[..., :3], True, 8) == (10, 200, 30)).all()


def test_factors_are_worked_in_where_materials_differ():
    materials = [
        TexturedMaterial("a", {"occlusion": TextureBinding(0, 0, ALL)}, PLAIN | {"occlusion": (0.5,), "emissive": (2.0, 0, 0)}),
        TexturedMaterial("b", {}, PLAIN | {"baseColor": (0.5, 1, 1, 1), "emissive": (0, 4.0, 1)}),
    ]  # fmt: skip
    needed, bakings, factors = plan_bakings(BASE, materials, [0, 1])
    assert needed and factors == (1.0,) * 4 and bakings[1].factors == (0.5, 1, 1, 1)
    needed, bakings, factors = plan_bakings(EMISSIVE, materials, [0, 1])
    assert factors == (4.0,) * 3 and bakings[0].factors == (0.5, 0, 0)
    # What has no occlusion has no strength of it: the texture's own stays on the material.
    assert plan_bakings(OCCLUSION, materials, [0, 1])[2] == (0.5,)
    assert plan_bakings(METAL_ROUGH, materials, [0, 1])[0] is False
    half = np.full((4, 4, 3), 51, np.uint8)
    out, _ = carried(square(SHEET, WHOLE), OCCLUSION, half, 4, factors=(0.5,))
    np.testing.assert_allclose(out[..., 0], 1 + 0.5 * (0.2 - 1), atol=1e-6)


points = st.lists(st.floats(-20, 20), min_size=2, max_size=2)


@given(st.lists(points, min_size=3, max_size=3), points)
@settings(max_examples=examples(200))
@pytest.mark.slow
def test_the_nearest_point_of_a_triangle_is_nearest(corners, at):
    t = np.array(corners)
    bary = np.zeros(3)
    far = nearest_on_triangle(at[0], at[1], t, bary)
    assert bary.min() >= -1e-9 and bary.sum() == pytest.approx(1)
    assert np.linalg.norm(bary @ t - at) ** 2 == pytest.approx(far, rel=1e-4, abs=1e-5)
    grid = np.array([(i, j, 10 - i - j) for i in range(11) for j in range(11 - i)]) / 10
    assert far <= ((grid @ t - at) ** 2).sum(axis=1).min() + 1e-6


def test_memory_is_that_of_the_blocks_and_mips():
    """Khronos Data Format Specification: 4 x 4 blocks; a chain down to one texel."""
    assert memory_of(2048, 2048, 4, 8)["raw"] == sum(4 * 4**k for k in range(12))
    assert memory_of(8, 8, 3, 8)["bc1"] == 8 * (4 + 1 + 1 + 1)
    assert memory_of(1, 1, 1, 16) == {"raw": 2, "bc1": 8, "bc5": 16, "bc7": 16, "astc4x4": 16}


def test_what_is_lost_is_told_in_decibels():
    pixels = paint(SIZE, 6)
    surface = square(SHEET, WHOLE)
    owner = np.zeros(2, np.int64)
    material = TexturedMaterial(
        "one", {"baseColor": TextureBinding(0, 0, ALL, (CLAMP, CLAMP))}, dict(PLAIN)
    )
    image = image_at(pixels)
    for size, least, most in ((SIZE, 98, 99), (SIZE // 4, 5, 40)):
        out, texels = carried(
            surface, BASE, pixels, size, TextureBinding(0, 0, ALL, (CLAMP, CLAMP))
        )
        bakings = {0: Baking((1.0,) * 4)}
        (found,) = losses(
            surface, owner, BASE, [material], bakings, lambda k, n: image, out, texels
        ).values()
        assert least <= found <= most
    # By hand: half the light everywhere is a known error.
    half = image.linear(True) * 0.5
    texels = find_texels(surface.px(SIZE, SIZE), SIZE, SIZE)
    (told,) = losses(
        surface, owner, BASE, [material], bakings, lambda k, n: image, half, texels
    ).values()
    mean = (image.linear(True)[..., :3] ** 2).mean() / 4
    assert told == pytest.approx(-10 * np.log10(mean), abs=0.7)
