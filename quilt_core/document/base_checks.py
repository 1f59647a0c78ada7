"""Whether the arrays of a base layout fit together: compiled loops index by them."""

from __future__ import annotations

import zipfile
from typing import Any

import numpy as np
from numpy.typing import NDArray

from quilt_core.document.base import base_arrays
from quilt_core.errors import FileFormatError
from quilt_core.scene.island_set import PER_ISLAND

Arrays = dict[str, NDArray[Any]]

SHAPES = {
    "uv": ("c", 2), "face_island": ("f",), "corners": ("t", 3, 3), "corner_uv": ("t", 3, 2), "corner_island": ("t",),
    "triangles": ("n", 3, 2), "triangle_island": ("n",), "edges": ("e", 2, 2), "edge_island": ("e",),
    **dict.fromkeys(PER_ISLAND, ("i",)), "unflattened": (1,),
    "surface_points": ("n", 3, 3), "surface_triangle_face": ("n",), "surface_face_start": (2,),
    "surface_island_material": ("i",), "surface_edge_material": ("e",), "surface_mixed": ("i",),
    "surface_hard": ("h", 2, 2), "surface_hard_island": ("h",), "surface_soft_border": ("i",), "surface_shaded": (1,),
    "surface_broken": ("b",), "surface_duplicate": ("d",), "surface_backs": ("k",), "surface_near_seam": ("s", 2),
    "surface_near_seam_island": ("s",), "surface_duplicate_vertices": (1,), "surface_materials": ("m",),
    "surface_many": ("many",), "surface_wound": ("wound",), "surface_open": ("open",), "surface_faults": (1, 4),
    "surface_scale": (1, 3),
}  # fmt: skip
"""Of each array; one word is one length."""
NUMBERS = {
    "face_island": ("i", -1), "corner_island": ("i", -1), "triangle_island": ("i", 0), "edge_island": ("i", 0),
    "surface_triangle_face": ("f", 0), "surface_island_material": ("m", -1), "surface_edge_material": ("m", -1),
    "surface_hard_island": ("i", 0), "surface_near_seam_island": ("i", 0), "surface_broken": ("f", 0),
    "surface_duplicate": ("f", 0), "surface_backs": ("f", 0),
    **dict.fromkeys(("surface_many", "surface_wound", "surface_open"), ("f", 0)),
}  # fmt: skip
"""Arrays that number something: what, and from which number on."""
FLOATS = ("uv", "corners", "corner_uv", "triangles", "edges", "uv_area", "turned", "world_area", "world_length", "step", "proportion", "surface_points", "surface_hard", "surface_near_seam", "surface_scale")  # fmt: skip
MAY_BE_NONE = ("uv", "surface_points", "world_area", "world_length")
"""Where a file has no number, there is NaN."""


def check_arrays(data: bytes, islands: int, unflattened: int, faces: int, place: str) -> Arrays:
    """The arrays of a base layout, as `base.base_bytes` writes them, refused where they do not fit together.

    Parameters
    ----------
    data : bytes
        A .npz.
    islands, unflattened, faces : int
        That its object and it are said to have.
    place : str
        What to call it in errors.

    Raises
    ------
    FileFormatError
    """
    wrong = FileFormatError("A base layout in it cannot be as it is.", place, "Save the project as a file once more.")  # fmt: skip
    try:
        arrays: Arrays = base_arrays(data)
    except (zipfile.BadZipFile, ValueError, OSError, EOFError, KeyError, MemoryError):
        raise wrong from None
    if set(arrays) != set(SHAPES):
        raise wrong
    lengths = {"i": islands, "f": faces}
    for name, shape in SHAPES.items():
        array = arrays[name]
        if array.ndim != len(shape):
            raise wrong
        for have, want in zip(array.shape, shape, strict=True):
            if have != (lengths.setdefault(want, have) if isinstance(want, str) else want):
                raise wrong
    for name, (of, low) in NUMBERS.items():
        array = arrays[name]
        if array.dtype != np.int64 or (len(array) and (array.min() < low or array.max() >= lengths[of])):  # fmt: skip
            raise wrong
    for name in FLOATS:
        array = arrays[name]
        if array.dtype.kind != "f" or (name not in MAY_BE_NONE and not np.isfinite(array).all()):
            raise wrong
    if arrays["surface_face_start"].tolist() != [0, faces] or int(arrays["unflattened"][0]) != unflattened:  # fmt: skip
        raise wrong
    if (arrays["object_index"] != 0).any() or arrays["surface_materials"].dtype.kind != "U":
        raise wrong
    return arrays
