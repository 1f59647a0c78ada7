"""What a line of the run sheet depends on, and what has changed since it was done."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Iterable, Mapping, Sequence
from typing import Any

import numpy as np
from django.db.models import QuerySet, prefetch_related_objects

from quilt_core.document.state import State, spans
from quilt_core.run.fingerprint import code_version
from quilt_core.run.reasons import step_reasons
from quilt_core.run.standing import FAILED, Kept, Standing, standing
from studio.actions.check.rules import rules_of
from studio.actions.merge.list_materials import given_digest
from studio.actions.run.targets import targets
from studio.arrays import bases_of
from studio.models import Atlas, BaseLayout, RunLine
from studio.state import read_state


def facts_of_all(atlases: Iterable[Atlas]) -> dict[int, dict[str, Any]]:
    """Contents that work on atlases depends on, apart so that a change can be told in words, by their ids; of those that are not
    deleted."""
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
            "textures": given_digest(obj.source),
            "weight": row.weight,
            "controls": _digest(state.islands["control"][slice(*span)]),
            "places": _digest(
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
        "least density": project.least_density,
        "most density": project.most_density,
        "rules": hashlib.sha256(repr(rules_of(atlas.head)).encode()).hexdigest()[:16],
        "version": code_version(),
    }


def _digest(*arrays: Any) -> str:
    out = hashlib.sha256()
    for array in arrays:
        out.update(np.ascontiguousarray(array).tobytes())
    return out.hexdigest()[:16]


WORDS = {
    "layout": "UVs or shape have changed",
    "textures": "textures have changed",
    "controls": "islands were told something else (locks, stacks, weights)",
}


def joined(atlases: Sequence[Mapping[str, Any]]) -> dict[str, Any]:
    """The facts of several atlases as those of one line."""
    if len(atlases) == 1:
        return dict(atlases[0])
    objects: dict[str, Any] = {}
    for k, one in enumerate(atlases):
        for name, facts in one["objects"].items():
            objects[name if name not in objects else f"{name}, {k + 1}"] = facts
    tiles = [one["tiles"] for one in atlases]
    return {
        **atlases[0],
        "objects": objects,
        "tiles": tiles,
        "rules": [one["rules"] for one in atlases],
    }


def changes(before: Mapping[str, Any], now: Mapping[str, Any]) -> list[str]:
    """What has changed among the facts of a line, in words."""
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
    for key in ("house density", "tolerance", "least density", "most density"):
        old, new = before.get(key), now[key]
        if new != old:
            said = ["none" if value is None else f"{value:g}" for value in (old, new)]
            out.append(f"{key} {' → '.join(said)}")
    if now["tiles"] != before["tiles"]:
        out.append("the tiles have changed")
    if now["rules"] != before["rules"]:
        out.append("the rules have changed")
    return out


def reasons(line: RunLine, now: Mapping[str, Any]) -> list[str]:
    """What has changed since a line was done, in words."""
    if not line.made_from:  # it has only failed so far
        return ["it has not run yet"]
    before = line.made_from["facts"]
    out = changes(before, now) + step_reasons(_told(line.made_from["steps"]), _told(line.steps))
    return out + ["the program has changed"] * (now["version"] != before["version"])


def _told(steps: Sequence[Mapping[str, Any]]) -> list[dict[str, Any]]:
    return [{"do": s["do"], "settings": s["settings"], "aside": {}} for s in steps]


def digest_of(facts: Mapping[str, Any], steps: Sequence[Mapping[str, Any]]) -> str:
    """Equal for equal contents and steps."""
    told = json.dumps([facts, list(steps)], sort_keys=True)
    return hashlib.sha256(told.encode()).hexdigest()[:32]


def surveyed(rows: QuerySet[RunLine]) -> list[tuple[RunLine, Standing]]:
    """Lines, each with how it stands."""
    lines = list(rows.prefetch_related("results"))
    meant = targets(lines)
    facts = facts_of_all({atlas.pk: atlas for found in meant.values() for atlas in found}.values())
    return [
        (line, survey(line, [facts[a.pk] for a in meant[line.pk] if a.pk in facts]))
        for line in lines
    ]


def survey(line: RunLine, atlases: Sequence[Mapping[str, Any]]) -> Standing:
    """How a line stands: current, out of date, failed or held, and why; `atlases` are their facts."""
    if not atlases or len(atlases) < len(line.atlases.all()):
        what = (
            "an atlas of it was deleted"
            if line.atlases.all()
            else "nothing that it is about lies in an atlas"
        )
        return Standing(FAILED, [what])
    now = joined(atlases)
    kept = Kept({row.digest for row in line.results.all()}, line.tried, line.error)
    return standing(kept, digest_of(now, line.steps), lambda: reasons(line, now), hold=line.hold)
