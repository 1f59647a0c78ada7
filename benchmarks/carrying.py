"""Carrying images over, beside cv2.remap on the same maps."""

from __future__ import annotations

import resource
import time

import cv2
import numpy as np

from quilt_core.textures.bakings import Baking
from quilt_core.textures.carry import SurfaceTriangles, carry
from quilt_core.textures.decode import DecodedImage
from quilt_core.textures.materials import (
    BASE,
    EMISSIVE,
    METAL_ROUGH,
    NORMAL,
    OCCLUSION,
    PLAIN,
    TextureBinding,
    TexturedMaterial,
)
from quilt_core.textures.places import Places
from quilt_core.textures.texels import find_texels

ROLES = (BASE, METAL_ROUGH, NORMAL, OCCLUSION, EMISSIVE)
OLD, NEW, CELLS = 2048, 4096, 48


def sheet(cells: int, wave: float = 0.0) -> SurfaceTriangles:
    """A sheet of quads whose old UVs are turned, moved and scaled as a whole; flat, or with a
    wave of some height."""
    line = np.linspace(0.02, 0.98, cells + 1)
    u, v = np.meshgrid(line, line)
    flat = np.stack([u.ravel(), v.ravel()], axis=1)
    row, column = np.divmod(np.arange(cells * cells), cells)
    a = row * (cells + 1) + column
    triangles = np.concatenate(
        [np.stack([a, a + 1, a + cells + 2], 1), np.stack([a, a + cells + 2, a + cells + 1], 1)]
    )
    turn = np.array([[np.cos(0.3), -np.sin(0.3)], [np.sin(0.3), np.cos(0.3)]])
    old = (flat - 0.5) @ turn.T * 0.9 + 0.5
    points = np.column_stack([old[:, 0], old[:, 1], wave * np.sin(9 * old[:, 0])])
    normals = np.column_stack(
        [-9 * wave * np.cos(9 * old[:, 0]), 0 * flat[:, 0], 0 * flat[:, 0] + 1]
    )
    normals /= np.linalg.norm(normals, axis=1, keepdims=True)
    count = len(triangles)
    return SurfaceTriangles(
        flat[triangles],
        {0: np.stack([old[:, 0], 1 - old[:, 1]], axis=1)[triangles]},
        np.zeros(count, np.int64),
        points[triangles],
        normals[triangles],
        np.full((count, 3, 4), np.nan),
    )


def main() -> None:
    """Print how long five roles take, as ratios to cv2.remap."""
    rng = np.random.default_rng(1)
    soft = cv2.GaussianBlur(rng.random((OLD, OLD, 4)).astype(np.float32), (0, 0), 3)
    image = DecodedImage("made", np.rint(soft * 255).astype(np.uint8), False)
    surface = sheet(CELLS)
    binding = TextureBinding(0, 0, np.array([[1.0, 0, 0], [0, 1, 0]]))
    material = TexturedMaterial("one", {slot.name: binding for slot in ROLES}, dict(PLAIN))
    now, every = surface.px(NEW, NEW), np.ones(len(surface.now), bool)
    find_texels(surface.px(64, 64), 64, 64)
    started = time.perf_counter()
    texels = find_texels(now, NEW, NEW)
    mapped = time.perf_counter() - started
    reading = Places().of(0, binding, texels, now, every, surface.stored[0], (OLD, OLD))
    place = np.zeros((NEW, NEW, 2), np.float32)
    for block in reading.blocks:
        place[block.rows, block.columns] = block.place
    source = image.linear(True)
    cv2.remap(source, place, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP)
    started = time.perf_counter()
    for _ in ROLES:
        cv2.remap(source, place, None, cv2.INTER_LINEAR, borderMode=cv2.BORDER_WRAP)
    reference = time.perf_counter() - started
    small = find_texels(surface.px(64, 64), 64, 64)
    for slot in ROLES:  # compiled
        carry(surface, slot, [material], {0: Baking(PLAIN[slot.name])}, lambda k, n: image, small)
    places = Places()
    each = {}
    for name, own, slots in (("", surface, ROLES), (" on a wave", sheet(CELLS, 0.1), (NORMAL,))):
        for slot in slots:
            ones = (1.0,) * len(PLAIN[slot.name])
            began = time.perf_counter()
            known = None if own is not surface else places
            carry(
                own, slot, [material], {0: Baking(ones)}, lambda k, n: image, texels, places=known
            )
            each[slot.name + name] = time.perf_counter() - began
    roles = sum(each[slot.name] for slot in ROLES)
    print(f"carry over: five roles at {NEW} from {OLD}, {len(surface.now):,} triangles")
    print(f"  cv2.remap of five with the same maps: {reference:.2f} s; our roles / that: "
          f"{roles / reference:.2f}; with the maps {(mapped + roles) / reference:.2f}")  # fmt: skip
    print(f"  which texel lies where {mapped / reference:.2f}, " + ", ".join(
        f"{name} {seconds / reference:.2f}" for name, seconds in each.items()
    ))  # fmt: skip
    print(f"  memory {resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1e6:.2f} GB")


if __name__ == "__main__":
    main()
