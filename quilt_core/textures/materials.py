"""Materials as they look: factors, and which texture is read how for which role.

Reference: glTF 2.0 specification (ISO/IEC 12113:2022), 3.9; KHR_texture_transform;
KHR_materials_emissive_strength.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, field
from typing import Any

import numpy as np

from quilt_core.scene.types import FloatArray

GREY = (0,)
"""Channels of what is one value, and of no file's material: it is written as grey."""
REPEAT, CLAMP, MIRRORED = 0, 1, 2
"""How a texture goes on beyond its edge."""


@dataclass(frozen=True)
class Slot:
    """One use of textures by materials, such as base colour.

    Parameters
    ----------
    name : str
    kind : str
        colour (sRGB), data, normal, or alpha colour (sRGB with alpha).
    channels : tuple of int
        Channels of the texture that it reads: 0 to 3 for red to alpha.
    """

    name: str
    kind: str
    channels: tuple[int, ...]

    @property
    def srgb(self) -> bool:
        """Whether its colours are sRGB."""
        return self.kind in ("colour", "alpha colour")


BASE = Slot("baseColor", "alpha colour", (0, 1, 2, 3))
METAL_ROUGH = Slot("metallicRoughness", "data", (1, 2))
NORMAL = Slot("normal", "normal", (0, 1, 2))
OCCLUSION = Slot("occlusion", "data", (0,))
EMISSIVE = Slot("emissive", "colour", (0, 1, 2))
CORE = (BASE, METAL_ROUGH, NORMAL, OCCLUSION, EMISSIVE)


@dataclass(frozen=True, eq=False)
class TextureBinding:
    """How a material reads a texture.

    Parameters
    ----------
    image : int
        Number in the list of the file's textures.
    channel : int
        UV channel, from 0.
    matrix : (2, 3) float64
        From stored UVs, origin at the top left, to where the texture is read.
    wrap : (2,) int
        REPEAT, CLAMP or MIRRORED in u and v.
    nearest : bool
    """

    image: int
    channel: int
    matrix: FloatArray
    wrap: tuple[int, int] = (REPEAT, REPEAT)
    nearest: bool = False


@dataclass(frozen=True, eq=False)
class TexturedMaterial:
    """A material.

    Parameters
    ----------
    name : str
    bindings : dict
        Slot name to `TextureBinding`.
    factors : dict
        Slot name to the factors of its channels (base colour 4; roughness and metal 2; emission 3;
        the scale of normals and the strength of occlusion 1).
    state : str
        Equal for materials that may become one: alpha mode, cutoff, sides, and what extensions say.
    alpha : str
        OPAQUE, MASK or BLEND.
    slots : tuple of Slot
        Of its extensions.
    """

    name: str
    bindings: dict[str, TextureBinding]
    factors: dict[str, tuple[float, ...]]
    state: str = ""
    alpha: str = "OPAQUE"
    slots: tuple[Slot, ...] = ()
    entry: dict[str, Any] = field(default_factory=dict)


PLAIN = {
    "baseColor": (1.0, 1.0, 1.0, 1.0),
    "metallicRoughness": (1.0, 1.0),
    "normal": (1.0,),
    "occlusion": (1.0,),
    "emissive": (0.0, 0.0, 0.0),
}
"""Factors of a material that says nothing."""


def texture_matrix(transform: dict[str, Any]) -> FloatArray:
    """(2, 3) matrix of a KHR_texture_transform: turned, scaled and moved about the top left."""
    ox, oy = transform.get("offset", (0.0, 0.0))
    sx, sy = transform.get("scale", (1.0, 1.0))
    angle = float(transform.get("rotation", 0.0))
    c, s = np.cos(angle), np.sin(angle)
    return np.array([[c * sx, s * sy, ox], [-s * sx, c * sy, oy]])


def reference_binding(
    material: TexturedMaterial, sizes: Callable[[TextureBinding], tuple[int, int] | None]
) -> TextureBinding | None:
    """The binding that a layout follows: the base colour's, else the first there is; of those that read
    at the same UVs the one with the largest texture."""
    first = material.bindings.get("baseColor") or next(iter(material.bindings.values()), None)
    if first is None:
        return None
    alike = [
        binding
        for binding in material.bindings.values()
        if binding.channel == first.channel and np.allclose(binding.matrix, first.matrix)
    ]
    known = [binding for binding in alike if sizes(binding)]
    return max(known, key=lambda binding: np.prod(sizes(binding) or (0, 0)), default=None)
