"""Today against a plan, for files with materials."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from quilt_core.formats.file_materials import materials_from
from quilt_core.textures.materials import TexturedMaterial
from quilt_core.textures.planner import ImageFacts, plan_merge


def plan_files(
    facts: Sequence[dict[str, Any]], size: tuple[int, int], role_sizes: dict[str, int] | None = None
) -> dict[str, Any]:
    """What merging files would change.

    Parameters
    ----------
    facts : sequence of dict
        `facts_of` each file.
    size : (2,) int
        Of the new textures, px.
    role_sizes : dict, optional
        Slot name to another width.

    Returns
    -------
    dict
        See `plan_merge`.
    """
    materials: list[TexturedMaterial] = []
    images: dict[tuple[int, int], ImageFacts] = {}
    used: list[list[int]] = []
    for own in facts:
        first = len(materials)
        for material in materials_from(own):
            for binding in material.bindings.values():
                images[len(materials), binding.image] = image_facts(own, binding.image)
            materials.append(material)
        used += [[first + k for k in row["materials"]] for row in own["objects"]]
    return plan_merge(materials, used, images, size, role_sizes)


def image_facts(facts: dict[str, Any], number: int) -> ImageFacts:
    """A texture of a file by its number."""
    own = facts["textures"][str(number)]
    return ImageFacts(own["digest"], own["width"], own["height"], own["channels"], own["bits"])
