"""The run sheet of a project as a file for the command line: steps of the application become commands with the same values."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from typing import Any

from quilt_core.flatten.options import FlattenSettings
from quilt_core.pack.problem import PACK_OPTIONS
from studio.models import Project
from studio.state import State, read_state

IN_PACK = {option.name: option for option in PACK_OPTIONS if option.name != "fixed_scale"}
IN_FLATTEN = tuple(FlattenSettings.__dataclass_fields__)
IN_BAKE = ("along", "samples", "rays", "occlusion_distance", "ids", "bits", "green_down", "mip_level", "thickness_distance", "curvature", "smooth", "together")  # fmt: skip
IN_MERGE = ("filter", "name", "naming", "effort", "seed")


def as_toml(project: Project) -> str:
    """The lines as a file that the command line runs, with the project's files beside it in “assets”."""
    out = [
        f"# Run sheet of “{' '.join(project.name.split())}”. Put the files into “assets” beside it, and run: untold-quilt run SHEET",
        "version = 1",
    ]
    taken: set[str] = set()
    for line in project.run_lines.select_related("atlas__head"):
        if line.atlas.head is None:
            continue
        state = read_state(line.atlas.head)
        names = sorted(set(
            project.mesh_objects.filter(pk__in=[row.object for row in state.members]).values_list("source__name", flat=True)
        ))  # fmt: skip
        steps = _commands(line.steps, state, project)
        if not names or not steps:
            continue
        title = re.sub(r"[^\w .,-]+", "-", line.name).strip(" .,-")[:70] or f"line {line.pk}"
        while title in taken:
            title += "-"
        taken.add(title)
        out += [
            "", "[[line]]", f"name = {_text(title)}",
            f"files = {_text(['assets/' + name for name in names])}",
            f"out = {_text('build/' + title.replace(' ', '-'))}",
            *(["hold = true"] if line.hold else []),
            "steps = [", *(f"  {{ {', '.join(f'{k} = {_text(v)}' for k, v in step.items())} }}," for step in steps), "]",
        ]  # fmt: skip
    return "\n".join(out) + "\n"


def _text(value: Any) -> str:
    """A value as TOML: texts, numbers and lists are written as in JSON, but for letters by number."""
    return json.dumps(value, ensure_ascii=False)


def _commands(
    steps: Sequence[Mapping[str, Any]], state: State, project: Project
) -> list[dict[str, Any]]:
    """Steps as commands; what only the application does is left out."""
    out: list[dict[str, Any]] = []
    even = next((step["settings"] for step in steps if step["do"] == "even out"), None)
    for step in steps:
        own = step["settings"]
        make = {
            "flatten": _flatten, "pack": _pack, "carry over": _merge, "rehearse": _bake, "prove": _check,
        }.get(step["do"])  # fmt: skip
        if make is not None:
            out.append(make(own, state, project, even))
    return out


Step = dict[str, Any]
Given = Mapping[str, Any]


def _sheets(state: State) -> Step:
    """Resolution of the sheets: one size, or all tiles by number."""
    sizes = {(tile.width, tile.height) for tile in state.tiles}
    if len(state.tiles) == 1:
        ((width, height),) = sizes
        return {"size": f"{width}x{height}"}
    tiles = [f"{tile.number}:{tile.width}x{tile.height}" for tile in state.tiles]
    return {"tiles": tiles}


def _gaps(own: Given, state: State) -> Step:
    padding, margin = own.get("padding"), own.get("margin")
    return {
        "padding": state.padding if padding is None else padding,
        "margin": state.margin if margin is None else margin,
    }


def _flatten(own: Given, state: State, project: Project, even: Given | None) -> Step:
    known = {key: own[key] for key in IN_FLATTEN if own.get(key) not in (None, False)}
    return {"do": "flatten", "which": "useless", **known}


def _pack(own: Given, state: State, project: Project, even: Given | None) -> Step:
    known = {}
    for key, option in IN_PACK.items():
        value = own.get(key)
        if value is not None and value is not False and value != option.default:
            known[key] = value
    out = {"do": "pack", **_sheets(state), **known, **_gaps(own, state), "density": "equal"}
    if own.get("width") and len(state.tiles) == 1:
        out["size"] = f"{own['width']}x{own.get('height') or own['width']}"
    if own.get("more_tiles"):
        out["more_tiles"] = True
    if own.get("fixed_scale"):
        # What was evened out before is px per metre; else everything keeps its size.
        target = (even or {}).get("target", "house")
        given = (even or {}).get("value") if target == "value" else project.house_density
        out["density"] = "keep" if even is None or not given else f"{given:g}"
    frozen = [tile.number for tile in state.tiles if tile.frozen]
    return out | ({"frozen": frozen} if frozen else {})


def _merge(own: Given, state: State, project: Project, even: Given | None) -> Step:
    first = state.tiles[0]
    width = own.get("size") or first.width
    out = {"do": "merge", "size": f"{width}x{max(1, round(width * first.height / first.width))}"}
    if len(state.tiles) > 1:
        out["tiles"] = len(state.tiles)
    known = {key: own[key] for key in IN_MERGE if own.get(key) is not None}
    out |= {**_gaps(own, state), **known}
    if own.get("form", "png") != "png":
        out["format"] = own["form"]
    if own.get("bits"):
        out["bits"] = own["bits"]
    if own.get("roles"):
        out["roles"] = [f"{role}={px}" for role, px in own["roles"].items()]
    if own.get("joint"):
        out["joint"] = f"{own.get('name', 'atlas')}.glb"
    return out


def _bake(own: Given, state: State, project: Project, even: Given | None) -> Step:
    out = {"do": "bake", "maps": ",".join(own.get("maps") or ["normal", "occlusion"])}
    first = state.tiles[0]
    scale = (own.get("size") or first.width) / first.width
    sides = [(t.number, max(16, round(t.width * scale)), max(16, round(t.height * scale))) for t in state.tiles]  # fmt: skip
    if len(sides) == 1:
        out["size"] = f"{sides[0][1]}x{sides[0][2]}"
    else:
        out |= {"tiles": [f"{number}:{width}x{height}" for number, width, height in sides]}
    if own.get("distance"):
        out["distance"] = own["distance"]
    if own.get("distances"):
        out["distance_of"] = [f"{name}={metres:g}" for name, metres in own["distances"].items()]
    return out | {key: own[key] for key in IN_BAKE if own.get(key) not in (None, False)}


def _check(own: Given, state: State, project: Project, even: Given | None) -> Step:
    band = {"house_density": project.house_density, "tolerance": project.tolerance}
    return {
        "do": "check",
        **_sheets(state),
        "padding": state.padding,
        "margin": state.margin,
        **(band if even else {}),
        "report": "proof.html",
    }
