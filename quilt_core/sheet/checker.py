"""The checker: woven squares with coordinates and an up mark.

Every square carries its column letter and row number and a small arrow that points up in the
layout. Mirrored islands show mirrored letters, turned ones turned arrows, stretched ones squares
that are not square.
"""

from __future__ import annotations

import io
import string
from functools import cache

from PIL import Image, ImageDraw, ImageFont

from quilt_core.sheet.colours import oklch_to_hex

INK = "#1f2a44"


@cache
def checker(size: int = 1024, squares: int = 8) -> bytes:
    """PNG of the checker.

    Parameters
    ----------
    size : int
        Edge of the image in px.
    squares : int
        Squares along one edge, at most 26.
    """
    image = Image.new("RGB", (size, size), "#fbf9f3")
    draw = ImageDraw.Draw(image)
    step = size / squares
    font = ImageFont.load_default(step * 0.34)
    small = ImageFont.load_default(step * 0.13)
    for row in range(squares):
        for column in range(squares):
            left, top = column * step, size - (row + 1) * step
            box = (left, top, left + step - 1, top + step - 1)
            warm = (row + column) % 2 == 0
            hue = 85 + 170 * row / max(squares - 1, 1) if warm else 40
            draw.rectangle(box, fill=oklch_to_hex(0.86, 0.055, hue) if warm else "#fbf9f3")
            _weave(draw, left, top, step, warm)
            label = f"{string.ascii_uppercase[column]}{row + 1}"
            draw.text((left + step / 2, top + step * 0.62), label, fill=INK, font=font, anchor="mm")
            _up_mark(draw, left + step / 2, top + step * 0.13, step * 0.2)
            draw.text(
                (left + step * 0.06, top + step * 0.93),
                f"{column + row * squares + 1}",
                fill="#6b6353",
                font=small,
                anchor="lm",
            )
    for k in range(squares + 1):
        at = min(size - 1, round(k * step))
        draw.line([(at, 0), (at, size)], fill="#b9ab8b", width=max(1, size // 512))
        draw.line([(0, at), (size, at)], fill="#b9ab8b", width=max(1, size // 512))
    out = io.BytesIO()
    image.save(out, "PNG")
    return out.getvalue()


def _weave(draw: ImageDraw.ImageDraw, left: float, top: float, step: float, warm: bool) -> None:
    """Fine threads, across in warm squares and along in the others."""
    for k in range(1, 8):
        at = k * step / 8
        ends = (
            [(left, top + at), (left + step, top + at)]
            if warm
            else [(left + at, top), (left + at, top + step)]
        )
        draw.line(ends, fill="#e4dcc8", width=1)


def _up_mark(draw: ImageDraw.ImageDraw, x: float, y: float, size: float) -> None:
    """A needle that points up, with its eye."""
    draw.polygon(
        [(x, y - size * 0.4), (x - size * 0.3, y + size * 0.35), (x + size * 0.3, y + size * 0.35)],
        fill="#2e5e62",
    )
    draw.ellipse([x - size * 0.1, y + size * 0.02, x + size * 0.1, y + size * 0.22], fill="#fbf9f3")
