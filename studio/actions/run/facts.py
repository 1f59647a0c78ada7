"""What a line of the run sheet depends on, and what has changed since it was done."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any

import numpy as np
from django.db.models import QuerySet, prefetch_related_objects

from quilt_core.document.state import State, spans
from quilt_core.run.fingerprint import code_version
from quilt_core.run.reasons import shortened, step_reasons
from studio.actions.carry_over.list_materials import given_mark
from studio.actions.history.change import STATES
from studio.actions.prove.rules import rules_of
from studio.arrays import bases_of
from studio.models import Atlas, BaseLayout, RunLine
from studio.state import read_state

CURRENT, STALE, FAILED, HELD = "current", "out of date", "failed", "held"


def facts_of(atlas: Atlas) -> dict[str, Any]:
    """Contents that work on an atlas depends on, apart so that a change can be told in words."""
    return facts_of_all([atlas])[atlas.pk]


def facts_of_all(atlases: Iterable[Atlas]) -> dict[int, dict[str, Any]]:
    """The same of many by their ids, in a few questions to the database; of those that are not deleted."""
    states = {atlas: read_state(atlas.head) for atlas in atlases if atlas.head is not None}
    bases = bases_of([row for state in states.values() for row in state.members])
    prefetch_related_objects(list(bases.values()), "object__source__given")
    return {atlas.pk: _facts(atlas, state, bases) for atlas, state in states.items()}


def _facts(atlas: Atlas, state: State, bases: Mapping[int, BaseLayout]) -> dict[str, Any]:
    assert atlas.head is not None
    objects: dict[str, Any] = {}
    for k, (row, span) in enumerate(zip(state.members, spans(state.members), strict=True)):
        base = bases[row.base]
        obj = base.object
        name = obj.name if obj.name not in objects else f"{obj.name} ({k + 1})"
        objects[name] = {
            "layout": base.geometry,
            "file": obj.source.sha256,
            "pictures": given_mark(obj.source),
            "weight": row.weight,
            "controls": _mark(state.islands["control"][slice(*span)]),
            "places": _mark(
                np.round(state.islands["placement"][slice(*span)], 9),
                state.islands["unplaced"][slice(*span)],
            ),
        }
    project = atlas.project
    atlas.head.atlas = atlas
    return {
        "objects": objects,
        "tiles": [tile.row() for tile in state.tiles],
        "house density": project.house_density,
        "tolerance": project.tolerance,
        "rules": hashlib.sha256(repr(rules_of(atlas.head)).encode()).hexdigest()[:16],
        "version": code_version(),
    }


def _mark(*arrays: Any) -> str:
    out = hashlib.sha256()
    for array in arrays:
        out.update(np.ascontiguousarray(array).tobytes())
    return out.hexdigest()[:16]


WORDS = {
    "layout": "UVs or shape have changed",
    "pictures": "pictures have changed",
    "controls": "islands were told something else (locks, stacks, weights)",
}


def reasons(line: RunLine, now: Mapping[str, Any]) -> list[str]:
    """Why a line is out of date; nothing when it is current."""
    made = line.made
    if not made.get("facts"):
        return ["it was never done"]
    before = made["facts"]
    out: list[str] = []
    for name, own in now["objects"].items():
        old = before["objects"].get(name)
        if old is None:
            out.append(f"{name} is new")
            continue
        out += [f"{name}'s {words}" for key, words in WORDS.items() if own[key] != old[key]]
        if own["weight"] != old["weight"]:
            out.append(f"{name}: weight {old['weight']:g} → {own['weight']:g}")
        if own["file"] != old["file"] and own["layout"] == old["layout"]:
            out.append(f"{name}'s file has changed")
    out += [f"{name} is gone" for name in before["objects"] if name not in now["objects"]]
    moved = [
        name
        for name, own in now["objects"].items()
        if name in before["objects"] and own["places"] != before["objects"][name]["places"]
    ]
    if moved and not out:
        more = f" and {len(moved) - 1} more" if len(moved) > 1 else ""
        out.append(f"islands of {moved[0]}{more} were moved since")
    for key in ("house density", "tolerance"):
        if now[key] != before[key]:
            out.append(f"{key} {before[key]:g} → {now[key]:g}")
    if now["tiles"] != before["tiles"]:
        out.append("the tiles have changed")
    if now["rules"] != before["rules"]:
        out.append("the rules have changed")
    out += step_reasons(_told(made.get("steps", [])), _told(line.steps))
    if now["version"] != before["version"]:
        out.append("the program has changed")
    return shortened(out)


def _told(steps: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
    return [{"do": s["do"], "settings": s["settings"], "aside": {}} for s in steps]


def mark_of(facts: Mapping[str, Any], steps: Sequence[Mapping[str, Any]]) -> str:
    """Equal for equal contents and steps."""
    told = json.dumps([facts, list(steps)], sort_keys=True)
    return hashlib.sha256(told.encode()).hexdigest()[:32]


def surveyed(rows: QuerySet[RunLine]) -> Iterator[tuple[RunLine, dict[str, Any]]]:
    """Lines, each with how it stands (see `survey`)."""
    lines = list(
        rows.select_related("atlas__head__keyframe", "atlas__project__head").defer(
            *(f"atlas__{name}" for name in STATES)
        )
    )
    facts = facts_of_all({line.atlas_id: line.atlas for line in lines}.values())
    for line in lines:
        yield line, survey(line, facts.get(line.atlas_id))


def survey(line: RunLine, now: Mapping[str, Any] | None) -> dict[str, Any]:
    """How a line stands: current, out of date, failed or held, and why; `now` are its atlas's facts."""
    if now is None:
        return {"state": FAILED, "because": ["its atlas was deleted"]}
    because = reasons(line, now)
    if because and line.made.get("past"):
        # Whoever goes back to an older state finds its result.
        mark = mark_of(now, line.steps)
        if any(row.get("mark") == mark for row in line.made["past"]):
            because = []
    error = line.made.get("error", "")
    if line.hold:
        return {"state": HELD, "because": because}
    if (
        error
        and json.dumps(line.made.get("tried")) == json.dumps(line.steps)
        and because == line.made.get("because")
    ):
        return {"state": FAILED, "because": [error]}
    return {"state": STALE if because else CURRENT, "because": because}
