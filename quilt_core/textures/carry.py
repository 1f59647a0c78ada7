"""Carry textures over to a new layout: for each texel of the new texture the point on the surface,
there the old UV, there the old texture.

References: glTF 2.0 specification (ISO/IEC 12113:2022), 3.9 and appendix B (what is shaded); Heckbert
1989, Fundamentals of Texture Mapping and Image Warping (area filtering by supersampling).
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import LayoutError
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.textures._turn_loops import turn_normals
from quilt_core.textures.bakings import Baking
from quilt_core.textures.decode import DecodedImage
from quilt_core.textures.frames import corner_tangents, even_turns
from quilt_core.textures.materials import Slot, TextureBinding, TexturedMaterial
from quilt_core.textures.merge_loops import read_texels
from quilt_core.textures.places import Places
from quilt_core.textures.texels import Texels, bleed

Image = NDArray[np.float32]

MOST_SAMPLES = 16
FILTERS = {"bilinear": 1, "mitchell": 2, "lanczos": 3}
NEUTRAL = {"height": 0.5, "curvature": 0.5, "objectNormal": 0.5, "id": 0.0}
"""What stands where an object has no texture in these roles."""
FLAT_NORMAL = (128 / 255, 128 / 255, 1.0)


@dataclass(frozen=True, eq=False)
class SurfaceTriangles:
    """Triangles of all members, as they were and as they lie now.

    Parameters
    ----------
    now : (N, 3, 2) float64
        UVs of the new layout, origin at the bottom left.
    stored : dict
        Old UVs (N, 3, 2) by channel, origin at the top left; NaN where a triangle has none.
    material : (N,) int64
        Number of its material.
    points, normals : (N, 3, 3) float64
    tangents : (N, 3, 4) float64
        Those of the file; NaN where it has none.
    """

    now: FloatArray
    stored: Mapping[int, FloatArray]
    material: IntArray
    points: FloatArray
    normals: FloatArray
    tangents: FloatArray

    def px(self, width: int, height: int) -> FloatArray:
        """(N, 3, 2) where they lie now, px from the top left."""
        return np.stack([self.now[..., 0] * width, (1.0 - self.now[..., 1]) * height], axis=2)

    def part(self, chosen: BoolArray) -> SurfaceTriangles:
        """Some of the triangles."""
        return SurfaceTriangles(
            self.now[chosen],
            {channel: rows[chosen] for channel, rows in self.stored.items()},
            self.material[chosen],
            self.points[chosen],
            self.normals[chosen],
            self.tangents[chosen],
        )

    def read_at(self, binding: TextureBinding) -> FloatArray:
        """(N, 3, 2) where a binding of a texture reads at the corners; NaN without UVs."""
        uv = self.stored.get(binding.channel)
        if uv is None:
            return np.full_like(self.now, np.nan)
        return np.asarray(uv @ binding.matrix[:, :2].T + binding.matrix[:, 2])


def carry(
    surface: SurfaceTriangles,
    slot: Slot,
    materials: Sequence[TexturedMaterial],
    bakings: Mapping[int, Baking],
    images: Callable[[int, int], DecodedImage | None],
    texels: Texels,
    filter_name: str = "bilinear",
    places: Places | None = None,
) -> Image:
    """The new texture of a slot.

    Parameters
    ----------
    surface : SurfaceTriangles
    slot : Slot
    materials : sequence of TexturedMaterial
    bakings : mapping
        By look; materials that are not in it get a filler.
    images : callable
        The texture of a material's use: by look and the number there; None where it is missing.
    texels : Texels
    filter_name : str
        Of `FILTERS`; what shrinks is averaged over each texel in any case.
    places : Places, optional
        Where earlier slots were read: those that lie alike are not worked out again.

    Returns
    -------
    (H, W, 4) float32
        In linear light, colours of islands spread outward.
    """
    if filter_name not in FILTERS:
        raise LayoutError(f"A filter “{filter_name}”.", "filter", f"Give {', '.join(FILTERS)}.")
    height, width = texels.owner.shape
    now = surface.px(width, height)
    out = np.empty((height, width, 4), np.float32)

    def fill(band: slice) -> None:
        out[band] = 1.0
        if slot.name in NEUTRAL:
            out[band, :, :3] = NEUTRAL[slot.name]
        if slot.kind == "normal":
            out[band, :, :2] = FLAT_NORMAL[0]

    read = np.zeros(len(now), bool)
    for _, _, _, chosen, _ in _to_read(surface, slot, materials, bakings, images):
        read |= chosen
    if texels.bare or not read.all():
        texels.each_band(fill)
    for number, binding, image, chosen, old in _to_read(surface, slot, materials, bakings, images):
        old = np.where(chosen[:, None, None], old, 0.0)
        samples = _samples(now, old, image.size, chosen)
        if slot.name == "id":
            samples[:] = 1  # never mixed
        kind = 0 if binding.nearest else FILTERS[filter_name]
        whole = (
            slot.kind == "alpha colour" and materials[number].alpha != "OPAQUE" and image.has_alpha
        )
        pixels = image.linear(slot.srgb)
        plain = chosen & (samples == 1) if kind == 1 and not whole else np.zeros_like(chosen)
        if plain.any():
            known = places if places is not None else Places()
            known.reading(number, binding, texels, now, plain, old, image.size).read(pixels, out)
        if (chosen & ~plain).any():
            _read(texels, now, chosen & ~plain, old, samples, pixels, binding, kind, whole, out)
        if slot.kind == "normal":
            _turn(surface, binding, texels, now, chosen, bakings[number].factors[0], out)
    if slot.name == "objectNormal":
        texels.each_band(lambda band: _to_unit(out[band], texels.owner[band] >= 0))
    if slot.kind != "normal":
        _multiply(surface, slot, texels, bakings, out)
    bleed(out, texels)
    return out


def _to_read(
    surface: SurfaceTriangles,
    slot: Slot,
    materials: Sequence[TexturedMaterial],
    bakings: Mapping[int, Baking],
    images: Callable[[int, int], DecodedImage | None],
) -> Iterator[tuple[int, TextureBinding, DecodedImage, BoolArray, FloatArray]]:
    """Looks with a texture in a slot, their triangles, and where those are read."""
    for number in bakings:
        binding = materials[number].bindings.get(slot.name)
        image = images(number, binding.image) if binding is not None else None
        if binding is None or image is None:
            continue
        old = surface.read_at(binding)
        chosen = (surface.material == number) & np.isfinite(old).all(axis=(1, 2))
        if chosen.any():
            yield number, binding, image, chosen, old


def _samples(
    now: FloatArray, old: FloatArray, size: tuple[int, int], chosen: BoolArray
) -> NDArray[np.int64]:
    """(N,) samples along each side of a texel: as many as there are old texels across it."""
    out = np.ones(len(now), np.int64)
    t, o = now[chosen], old[chosen] * np.array(size, np.float64)
    a = np.stack([t[:, 1] - t[:, 0], t[:, 2] - t[:, 0]], axis=2)
    b = np.stack([o[:, 1] - o[:, 0], o[:, 2] - o[:, 0]], axis=2)
    fine = np.flatnonzero(np.abs(np.linalg.det(a)) > 1e-12)
    largest = np.ones(len(t))
    if len(fine):
        step = b[fine] @ np.linalg.inv(a[fine])
        largest[fine] = np.linalg.norm(step, ord=2, axis=(1, 2))
    out[chosen] = np.clip(np.ceil(largest - 0.05), 1, MOST_SAMPLES)
    return out


def _read(
    texels: Texels,
    now: FloatArray,
    chosen: BoolArray,
    old: FloatArray,
    samples: NDArray[np.int64],
    pixels: Image,
    binding: TextureBinding,
    kind: int,
    whole: bool,
    out: Image,
) -> None:
    """Average what shrinks, and read what is no plain bilinear read."""
    wrap = np.array(binding.wrap, np.int64)

    def work(band: slice) -> None:
        read_texels(
            texels.owner[band], band.start, texels.rim[band], now, chosen, old,
            samples, pixels, wrap, kind, whole, out[band],
        )  # fmt: skip

    texels.each_band(work)


def _turn(
    surface: SurfaceTriangles,
    binding: TextureBinding,
    texels: Texels,
    now: FloatArray,
    chosen: BoolArray,
    scale: float,
    out: Image,
) -> None:
    """Turn the vectors of a normal map with the islands."""
    read = surface.read_at(binding)[chosen]
    up = np.stack([read[..., 0], 1.0 - read[..., 1]], axis=2)
    points, normals = surface.points[chosen], surface.normals[chosen]
    had: BoolArray = np.asarray(np.isfinite(surface.tangents[chosen]).all(axis=(1, 2)))
    before, after = np.zeros((len(chosen), 3, 4)), np.zeros((len(chosen), 3, 4))
    own = corner_tangents(points, normals, up)
    before[chosen] = np.where(had[:, None, None], surface.tangents[chosen], own)
    after[chosen] = corner_tangents(points, normals, surface.now[chosen])
    shading = np.where(chosen[:, None, None], surface.normals, 0.0)
    even = even_turns(shading, before, after)

    def work(band: slice) -> None:
        turn_normals(
            texels.owner[band],
            band.start,
            now,
            chosen,
            shading,
            before,
            after,
            even,
            scale,
            out[band],
        )

    texels.each_band(work)


def _to_unit(band: Image, known: BoolArray) -> None:
    """Vectors in an object's own space do not turn with islands; what was mixed becomes one long again."""
    vectors = 2.0 * band[known, :3] - 1.0
    length = np.linalg.norm(vectors, axis=1, keepdims=True)
    mixed = (np.abs(length - 1.0) > 0.02) & (length > 0.1)
    band[known, :3] = np.where(
        mixed, 0.5 + 0.5 * vectors / np.maximum(length, 1e-6), band[known, :3]
    )


def _multiply(
    surface: SurfaceTriangles, slot: Slot, texels: Texels, bakings: Mapping[int, Baking], out: Image
) -> None:
    """Work the factors in."""
    table = np.ones((int(surface.material.max(initial=0)) + 1, 4), np.float32)
    for number, baking in bakings.items():
        table[number, list(slot.channels)[: len(baking.factors)]] = baking.factors
    if (table == 1).all():
        return
    of_triangle = table[surface.material]
    for band in texels.bands():
        owner = texels.owner[band]
        has = owner >= 0
        factor = of_triangle[owner[has]]
        if slot.name == "occlusion":
            out[band][has] = 1.0 + factor * (out[band][has] - 1.0)
        else:
            out[band][has] *= factor
