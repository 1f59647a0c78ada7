"""Today against a plan: materials, textures, memory and draw calls before anything is merged."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from quilt_core.textures.bakings import groups_of, plan_bakings
from quilt_core.textures.materials import BASE, CORE, TexturedMaterial
from quilt_core.textures.memory import memory_total


@dataclass(frozen=True)
class ImageFacts:
    """A texture as its header tells.

    Parameters
    ----------
    digest : str
        Equal for equal files.
    width, height, channels, bits : int
    """

    digest: str
    width: int
    height: int
    channels: int
    bits: int


def plan_merge(
    materials: Sequence[TexturedMaterial],
    used: Sequence[Sequence[int]],
    images: Mapping[tuple[int, int], ImageFacts],
    size: tuple[int, int],
    role_sizes: Mapping[str, int] | None = None,
    tiles: int = 1,
) -> dict[str, Any]:
    """What merging would change.

    Parameters
    ----------
    materials : sequence of TexturedMaterial
    used : for each object the materials of its faces
    images : mapping
        By look and number of the texture.
    size : (2,) int
        Of the new textures, px.
    role_sizes : mapping, optional
        Slot name to another width.
    tiles : int
        Sheets of that size.

    Returns
    -------
    dict
        materials, maps, texels, draw_calls and memory, each before and after; groups: names of the
        materials that become one material, with their alpha mode; roles of the new textures.
    """
    members = sorted({k for own in used for k in own})
    before = {
        facts.digest: facts
        for k in members
        for binding in materials[k].bindings.values()
        if (facts := images.get((k, binding.image))) is not None
    }
    groups = groups_of(materials, members)
    slots = [*CORE, *{s.name: s for k in members for s in materials[k].slots}.values()]
    after: dict[str, tuple[int, int, int, int]] = {}
    for slot in slots:
        if not any(plan_bakings(slot, materials, group)[0] for group in groups):
            continue
        width = (role_sizes or {}).get(slot.name, size[0])
        found = [
            facts.bits
            for k in members
            if (binding := materials[k].bindings.get(slot.name))
            and (facts := images.get((k, binding.image)))
        ]
        see_through = slot == BASE and any(materials[g[0]].alpha != "OPAQUE" for g in groups)
        shape = (width, max(1, round(width * size[1] / size[0])))
        after[slot.name] = (*shape, 4 if see_through else 3, max(found, default=16))
    rough, occlusion = after.get("metallicRoughness"), after.get("occlusion")
    if rough and occlusion and rough[:2] == occlusion[:2]:
        after["occlusionRoughnessMetallic"] = (*rough[:3], max(rough[3], occlusion[3]))
        del after["metallicRoughness"], after["occlusion"]
    group_of = {k: n for n, group in enumerate(groups) for k in group}
    sizes = [(p.width, p.height, p.channels, p.bits) for p in before.values()]
    return {
        "materials": {"before": len(members), "after": len(groups) * tiles},
        "maps": {"before": len(before), "after": len(after) * tiles},
        "texels": {
            "before": sum(w * h for w, h, _, _ in sizes),
            "after": tiles * sum(w * h for w, h, _, _ in after.values()),
        },
        "draw_calls": {
            "before": sum(len(own) for own in used),
            "after": sum(len({group_of[k] for k in own}) for own in used),
        },
        "memory": {
            "before": memory_total(sizes),
            "after": memory_total(list(after.values()) * tiles),
        },
        "groups": [
            {"alpha": materials[group[0]].alpha, "of": [materials[k].name for k in group]}
            for group in groups
        ],
        "roles": list(after),
    }
