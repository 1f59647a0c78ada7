"""Merge painted objects into one set of pictures: groups of materials that become one, their slots,
the carried pictures."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from quilt_core.errors import LayoutError
from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.textures.arrange import Arranged
from quilt_core.textures.bakings import Baking, groups_of, plan_bakings
from quilt_core.textures.carry import Skin, carry
from quilt_core.textures.constants import settle_constants
from quilt_core.textures.decode import Picture, encode, quantized
from quilt_core.textures.difference import Difference, difference
from quilt_core.textures.looks import BASE, CORE, METAL_ROUGH, OCCLUSION, Look, Slot
from quilt_core.textures.loss import losses
from quilt_core.textures.painted import Painted
from quilt_core.textures.places import Places
from quilt_core.textures.roles import FREE
from quilt_core.textures.texels import Texels, find_texels

Pictures = Callable[[int, int], Picture | None]

ENDINGS = {"png": "png", "jpeg": "jpg", "webp": "webp"}
PACKED = "occlusionRoughnessMetallic"


@dataclass(frozen=True, eq=False)
class Group:
    """Looks that become one material.

    Parameters
    ----------
    looks : tuple of int
    alpha : str
    factors : dict
        Slot name to the factors of the new material.
    slots : dict
        Slot name to the name of the file that it reads.
    title : str
        Of the new material.
    sheet : int
        Which set of pictures it reads, where there are several.
    """

    looks: tuple[int, ...]
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
        Names of the pictures to their bytes.
    sizes : dict
        Their names to width, height, channels and bits.
    texels : Texels
        Of the largest picture.
    roles : dict
        Their names to what they show.
    loss : dict
        Slot name to dB by object, see `losses`.
    plain_size : (2,) int
        px of a picture of a role that none of them has.
    physical : bool
        Whether materials without a word on metal and roughness are metal and rough, as in glTF.
    skin : Skin
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
    skin: Skin | None = None
    difference: Difference | None = None

    def group_at(self, width: int, height: int) -> IntArray:
        """(H, W) group of the material at each texel of a picture, the nearest one between islands."""
        assert self.skin is not None
        texels = self.texels
        if texels.owner.shape != (height, width):
            texels = find_texels(self.skin.px(width, height), width, height)
        table = np.zeros(int(self.skin.look.max(initial=0)) + 2, np.int64)
        for number, group in enumerate(self.groups):
            table[list(group.looks)] = number
        owner = texels.owner.ravel()[texels.source.ravel()].reshape(texels.owner.shape)
        return np.asarray(np.where(owner < 0, 0, table[self.skin.look[owner]]))


def skin_of(
    painted: Sequence[Painted], arranged: Arranged, tangents: Sequence[FloatArray | None]
) -> Skin:
    """All triangles of painted objects with their new UVs; `tangents` (C, 4) of each object's
    corners, None for none."""
    channels = max((len(own.stored) for own in painted), default=0)
    now, look, points, normals, tangent = [], [], [], [], []
    stored: dict[int, list[FloatArray]] = {k: [] for k in range(channels)}
    for own, uv, given in zip(painted, arranged.uv, tangents, strict=True):
        mesh = own.mesh
        tris = mesh.triangles
        now.append(uv[tris])
        look.append(own.face_look[mesh.triangle_face])
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
    return Skin(
        np.concatenate(now),
        {k: np.concatenate(rows) for k, rows in stored.items()},
        np.concatenate(look),
        np.concatenate(points),
        np.concatenate(normals),
        np.concatenate(tangent),
    )


def merge_pictures(
    skin: Skin,
    looks: Sequence[Look],
    pictures: Pictures,
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
    """Carry all pictures of some looks over.

    Parameters
    ----------
    skin : Skin
    looks : sequence of Look
    pictures : callable
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
        8 or 16 for each channel, 0 for as many as the old pictures have.
    compare : bool
        Whether differences of the base colour are drawn.

    Raises
    ------
    LayoutError
        When it was given up.
    """
    used = [int(k) for k in np.unique(skin.look)]
    parted = groups_of(looks, used)
    slots = _slots(looks, used)
    maps: dict[tuple[int, int], Texels] = {}
    files: dict[str, bytes] = {}
    sizes: dict[str, tuple[int, int, int, int]] = {}
    groups = [Group(rows, looks[rows[0]].alpha) for rows in parted]
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
            wanted, own, factors = plan_bakings(slot, looks, group.looks)
            group.factors[slot.name] = factors
            if wanted:
                needed = True
                bakings |= own
        if not needed:
            continue
        width = (role_sizes or {}).get(slot.name, size[0])
        shape = (width, max(1, round(width * size[1] / size[0])))
        if shape not in maps:
            maps[shape] = find_texels(skin.px(*shape), *shape)
        depth = bits or _depth(slot, looks, bakings, pictures)
        out = carry(skin, slot, looks, bakings, pictures, maps[shape], filter_name, places)
        if depth == 8:
            settle_constants(skin, slot, looks, bakings, out)
        if owner is not None and slot.kind != "normal":
            loss[slot.name] = losses(skin, owner, slot, looks, bakings, pictures, out, maps[shape])
        if compare and slot == BASE:
            heat = difference(skin, slot, looks, bakings, pictures, out)
        packed = slot in (METAL_ROUGH, OCCLUSION)
        channels = 3 if packed else _channels(slot, groups, out)
        lossy = form != "png" and slot.srgb and depth == 8 and (channels == 3 or form != "jpeg")
        ending = ENDINGS[form if lossy else "png"]
        file = f"{name(file_role(slot))}.{ending}"
        if file in files:  # another format's picture of the same role
            file = f"{name(f'{file_role(slot)}_{number}')}.{ending}"
        for group in groups:
            if group.looks[0] in bakings:
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
    physical = any("metallicRoughness" in looks[k].factors for k in used)
    largest = max(maps.values(), key=lambda one: one.owner.size, default=None)
    texels = largest or find_texels(skin.px(*size), *size)
    return Merged(tuple(groups), files, sizes, texels, roles, loss, size, physical, skin, heat)


def file_role(slot: Slot) -> str:
    """What a slot is called in the name of its file."""
    return slot.name.rpartition(".")[2].removesuffix("Texture")


def _slots(looks: Sequence[Look], used: Sequence[int]) -> list[Slot]:
    more = {slot.name: slot for k in used for slot in looks[k].slots}
    return [*CORE, *more.values()]


def _channels(slot: Slot, groups: Sequence[Group], out: NDArray[np.float32]) -> int:
    """Channels of a picture, with alpha where that says something."""
    if slot.name in FREE:
        return len(slot.channels)
    if slot.kind not in ("alpha colour", "data"):
        return 3
    opaque = slot == BASE and all(g.alpha == "OPAQUE" for g in groups)
    return 3 if opaque or float(out[..., 3].min()) == 1.0 else 4


def _depth(
    slot: Slot, looks: Sequence[Look], bakings: dict[int, Baking], pictures: Pictures
) -> int:
    found: list[int] = [
        picture.depth
        for k in bakings
        if (use := looks[k].uses.get(slot.name)) and (picture := pictures(k, use.picture))
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
    """Occlusion, roughness and metal in one picture, red to blue, where their sizes agree."""
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
