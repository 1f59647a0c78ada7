"""Images of the diorama, painted by code: walls, brass, deck plates, wood, red lead, rope, notices."""

from __future__ import annotations

import io

import numpy as np
from PIL import Image, ImageDraw, ImageFont

from quilt_core.scene.types import FloatArray


def png(pixels: FloatArray) -> bytes:
    """A PNG of (H, W, C) values from 0 to 1."""
    out = io.BytesIO()
    whole = np.rint(np.clip(pixels, 0, 1) * 255).astype(np.uint8)
    Image.fromarray(whole.squeeze()).save(out, "PNG", compress_level=4)
    return out.getvalue()


def mottled(size: int, seed: int, cells: int = 24) -> FloatArray:
    """(size, size) soft noise around 0, of about one."""
    grain = np.random.default_rng(seed).normal(size=(cells, cells)).astype(np.float32)
    return np.asarray(
        Image.fromarray(grain, "F").resize((size, size), Image.Resampling.BICUBIC), np.float64
    )


def normals_of(height: FloatArray, strength: float) -> bytes:
    """A normal map, green up, of heights (size, size) that repeat."""
    dx = (np.roll(height, -1, axis=1) - np.roll(height, 1, axis=1)) * 0.5 * strength
    dy = (np.roll(height, 1, axis=0) - np.roll(height, -1, axis=0)) * 0.5 * strength
    n = np.stack([-dx, -dy, np.ones_like(dx)], axis=2)
    n /= np.linalg.norm(n, axis=2, keepdims=True)
    return png(n * 0.5 + 0.5)


def coloured(base: tuple[float, float, float], shade: FloatArray) -> FloatArray:
    """(size, size, 3) a colour, lighter and darker by a shade (size, size)."""
    return np.asarray(np.array(base)[None, None] * (1.0 + shade[..., None]))


def bricks(size: int) -> tuple[FloatArray, FloatArray]:
    """Shade and height of whitewashed bricks."""
    rows, columns = 24, 10
    v, u = np.mgrid[:size, :size] / size
    row = np.floor(v * rows)
    along = u * columns + 0.5 * (row % 2)
    edge = np.minimum(
        np.abs((v * rows) % 1 - 0.5) * -2 + 1, (np.abs(along % 1 - 0.5) * -2 + 1) * rows / columns
    )
    height = np.clip(edge / 0.16, 0, 1)
    stone = np.random.default_rng(4).normal(0, 0.05, (rows, columns + 1))
    shade = stone[row.astype(int) % rows, np.floor(along).astype(int) % (columns + 1)]
    return shade + 0.16 * (height - 1) + 0.03 * mottled(size, 5), height + 0.05 * mottled(size, 6)


def deck(size: int) -> tuple[FloatArray, FloatArray]:
    """Shade and height of plates with raised lozenges."""
    v, u = np.mgrid[:size, :size] / size * 24
    flip = (np.floor(u) + np.floor(v)) % 2
    a, b = u % 1 - 0.5, v % 1 - 0.5
    x, y = np.where(flip, a + b, a - b), np.where(flip, a - b, a + b)
    height = np.clip(1.6 - np.hypot(x / 0.55, y / 0.14), 0, 1)
    return 0.14 * height + 0.05 * mottled(size, 7), height


def planks(size: int) -> tuple[FloatArray, FloatArray]:
    """Shade and roughness of tarred planks."""
    v, u = np.mgrid[:size, :size] / size
    board = np.floor(v * 14)
    tone = np.random.default_rng(8).normal(0, 0.12, 14)[board.astype(int) % 14]
    grain = 0.08 * np.sin(2 * np.pi * (v * 90 + 0.8 * mottled(size, 9, 10))) + 0.06 * mottled(
        size, 10
    )
    gap = np.clip(np.abs((v * 14) % 1 - 0.5) * -2 + 1, 0, 0.12) / 0.12
    return tone + grain + 0.5 * (gap - 1) + 0 * u, 0.7 + 0.1 * grain - 0.1 * gap


def rope(size: int) -> FloatArray:
    """Shade of laid strands."""
    v, u = np.mgrid[:size, :size] / size
    return 0.3 * np.cos(2 * np.pi * (u * 40 + v * 20)) + 0.08 * mottled(size, 12)


def notices(size: int) -> bytes:
    """A board with text, which shows where islands are mirrored."""
    image = Image.new("RGB", (size, size), (214, 205, 182))
    draw = ImageDraw.Draw(image)
    font = ImageFont.load_default(size=size // 20)
    lines = (
        "HARBOUR LIGHT",
        "fog bell: 2 strokes",
        "lamp oil: shelf 7",
        "mind the stair",
        "tide 06:40",
    )
    step = size // 8
    for y in range(0, size, step):
        for x in range(-(size // 4), size, size // 2):
            text = lines[(y // step + (x > 0) * 2) % len(lines)]
            draw.text(
                (x + (y // step % 2) * size // 5, y + step // 4), text, font=font, fill=(52, 58, 74)
            )
        draw.line([(0, y), (size, y)], fill=(160, 148, 120), width=max(1, size // 256))
    out = io.BytesIO()
    image.save(out, "PNG", compress_level=4)
    return out.getvalue()


def surface(rough: float, metal: float, size: int, seed: int) -> bytes:
    """Roughness in green and metal in blue, a little worn."""
    wear = 0.06 * mottled(size, seed)
    out = np.stack([np.ones_like(wear), rough + wear, metal + 0 * wear], axis=2)
    return png(out)
