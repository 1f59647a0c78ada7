"""What becomes of the factors of materials, and which materials become one."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from quilt_core.textures.materials import PLAIN, Slot, TexturedMaterial


@dataclass(frozen=True, eq=False)
class Baking:
    """What becomes of a slot for one look.

    Parameters
    ----------
    factors : tuple of float
        The values of the old texture are multiplied by these (the strength of occlusion and the
        scale of normals are worked in).
    """

    factors: tuple[float, ...]


def groups_of(materials: Sequence[TexturedMaterial], used: Sequence[int]) -> list[tuple[int, ...]]:
    """Looks by what they cannot share: their state."""
    by: dict[str, list[int]] = {}
    for number in used:
        by.setdefault(materials[number].state, []).append(number)
    return [tuple(rows) for rows in by.values()]


def plan_bakings(
    slot: Slot, materials: Sequence[TexturedMaterial], members: Sequence[int]
) -> tuple[bool, dict[int, Baking], tuple[float, ...]]:
    """What becomes of a slot for materials that become one material.

    Returns
    -------
    needed : bool
        Whether a texture is needed at all.
    bakings : dict
        By look.
    factors : tuple of float
        Of the new material: the common ones where all agree, else those that change nothing.
    """
    plain = PLAIN.get(slot.name, (1.0,) if slot.kind == "normal" else (1.0,) * len(slot.channels))
    own = {k: tuple(materials[k].factors.get(slot.name, plain)) for k in members}
    textured = {k for k in members if slot.name in materials[k].bindings}
    same = len(set(own.values())) <= 1
    if slot.name in ("normal", "occlusion") or slot.kind == "normal":
        # What has no texture has no scale either.
        same = len({own[k] for k in textured}) <= 1
        common = own[next(iter(textured))] if textured and same else (1.0,)
        return bool(textured), {k: Baking((1.0,) if same else own[k]) for k in members}, common
    if same:
        ones = (1.0,) * len(plain)
        first = next(iter(own.values()), plain)
        return bool(textured), {k: Baking(ones) for k in members}, first
    if slot.name == "emissive":
        most = max(1e-9, *(value for factors in own.values() for value in factors))
        return True, {k: Baking(tuple(v / most for v in own[k])) for k in members}, (most,) * 3
    return True, {k: Baking(own[k]) for k in members}, (1.0,) * len(plain)
