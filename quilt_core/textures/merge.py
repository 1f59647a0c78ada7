"""Merge painted objects into one set of textures: groups of materials that become one, their slots,
the carried textures."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import LayoutError
from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.textures.arrange import Arranged
from quilt_core.textures.bakings import Baking, groups_of, plan_bakings
from quilt_core.textures.carry import SurfaceTriangles, carry
from quilt_core.textures.constants import settle_constants
from quilt_core.textures.decode import DecodedImage, encode, quantized
from quilt_core.textures.difference import Difference, difference
from quilt_core.textures.loss import losses
from quilt_core.textures.materials import BASE, CORE, METAL_ROUGH, OCCLUSION, Slot, TexturedMaterial
from quilt_core.textures.painted import Painted
from quilt_core.textures.places import Places
from quilt_core.textures.roles import FREE
from quilt_core.textures.texels import Texels, find_texels

Images = Callable[[int, int], DecodedImage | None]

ENDINGS = {"png": "png", "jpeg": "jpg", "webp": "webp"}
PACKED = "occlusionRoughnessMetallic"


@dataclass(frozen=True, eq=False)
class Group:
    """Materials that become one material.

    Parameters
    ----------
    materials : tuple of int
    alpha : str
    factors : dict
        Slot name to the factors of the new material.
    slots : dict
        Slot name to the name of the file that it reads.
    title : str
        Of the new material.
    sheet : int
        Which set of textures it reads, where there are several.
    """

    materials: tuple[int, ...]
    alpha: str
    factors: dict[str, tuple[float, ...]] = field(default_factory=dict)
    slots: dict[str, str] = field(default_factory=dict)
    title: str = ""
    sheet: int = 0


@dataclass(frozen=True, eq=False)
class Merged:
    """What a merge gives.

    Parameters
    ----------
    groups : tuple of Group
    files : dict
        Names of the textures to their bytes.
    sizes : dict
        Their names to width, height, channels and bits.
    texels : Texels
        Of the largest texture.
    roles : dict
        Their names to what they show.
    loss : dict
        Slot name to dB by object, see `losses`.
    plain_size : (2,) int
        px of a texture of a role that none of them has.
    physical : bool
        Whether materials without a word on metal and roughness are metal and rough, as in glTF.
    surface : SurfaceTriangles
    difference : Difference
        Of the base colour, where it was asked for.
    """

    groups: tuple[Group, ...]
    files: dict[str, bytes]
    sizes: dict[str, tuple[int, int, int, int]]
    texels: Texels
    roles: dict[str, str] = field(default_factory=dict)
    loss: dict[str, dict[int, float]] = field(default_factory=dict)
    plain_size: tuple[int, int] = (4, 4)
    physical: bool = True
    surface: SurfaceTriangles | None = None
    difference: Difference | None = None

    def group_at(self, width: int, height: int) -> IntArray:
        """(H, W) group of the material at each texel of a texture, the nearest one between islands."""
        assert self.surface is not None
        texels = self.texels
        if texels.owner.shape != (height, width):
            texels = find_texels(self.surface.px(width, height), width, height)
        table = np.zeros(int(self.surface.material.max(initial=0)) + 2, np.int64)
        for number, group in enumerate(self.groups):
            table[list(group.materials)] = number
        owner = texels.owner.ravel()[texels.source.ravel()].reshape(texels.owner.shape)
        return np.asarray(np.where(owner < 0, 0, table[self.surface.material[owner]]))


def triangles_of(
    painted: Sequence[Painted], arranged: Arranged, tangents: Sequence[FloatArray | None]
) -> SurfaceTriangles:
    """All triangles of painted objects with their new UVs; `tangents` (C, 4) of each object's
    corners, None for none."""
    channels = max((len(own.stored) for own in painted), default=0)
    now, material, points, normals, tangent = [], [], [], [], []
    stored: dict[int, list[FloatArray]] = {k: [] for k in range(channels)}
    for own, uv, given in zip(painted, arranged.uv, tangents, strict=True):
        mesh = own.mesh
        tris = mesh.triangles
        now.append(uv[tris])
        material.append(own.face_materials[mesh.triangle_face])
        corner = mesh.positions[mesh.corner_vertex[tris]]
        points.append(corner)
        face = np.cross(corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0])
        face /= np.maximum(np.linalg.norm(face, axis=1, keepdims=True), 1e-30)
        shading = np.repeat(face[:, None], 3, axis=1)
        if mesh.corner_normal is not None:
            own_normal = mesh.corner_normal[tris]
            known = np.isfinite(own_normal).all(axis=2, keepdims=True)
            shading = np.where(known, own_normal, shading)
        normals.append(shading)
        bare = np.full((len(tris), 3, 4), np.nan)
        tangent.append(bare if given is None else given[tris])
        for k in range(channels):
            missing = np.full((len(tris), 3, 2), np.nan)
            stored[k].append(own.stored[k][tris] if k < len(own.stored) else missing)
    return SurfaceTriangles(
        np.concatenate(now),
        {k: np.concatenate(rows) for k, rows in stored.items()},
        np.concatenate(material),
        np.concatenate(points),
        np.concatenate(normals),
        np.concatenate(tangent),
    )


def merge_images(
    surface: SurfaceTriangles,
    materials: Sequence[TexturedMaterial],
    images: Images,
    size: tuple[int, int],
    name: Callable[[str], str],
    role_sizes: Mapping[str, int] | None = None,
    filter_name: str = "bilinear",
    tell: Callable[[float, str], bool] = lambda progress, what: True,
    owner: IntArray | None = None,
    form: str = "png",
    bits: int = 0,
    compare: bool = False,
) -> Merged:
    """Carry all textures of some looks over.

    Parameters
    ----------
    surface : SurfaceTriangles
    materials : sequence of TexturedMaterial
    images : callable
        See `carry`.
    size : (2,) int
        Width and height in px.
    name : callable
        Name of the file of a role, without its ending.
    role_sizes : dict, optional
        Slot name to another width; heights in proportion.
    filter_name : str
        See `carry`.
    tell : callable
        Is told how far it is, and what comes next; False gives the work up.
    owner : (N,) int64, optional
        Object of each triangle, to say what each one loses.
    form : str
        Format of colours and emission, see `encode`; all else is PNG, and so is what has alpha as JPEG.
    bits : int
        8 or 16 for each channel, 0 for as many as the old textures have.
    compare : bool
        Whether differences of the base colour are drawn.

    Raises
    ------
    LayoutError
        When it was given up.
    """
    used = [int(k) for k in np.unique(surface.material)]
    parted = groups_of(materials, used)
    slots = _slots(materials, used)
    maps: dict[tuple[int, int], Texels] = {}
    files: dict[str, bytes] = {}
    sizes: dict[str, tuple[int, int, int, int]] = {}
    groups = [Group(rows, materials[rows[0]].alpha) for rows in parted]
    places = Places()
    heat: Difference | None = None
    ready: dict[str, tuple[NDArray[np.float32], int]] = {}
    loss: dict[str, dict[int, float]] = {}
    for number, slot in enumerate(slots):
        if not tell(number / max(len(slots), 1), slot.name):
            raise LayoutError("The merge was given up.", "", "Run it again.")
        bakings: dict[int, Baking] = {}
        needed = False
        for group in groups:
            wanted, own, factors = plan_bakings(slot, materials, group.materials)
            group.factors[slot.name] = factors
            if wanted:
                needed = True
                bakings |= own
        if not needed:
            continue
        width = (role_sizes or {}).get(slot.name, size[0])
        shape = (width, max(1, round(width * size[1] / size[0])))
        if shape not in maps:
            maps[shape] = find_texels(surface.px(*shape), *shape)
        depth = bits or _depth(slot, materials, bakings, images)
        out = carry(surface, slot, materials, bakings, images, maps[shape], filter_name, places)
        if depth == 8:
            settle_constants(surface, slot, materials, bakings, out)
        if owner is not None and slot.kind != "normal":
            loss[slot.name] = losses(
                surface, owner, slot, materials, bakings, images, out, maps[shape]
            )
        if compare and slot == BASE:
            heat = difference(surface, slot, materials, bakings, images, out)
        packed = slot in (METAL_ROUGH, OCCLUSION)
        channels = 3 if packed else _channels(slot, groups, out)
        lossy = form != "png" and slot.srgb and depth == 8 and (channels == 3 or form != "jpeg")
        ending = ENDINGS[form if lossy else "png"]
        file = f"{name(file_role(slot))}.{ending}"
        if file in files:  # another format's texture of the same role
            file = f"{name(f'{file_role(slot)}_{number}')}.{ending}"
        for group in groups:
            if group.materials[0] in bakings:
                group.slots[slot.name] = file
        if packed:
            ready[slot.name] = out, depth
            continue
        _keep(files, sizes, file, out[..., :channels], slot.srgb, depth, form if lossy else "png")
    _pack_data(files, sizes, ready, groups, name)
    roles = {
        file: PACKED if file == f"{name(PACKED)}.png" else file_role(slot)
        for slot in slots
        for group in groups
        if (file := group.slots.get(slot.name, ""))
    }
    physical = any("metallicRoughness" in materials[k].factors for k in used)
    largest = max(maps.values(), key=lambda one: one.owner.size, default=None)
    texels = largest or find_texels(surface.px(*size), *size)
    return Merged(tuple(groups), files, sizes, texels, roles, loss, size, physical, surface, heat)


def file_role(slot: Slot) -> str:
    """What a slot is called in the name of its file."""
    return slot.name.rpartition(".")[2].removesuffix("Texture")


def _slots(materials: Sequence[TexturedMaterial], used: Sequence[int]) -> list[Slot]:
    more = {slot.name: slot for k in used for slot in materials[k].slots}
    return [*CORE, *more.values()]


def _channels(slot: Slot, groups: Sequence[Group], out: NDArray[np.float32]) -> int:
    """Channels of a texture, with alpha where that says something."""
    if slot.name in FREE:
        return len(slot.channels)
    if slot.kind not in ("alpha colour", "data"):
        return 3
    opaque = slot == BASE and all(g.alpha == "OPAQUE" for g in groups)
    return 3 if opaque or float(out[..., 3].min()) == 1.0 else 4


def _depth(
    slot: Slot, materials: Sequence[TexturedMaterial], bakings: dict[int, Baking], images: Images
) -> int:
    found: list[int] = [
        image.depth
        for k in bakings
        if (binding := materials[k].bindings.get(slot.name)) and (image := images(k, binding.image))
    ]
    # Plain colours are kept as they are: eight bits would shift the bright ones.
    return max(found, default=16)


def _keep(
    files: dict[str, bytes],
    sizes: dict[str, tuple[int, int, int, int]],
    name: str,
    values: NDArray[np.float32],
    srgb: bool,
    depth: int,
    form: str = "png",
) -> None:
    pixels = quantized(values, srgb, depth)
    files[name] = encode(pixels, form)
    sizes[name] = (pixels.shape[1], pixels.shape[0], pixels.shape[2], depth)


def _pack_data(
    files: dict[str, bytes],
    sizes: dict[str, tuple[int, int, int, int]],
    ready: dict[str, tuple[NDArray[np.float32], int]],
    groups: Sequence[Group],
    name: Callable[[str], str],
) -> None:
    """Occlusion, roughness and metal in one texture, red to blue, where their sizes agree."""
    rough, occlusion = ready.get("metallicRoughness"), ready.get("occlusion")
    if rough and occlusion and rough[0].shape == occlusion[0].shape:
        file = f"{name(PACKED)}.png"
        packed = rough[0][..., :3].copy()
        packed[..., 0] = occlusion[0][..., 0]
        _keep(files, sizes, file, packed, False, max(rough[1], occlusion[1]))
        for group in groups:
            for slot in ("metallicRoughness", "occlusion"):
                if slot in group.slots:
                    group.slots[slot] = file
        return
    for slot, one in (("metallicRoughness", rough), ("occlusion", occlusion)):
        if one is not None:
            values = one[0][..., :3].copy()
            if slot == "metallicRoughness":
                values[..., 0] = 1.0
            else:
                values[..., 1:] = values[..., :1]
            _keep(files, sizes, f"{name(slot)}.png", values, False, one[1])
