"""Choose the UV channel that objects are laid out from, and the one that the layout is written
to."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from quilt_core.document.islands import ISLAND, fresh_islands
from quilt_core.document.state import spans
from studio.actions.errors import Refused
from studio.actions.history.change import Made
from studio.models import BaseLayout, MeshObject, Revision
from studio.state import read_state

OBJ = ".obj"


def set_channel(revision: Revision, objects: list[int], source: int, target: int) -> Made:
    """Lay objects out from channel `source`, written to channel `target`, both from 0.

    Objects that have no such channel are refused. The islands of another channel are other islands:
    they lie as the file has them, and nothing is said of them yet.
    """
    state = read_state(revision)
    chosen = [row for row in state.members if row.object in objects]
    if not chosen:
        raise Refused(
            "None of these objects is in this atlas.", revision.name, "Select some that are listed."
        )
    bases = {
        base.object_id: base
        for base in BaseLayout.objects.filter(
            object__in=[row.object for row in chosen], channel=source, parent=None
        ).select_related("object__source")
    }
    present = BaseLayout.objects.in_bulk([row.base for row in state.members])
    members, parts = [], [np.zeros(0, ISLAND)]
    for row, span in zip(state.members, spans(state.members), strict=True):
        own = state.islands[slice(*span)]
        if row.object in objects:
            base = bases.get(row.object)
            if base is None:
                raise Refused(
                    f"“{present[row.base].object.name}” has no UV channel {source + 1}.",
                    "channel",
                    "Leave it out, or choose a channel that all of them have.",
                )
            check_target(base.object, target)
            if base.pk != row.base and present[row.base].channel != source:
                if row.part is not None:
                    raise Refused(
                        f"“{base.object.name}” lies in several atlases, by parts.",
                        "channel",
                        "Put all its islands into one atlas first.",
                    )
                row = replace(row, base=base.pk, islands=base.islands)
                own = fresh_islands(base.islands)
            row = replace(row, target=target)
        members.append(row)
        parts.append(own)
    what = f"{source + 1}" if source == target else f"{source + 1}, written to {target + 1}"
    made = replace(state, members=tuple(members), islands=np.concatenate(parts))
    return Made(
        "channel", made, f"{what}: {len(chosen)} {'object' if len(chosen) == 1 else 'objects'}"
    )


def check_target(obj: MeshObject, target: int) -> None:
    """Refuse a channel that an object's file cannot have; what lies between is filled when it is written."""
    if obj.source.name.lower().endswith(OBJ) and target > 0:
        raise Refused(
            f"“{obj.name}” comes from an OBJ, which has one UV channel.",
            "channel",
            "Write it to channel 1, or bring the mesh in as GLB.",
        )
