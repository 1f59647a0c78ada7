"""Objects of a layout as the API tells them."""

from __future__ import annotations

from typing import Any

from quilt_core.sheet.colours import object_colour
from studio.arrays import Member, names_of


def object_rows(members: list[Member]) -> list[dict[str, Any]]:
    """Rows of `ObjectOut` with colours and island numbers."""
    rows: list[dict[str, Any]] = []
    first = 0
    names = names_of([member.object for member in members])
    for member, name in zip(members, names, strict=True):
        obj, base, row = member.object, member.base, member.row
        # An object has one colour, whichever atlas it lies in, and whatever comes and goes beside it.
        colour = object_colour(member.colour)
        rows.append(
            {
                "id": obj.pk,
                "name": name,
                "parent": obj.parent,
                "file": obj.source.name,
                "colour": colour,
                "faces": obj.faces,
                "size": obj.size,
                "unit": obj.source.metres_per_unit,
                "first_island": first,
                "islands": row.islands,
                "part": None if row.part is None else list(row.part),
                "whole": base.islands,
                "unflattened": base.unflattened if row.part is None or row.part[0] == 0 else 0,
                "base": base.pk,
                "useless": base.useless,
                "verb": base.verb,
                "copied_from": base.copied_from_id,
                "instances": len(obj.instances),
                "channels": obj.channels,
                "channel": base.channel,
                "target": row.target,
                "source": obj.source_id,
                "weight": row.weight,
                "proportion": member.proportion,
                "said": row.proportion is not None,
                "suggested": base.suggested,
            }
        )
        first += row.islands
    return rows
