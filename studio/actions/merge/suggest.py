"""What a plan keeps of the painted density, and which objects would be better off in another atlas."""

from __future__ import annotations

from typing import Any

import numpy as np

from quilt_core.document.state import spans
from quilt_core.scene.placement import determinants
from quilt_core.textures.materials import TexturedMaterial
from studio.arrays import Layout

BETTER = 0.98
"""Part of its painted density above which nothing is said of an object."""


def kept_densities(layout: Layout, areas: list[float], size: int) -> list[float | None]:
    """How dense each member's texels will be as a part of what they were painted with.

    Parameters
    ----------
    layout : Layout
    areas : list of float
        Texels of the old textures that each member covers.
    size : int
        Width of the new textures of the first sheet, px; the others in proportion.
    """
    scale = size / layout.tiles[0].width
    px = layout.pixels.prod(axis=1) * scale**2
    new = layout.islands.uv_area * np.abs(determinants(layout.placements)) * px
    new[layout.unplaced] = 0.0
    out: list[float | None] = []
    for area, (first, last) in zip(areas, spans(layout.state.members), strict=True):
        total = float(new[first:last].sum())
        out.append(float(np.sqrt(total / area)) if area > 0 and total > 0 else None)
    return out


def suggestions(
    members: list[tuple[int, str]], used: list[list[int]], materials: list[TexturedMaterial]
) -> list[dict[str, Any]]:
    """Objects that would become fewer materials in an atlas of their own.

    Parameters
    ----------
    members : list of (id, name)
        Objects in order.
    used : list of list of int
        Materials of each object's faces.
    materials : list of TexturedMaterial
    """
    states: dict[str, list[int]] = {}
    for k, own in enumerate(used):
        found = {materials[number].state for number in own}
        if len(found) == 1:
            states.setdefault(found.pop(), []).append(k)
    if len(states) < 2:
        return []
    largest = max(states, key=lambda state: len(states[state]))
    out = []
    for state, rows in states.items():
        if state == largest:
            continue
        title, word = _kind(materials[used[rows[0]][0]])
        if state.startswith("obj") != largest.startswith("obj"):
            title, word = "Other format", "of another format"
        names = ", ".join(members[k][1] for k in rows[:3]) + (" …" if len(rows) > 3 else "")
        out.append(
            {
                "title": title,
                "what": f"{len(rows)} {'object is' if len(rows) == 1 else 'objects are'} {word}: {names}. In an atlas of their own they become one material, and so do the others.",
                "objects": [members[k][0] for k in rows],
            }
        )
    return out


def _kind(material: TexturedMaterial) -> tuple[str, str]:
    """What tells a material's state from others: as a title, and as what its objects are."""
    if material.alpha == "BLEND":
        return "See-through", "see-through"
    if material.alpha == "MASK":
        return "Cut out", "cut out"
    if material.state.startswith("obj"):
        return "OBJ files", "of another format"
    if '"doubleSided": true' in material.state:
        return "Two-sided", "seen from both sides"
    return "Another kind", "of another kind"


def misfits(used: list[list[int]], materials: list[TexturedMaterial]) -> list[dict[str, Any]]:
    """What does not belong together, as warnings."""
    numbers = sorted({k for own in used for k in own})
    out = []
    light = [k for k in numbers if "emissive" in materials[k].bindings or any(materials[k].factors.get("emissive", ()))]  # fmt: skip
    if light and len(light) <= len(numbers) / 4:
        names = ", ".join(materials[k].name for k in light[:3])
        out.append({
            "kind": "light",
            "what": f"Only {names} {'gives' if len(light) == 1 else 'give'} off light, and all get a texture for it.",
            "fix": "Put what glows into an atlas of its own, or give that texture fewer pixels.",
        })  # fmt: skip
    near = [
        k for k in numbers if any(binding.nearest for binding in materials[k].bindings.values())
    ]
    soft = [
        k for k in numbers if any(not binding.nearest for binding in materials[k].bindings.values())
    ]
    if near and soft:
        names = ", ".join(materials[k].name for k in near[:3])
        out.append({
            "kind": "samplers",
            "what": f"{names} {'shows' if len(near) == 1 else 'show'} single texels, the others are read softly; all are read softly afterwards.",
            "fix": "Leave them out, or give them more texels.",
        })  # fmt: skip
    return out
