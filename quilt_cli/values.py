"""What options may be: texts to numbers."""

from __future__ import annotations

import argparse

from quilt_core.scene.proportion import MOST


def size(text: str) -> tuple[int, int]:
    """``2048`` or ``2048x1024`` to (width, height)."""
    try:
        parts = [int(part) for part in text.lower().split("x")]
    except ValueError:
        parts = []
    if len(parts) not in (1, 2):
        raise argparse.ArgumentTypeError(f"“{text}” is no size; give 2048 or 2048x1024 (px)")
    return parts[0], parts[-1]


def density(text: str) -> str | float:
    """``equal``, ``keep`` or a number of px per metre."""
    if text in ("equal", "keep"):
        return text
    try:
        value = float(text)
    except ValueError:
        value = float("nan")
    if not 0 < value < float("inf"):
        raise argparse.ArgumentTypeError(
            f"“{text}” is no density; give equal, keep or px per metre, e.g. 512"
        )
    return value


def wanted_density(text: str) -> float:
    """A number of px per metre."""
    value = density(text)
    if isinstance(value, str):
        raise argparse.ArgumentTypeError(f"“{text}” is no density; give px per metre, e.g. 512")
    return value


def length(text: str) -> float:
    """A unit's length in metres."""
    named = {"m": 1.0, "cm": 0.01, "mm": 0.001, "in": 0.0254, "ft": 0.3048}
    try:
        value = named[text] if text in named else float(text)
    except ValueError:
        value = float("nan")
    if not 0 < value < float("inf"):
        raise argparse.ArgumentTypeError(
            f"“{text}” is no unit; give m, cm, mm, in, ft or metres per unit"
        )
    return value


def proportion(text: str) -> float:
    """``853:1461`` or ``0.58`` to width / height."""
    first, _, second = text.partition(":")
    try:
        value = float(first) / float(second or "1")
    except (ValueError, ZeroDivisionError):
        value = float("nan")
    if not 1 / MOST <= value <= MOST:
        raise argparse.ArgumentTypeError(f"“{text}” is no proportion; give width:height, e.g. 2:1")
    return value


def uv_tolerance(text: str) -> float:
    """A difference of UVs in tiles, 0 to 0.01."""
    try:
        value = float(text)
    except ValueError:
        value = float("nan")
    if not 0 <= value <= 0.01:
        raise argparse.ArgumentTypeError(
            f"“{text}” is no tolerance; give 0 to 0.01 tiles, e.g. 0.00001"
        )
    return value
