"""Values that people write as text: sizes, tiles, densities, lengths of units, proportions, places."""

from __future__ import annotations

import math
from typing import Any

from quilt_core.errors import LayoutError
from quilt_core.scene.lengths import DENSITY_UNITS
from quilt_core.scene.proportion import MOST_PROPORTION
from quilt_core.scene.tiles import COLUMNS, MAX_TILE, TileSize

Size = tuple[int, int]
UNITS = {"m": 1.0, "cm": 0.01, "mm": 0.001, "in": 0.0254, "ft": 0.3048}


def read_size(given: Any) -> Size:
    """``2048`` or ``2048x1024`` to (width, height)."""
    parts = [given, given] if _is_whole(given) else str(given).lower().split("x")
    try:
        width, height = int(parts[0]), int(parts[-1])
    except ValueError:
        raise ValueError("Give 2048 or 2048x1024 (px).") from None
    if len(parts) > 2 or not (16 <= width <= MAX_TILE and 16 <= height <= MAX_TILE):
        raise ValueError(f"Give 2048 or 2048x1024 (px), from 16 to {MAX_TILE}.")
    return width, height


def check_ending(name: str | None, setting: str, what: str, endings: tuple[str, ...]) -> None:
    """Raise `LayoutError` for a file that is written and whose name has none of the endings."""
    if name and not name.lower().endswith(endings):
        raise LayoutError(
            f"“{name}” is no {what}.", setting, f"Give a name that ends in {' or '.join(endings)}."
        )


def show_size(value: Size) -> str:
    """A size as text."""
    return f"{value[0]}x{value[1]}"


def read_tile(given: Any) -> TileSize:
    """``1002``, ``1002:1024`` or ``1002:1024x512`` to a tile."""
    number, _, size = str(given).partition(":")
    try:
        width, height = read_size(size or 2048)
        return TileSize(int(number), width, height)
    except (ValueError, LayoutError):
        raise ValueError("Give 1002, 1002:1024 or 1002:1024x512 (px).") from None


def show_tile(value: TileSize) -> str:
    """A tile as text."""
    return f"{value.number}:{value.width}x{value.height}"


def read_grid(given: Any) -> Size:
    """``10x2`` to (columns, rows) of tiles."""
    columns, _, rows = str(given).lower().partition("x")
    try:
        size = int(columns), int(rows)
    except ValueError:
        size = 0, 0
    if not (1 <= size[0] <= COLUMNS and 1 <= size[1] <= COLUMNS):
        raise ValueError(f"Give 1 to {COLUMNS} columns and rows, for example 10x2.")
    return size


def read_unit(given: Any) -> float:
    """A unit's length in metres: its name, or a number."""
    if given in UNITS:
        return UNITS[given]
    return _positive(given, "Give m, cm, mm, in, ft, or metres per unit.")


def read_proportion(given: Any) -> float:
    """``853:1461`` or ``0.58`` to width / height."""
    first, _, second = str(given).partition(":")
    try:
        value = float(first) / float(second or "1")
    except (ValueError, ZeroDivisionError):
        value = math.nan
    if not 1 / MOST_PROPORTION <= value <= MOST_PROPORTION:
        raise ValueError("Give width:height, for example 2:1.")
    return value


def read_density(given: Any) -> float:
    """A number of px per metre, or one with its unit: ``5.12px/cm``, ``13 px/in``."""
    form = "Give px per metre, for example 512, or 5.12px/cm, or 13px/in."
    text = given.strip() if isinstance(given, str) else ""
    for unit, factor in DENSITY_UNITS.items():
        if text.endswith(unit):
            return _positive(text.removesuffix(unit), form) / factor
    return _positive(given, form)


BYTES = {"KB": 1e3, "MB": 1e6, "GB": 1e9, "KiB": 2.0**10, "MiB": 2.0**20, "GiB": 2.0**30}


def read_bytes(given: Any) -> float:
    """``64MB``, or a number of bytes."""
    form = "Give a memory, for example 64MB."
    text = given.strip() if isinstance(given, str) else ""
    for unit, size in BYTES.items():
        if text.endswith(unit):
            return _positive(text.removesuffix(unit), form) * size
    return _positive(given, form)


def read_place(given: Any) -> tuple[float, float, float]:
    """``1,2,0.5``, or three numbers, to a place."""
    parts = given if isinstance(given, list | tuple) else str(given).split(",")
    try:
        x, y, z = (float(part) for part in parts)
    except (ValueError, TypeError):
        raise ValueError("Give three numbers, for example 1,2,0.5.") from None
    if not all(map(math.isfinite, (x, y, z))):
        raise ValueError("Give three numbers, for example 1,2,0.5.")
    return x, y, z


def read_point(given: Any) -> tuple[float, float]:
    """``100,200``, or two numbers, to a point."""
    parts = given if isinstance(given, list | tuple) else str(given).split(",")
    try:
        x, y = (float(part) for part in parts)
    except (ValueError, TypeError):
        raise ValueError("Give two numbers, for example 100,200.") from None
    if not (math.isfinite(x) and math.isfinite(y)):
        raise ValueError("Give two numbers, for example 100,200.")
    return x, y


def _positive(given: Any, form: str) -> float:
    try:
        value = math.nan if isinstance(given, bool) else float(given)
    except (ValueError, TypeError):
        value = math.nan
    if not 0 < value < math.inf:
        raise ValueError(form)
    return value


def _is_whole(given: Any) -> bool:
    return isinstance(given, int) and not isinstance(given, bool)


NUMBER_OR_WORD: dict[str, Any] = {"oneOf": [{"type": "number"}, {"type": "string"}]}
NUMBERS: dict[str, Any] = {"type": "array", "items": {"type": "number"}}
SIZE: dict[str, Any] = {"read": read_size, "show": show_size, "shape": "2048x1024", "unit": "px"}
GRID: dict[str, Any] = {"read": read_grid, "show": show_size, "shape": "10x2"}
TILES: dict[str, Any] = {"read": read_tile, "show": show_tile, "shape": "1002:1024x512"}
GAP: dict[str, Any] = {
    "help": "smallest gap between islands; without it a 128th of the tile: 16 px at 2048",
    "unit": "px", "low": 0, "high": 1024,
}  # fmt: skip
EDGE: dict[str, Any] = {
    "help": "smallest gap to the edge of the tile; without it half the padding",
    "unit": "px", "low": 0, "high": 1024,
}  # fmt: skip
"""What is special about options of these kinds, and JSON schemas of others."""
