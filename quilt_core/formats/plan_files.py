"""Today against a plan, for files with materials."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from quilt_core.formats.look_facts import looks_from
from quilt_core.textures.looks import Look
from quilt_core.textures.planner import PictureFacts, plan_merge


def plan_files(
    facts: Sequence[dict[str, Any]], size: tuple[int, int], role_sizes: dict[str, int] | None = None
) -> dict[str, Any]:
    """What merging files would change.

    Parameters
    ----------
    facts : sequence of dict
        `facts_of` each file.
    size : (2,) int
        Of the new pictures, px.
    role_sizes : dict, optional
        Slot name to another width.

    Returns
    -------
    dict
        See `plan_merge`.
    """
    looks: list[Look] = []
    pictures: dict[tuple[int, int], PictureFacts] = {}
    used: list[list[int]] = []
    for own in facts:
        first = len(looks)
        for look in looks_from(own):
            for use in look.uses.values():
                pictures[len(looks), use.picture] = picture_facts(own, use.picture)
            looks.append(look)
        used += [[first + k for k in row["looks"]] for row in own["objects"]]
    return plan_merge(looks, used, pictures, size, role_sizes)


def picture_facts(facts: dict[str, Any], number: int) -> PictureFacts:
    """A picture of a file by its number."""
    own = facts["pictures"][str(number)]
    return PictureFacts(own["mark"], own["width"], own["height"], own["channels"], own["bits"])
