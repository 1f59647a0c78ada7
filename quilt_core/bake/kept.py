"""Baked tiles as bytes: one process bakes them, another one puts them together."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Sequence
from dataclasses import asdict

import numpy as np
from numpy.typing import NDArray

from quilt_core.bake.bake import BakedTile
from quilt_core.scene import TileSize
from quilt_core.textures.texels import Texels

LEVEL = 1
"""Of the compression: most of a sheet's values are noise or nothing."""


def as_bytes(baked: Sequence[BakedTile]) -> bytes:
    """Tiles with all that was found of them, as a zip of NumPy arrays."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED, compresslevel=LEVEL) as archive:

        def write(name: str, values: NDArray[np.generic]) -> None:
            with archive.open(f"{name}.npy", "w", force_zip64=True) as file:
                np.lib.format.write_array(file, np.ascontiguousarray(values), allow_pickle=False)

        rows = []
        for k, one in enumerate(baked):
            rows.append({"tile": asdict(one.tile), "maps": list(one.maps), "whole": one.whole})
            for name, values in one.maps.items():
                write(f"{k} map {name}", values)
            for name in ("owner", "rim", "source"):
                write(f"{k} {name}", getattr(one.texels, name))
            for name in ("triangles", "rays", "skew"):
                write(f"{k} {name}", getattr(one, name))
        archive.writestr("tiles.json", json.dumps(rows))
    return out.getvalue()


def from_bytes(data: bytes) -> list[BakedTile]:
    """The tiles again, to the bit."""
    with zipfile.ZipFile(io.BytesIO(data)) as archive:

        def read(name: str) -> NDArray[np.generic]:
            with archive.open(f"{name}.npy") as file:
                return np.asarray(np.lib.format.read_array(file, allow_pickle=False))

        return [
            BakedTile(
                TileSize(**row["tile"]),
                {name: read(f"{k} map {name}") for name in row["maps"]},  # type: ignore[misc]
                Texels(read(f"{k} owner"), read(f"{k} rim"), read(f"{k} source")),  # type: ignore[arg-type]
                read(f"{k} triangles"),  # type: ignore[arg-type]
                read(f"{k} rays"),  # type: ignore[arg-type]
                read(f"{k} skew"),  # type: ignore[arg-type]
                row["whole"],
            )
            for k, row in enumerate(json.loads(archive.read("tiles.json")))
        ]
