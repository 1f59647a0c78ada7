"""UV channels of a file: copied, moved, swapped and deleted on all its meshes; the values stay bit
by bit.

Reference: glTF 2.0 specification (ISO/IEC 12113:2022), 3.7.2 (TEXCOORD_n are numbered from 0
without gaps), 3.9.1 (texture infos name their channel by texCoord); KHR_texture_transform;
KHR_materials_variants.
"""

from __future__ import annotations

import copy
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from quilt_core.errors import FileFormatError, LayoutError
from quilt_core.formats.gltf_read import GltfSource
from quilt_core.formats.gltf_write import pack_document
from quilt_core.scene.mesh import MOST_CHANNELS
from quilt_core.scene.model import Scene

CHANNEL_EDITS = ("copy", "move", "swap", "delete")


@dataclass(frozen=True)
class ChannelEdit:
    """One edit; channels count from 1.

    Parameters
    ----------
    kind : str
        copy (`one` onto `two`, a new one behind the last or in place of what is there), move (`one`
        to the place `two`, the others move up), swap, delete (those behind it move down) or rename.
    one, two : int
        `two` is 0 where there is no second one.
    name : str
        Of a rename.
    """

    kind: str
    one: int
    two: int = 0
    name: str = ""

    def __str__(self) -> str:
        """As it is written on the command line."""
        if self.kind == "rename":
            return f"rename {self.one}={self.name}"
        joint = "," if self.kind == "swap" else "="
        return f"{self.kind} {self.one}{joint}{self.two}" if self.two else f"{self.kind} {self.one}"


def channel_edit(kind: str, one: int, two: int = 0) -> ChannelEdit:
    """A checked edit of the numbers of channels.

    Raises
    ------
    LayoutError
        When it makes no sense, whatever the file.
    """
    needs_two = kind in ("copy", "move", "swap")
    if kind not in CHANNEL_EDITS:
        raise LayoutError(
            f"“{kind}” is no edit of channels.", "channels", f"Give {', '.join(CHANNEL_EDITS)}."
        )
    if not 1 <= one <= MOST_CHANNELS or (needs_two and not 1 <= two <= MOST_CHANNELS):
        raise LayoutError("A channel without a number.", "channels", f"Give 1 to {MOST_CHANNELS}.")
    if needs_two and one == two:
        raise LayoutError(f"{kind} {one} to {two}.", "channels", "Give two different channels.")
    return ChannelEdit(kind, one, two if needs_two else 0)


def edit_channels(scene: Scene, edits: Sequence[ChannelEdit]) -> tuple[dict[str, bytes], list[str]]:
    """The file with its channels edited, in order.

    Parameters
    ----------
    scene : Scene
        As `read_scene` returns it.
    edits : sequence of ChannelEdit

    Returns
    -------
    files : dict
        File name to bytes, as `write_scene` returns them.
    notes : list of str
        Which meshes an edit was not made on, as they do not have the channel.

    Raises
    ------
    FileFormatError
        When no mesh has the channel, when the format has no such thing, or when a material would
        lose what it reads.
    """
    if Path(scene.name).suffix.lower() == ".obj":
        raise FileFormatError(
            f"{edits[0]}: an OBJ has one UV channel, without a name.",
            scene.name,
            "Write it as glTF to give it more.",
        )
    renamed = next((edit for edit in edits if edit.kind == "rename"), None)
    if renamed:
        raise FileFormatError(
            f"{renamed}: glTF numbers its UV channels and has no names for them.",
            scene.name,
            "Move the channel to the number that your engine reads.",
        )
    source: GltfSource = scene.source
    doc = copy.deepcopy(source.doc)
    notes: list[str] = []
    orders = _orders(scene.name, doc, edits, notes)
    _follow(scene.name, doc, orders)
    for primitive, order in orders:
        _renumber(primitive, order)
    return pack_document(scene.name, doc, list(source.buffers), source, {}), notes


Orders = list[tuple[dict[str, Any], list[int]]]
"""Primitives, with the old channel that each new one is, from 0."""


def _orders(
    name: str, doc: dict[str, Any], edits: Sequence[ChannelEdit], notes: list[str]
) -> Orders:
    out: Orders = []
    done: set[ChannelEdit] = set()
    for number, mesh in enumerate(doc.get("meshes", [])):
        missed: dict[ChannelEdit, int] = {}
        for primitive in mesh.get("primitives", []):
            order = list(range(_count(primitive)))
            for edit in edits:
                new = _edited(order, edit)
                if new is None:
                    missed[edit] = len(order)
                else:
                    order = new
                    done.add(edit)
            out.append((primitive, order))
        label = mesh.get("name") or f"mesh {number}"
        for edit, count in missed.items():
            notes.append(f"{name}: “{label}” has {count} UV channels; {edit} was not made there.")
    for edit in edits:
        if edit not in done:
            raise FileFormatError(
                f"{edit} cannot be made: no mesh has such channels.",
                name,
                "Channels count from 1; a new one can only be the next behind the last.",
            )
    return out


