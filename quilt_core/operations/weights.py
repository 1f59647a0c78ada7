"""Weights of islands as `detail` and `visibility` propose them."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from quilt_core.document.layout import Layout
from quilt_core.errors import LayoutError, QuiltError
from quilt_core.scene.weights import HIGHEST_WEIGHT, LOWEST_WEIGHT


@dataclass(frozen=True)
class IslandWeight:
    """The weight of an island.

    Parameters
    ----------
    object : str
        Name of its object.
    island : int
        Its number in the object, from 1.
    weight : float
    """

    object: str
    island: int
    weight: float


@dataclass(frozen=True)
class Weights:
    """Weights of several islands."""

    rows: tuple[IslandWeight, ...]

    def to_json(self) -> list[dict[str, Any]]:
        """The rows as JSON has them."""
        return [
            {"object": one.object, "island": one.island, "weight": one.weight} for one in self.rows
        ]


def load_weights(name: str, data: bytes) -> Weights:
    """Those of a JSON file as `detail --json` and `visibility --json` write them.

    Raises
    ------
    QuiltError
    """
    try:
        found = json.loads(data.decode("utf-8-sig"))
        rows = [row for atlas in found["atlases"] for row in atlas["islands"]]
        return read_weights(rows)
    except (ValueError, KeyError, TypeError) as error:
        raise QuiltError(
            f"It holds no weights of islands ({error}).",
            name,
            "Write it with “detail --json” or “visibility --json”.",
        ) from None


def read_weights(given: Any) -> Weights:
    """Rows of object, island and weight; raises ValueError."""
    if isinstance(given, Weights):
        return given
    if not isinstance(given, Sequence) or isinstance(given, str):
        raise ValueError("Give a JSON file, or rows of object, island and weight.")
    out = []
    for row in given:
        if not isinstance(row, Mapping) or not {"object", "island", "weight"} <= set(row):
            raise ValueError("Each row needs object, island and weight.")
        one = IslandWeight(str(row["object"]), int(row["island"]), float(row["weight"]))
        if not LOWEST_WEIGHT <= one.weight <= HIGHEST_WEIGHT:
            raise ValueError(
                f"Weights go from {LOWEST_WEIGHT:g} to {HIGHEST_WEIGHT:g}, not {one.weight:g}."
            )
        out.append(one)
    return Weights(tuple(out))


def give_weights(layout: Layout, given: Weights, rows: Any) -> None:
    """Write weights into the rows of a layout's islands.

    Raises
    ------
    LayoutError
        When an object of that name has no such island.
    """
    names, numbers = layout.object_names(), layout.numbers.tolist()
    owner = layout.islands.object_index.tolist()
    place = {(names[o], n): k for k, (o, n) in enumerate(zip(owner, numbers, strict=True))}
    for one in given.rows:
        at = place.get((one.object, one.island))
        if at is None:
            raise LayoutError(
                f"“{one.object}” has no island {one.island}.",
                "weights",
                "Write the file anew: it is of other objects, or of another layout of them.",
            )
        rows["weight"][at] = one.weight