def _count(primitive: dict[str, Any]) -> int:
    """Channels of a primitive up to the first gap."""
    count = 0
    while count < MOST_CHANNELS and f"TEXCOORD_{count}" in primitive.get("attributes", {}):
        count += 1
    return count


def _edited(order: list[int], edit: ChannelEdit) -> list[int] | None:
    """The order after an edit; None when it has no such channels."""
    one, two, count = edit.one - 1, edit.two - 1, len(order)
    if not 0 <= one < count:
        return None
    new = list(order)
    if edit.kind == "delete":
        del new[one]
    elif edit.kind == "copy" and 0 <= two <= min(count, MOST_CHANNELS - 1) and two != one:
        new[two : two + 1] = [order[one]]
    elif edit.kind == "move" and 0 <= two < count:
        new.insert(two, new.pop(one))
    elif edit.kind == "swap" and 0 <= two < count:
        new[one], new[two] = new[two], new[one]
    else:
        return None
    return new


def _renumber(primitive: dict[str, Any], order: list[int]) -> None:
    attributes = primitive.get("attributes", {})
    held = {
        key: attributes[key]
        for key in attributes
        if not _is_channel(key, len(order), _count(primitive))
    }
    held |= {f"TEXCOORD_{new}": attributes[f"TEXCOORD_{old}"] for new, old in enumerate(order)}
    primitive["attributes"] = held


def _is_channel(key: str, new: int, old: int) -> bool:
    number = key[9:]
    return key.startswith("TEXCOORD_") and number.isdigit() and int(number) < max(new, old)


def _follow(name: str, doc: dict[str, Any], orders: Orders) -> None:
    """Let materials read the channels that they read before; one whose meshes differ becomes
    several."""
    originals = copy.deepcopy(doc.get("materials", []))
    made: dict[tuple[int, int, tuple[int, ...]], int] = {}
    used: set[int] = set()
    for primitive, order in orders:
        for holder in material_holders(primitive):
            old = holder["material"]
            had = _count(primitive)
            key = (old, had, tuple(order))
            if key not in made:
                fresh = copy.deepcopy(originals[old])
                for info in _texture_infos(fresh):
                    _point(name, fresh.get("name", f"material {old}"), info, order, had)
                # The first keeps the number.
                made[key] = len(doc["materials"]) if old in used else old
                if old in used:
                    doc["materials"].append(fresh)
                else:
                    doc["materials"][old] = fresh
                used.add(old)
            holder["material"] = made[key]


def material_holders(primitive: dict[str, Any]) -> Iterator[dict[str, Any]]:
    """Where a primitive names its materials: itself, and its variants."""
    if "material" in primitive:
        yield primitive
    variants = primitive.get("extensions", {}).get("KHR_materials_variants", {})
    for mapping in variants.get("mappings", []) if isinstance(variants, dict) else []:
        if isinstance(mapping, dict) and isinstance(mapping.get("material"), int):
            yield mapping


def _texture_infos(value: Any) -> Iterator[dict[str, Any]]:
    """All texture infos of a material, those of its extensions too."""
    if isinstance(value, dict):
        if isinstance(value.get("index"), int):
            yield value
        for inner in value.values():
            yield from _texture_infos(inner)
    elif isinstance(value, list):
        for inner in value:
            yield from _texture_infos(inner)


def _point(name: str, material: str, info: dict[str, Any], order: list[int], had: int) -> None:
    """Let a texture info name the new number of its channel, of the `had` ones before."""
    transform = info.get("extensions", {}).get("KHR_texture_transform", {})
    for holder in (info, transform):
        if holder is transform and "texCoord" not in holder:
            continue
        old = holder.get("texCoord", 0)
        if old in order:
            new = order.index(old)
        elif old < len(order) or old >= had:
            # It reads what was written over it, or it never had anything to read.
            new = old
        else:
            raise FileFormatError(
                f"The material “{material}” reads UV channel {old + 1}, which would be gone.",
                name,
                "Keep that channel, or give the material another one first.",
            )
        if new != old:
            holder["texCoord"] = new
