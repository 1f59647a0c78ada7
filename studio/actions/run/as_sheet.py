"""The run sheet of a project as a file for the command line: the same steps, and what the layouts of the project say besides."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping
from typing import Any

import numpy as np

from quilt_core.operations.even_out import HOUSE
from quilt_core.operations.files import FLAG_SETTINGS
from quilt_core.operations.operation import Operation
from quilt_core.operations.pack import KEEP
from quilt_core.operations.registry import operation
from quilt_core.pack.controls import FLAGS
from studio.arrays import Layout, load_layout
from studio.models import Project

Step = dict[str, Any]


def as_toml(project: Project) -> str:
    """The lines as a file that the command line runs, with the project's files beside it in “assets”."""
    out = [
        f"# Run sheet of “{' '.join(project.name.split())}”. Put the files into “assets” beside it, and run: untold-quilt run SHEET",
        "version = 1",
    ]
    taken: set[str] = set()
    for line in project.run_lines.select_related("atlas__head__keyframe", "atlas__project__head"):
        if line.atlas.head is None:
            continue
        line.atlas.head.atlas = line.atlas
        layout = load_layout(line.atlas.head)
        names = sorted({member.file for member in layout.members})
        steps = [_step(step, layout, project) for step in line.steps if step["do"] != "export"]
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
            "steps = [", *(f"  {_table(step)}," for step in steps), "]",
        ]  # fmt: skip
    return "\n".join(out) + "\n"


def _table(step: Mapping[str, Any]) -> str:
    return f"{{ {', '.join(f'{key} = {_value(value)}' for key, value in step.items())} }}"


def _text(value: Any) -> str:
    """A value as TOML: texts, numbers and lists are written as in JSON, but for letters by number."""
    return json.dumps(value, ensure_ascii=False)


def _value(value: Any) -> str:
    return (
        _text([f"{k}={v}" for k, v in value.items()]) if isinstance(value, dict) else _text(value)
    )


def _step(step: Mapping[str, Any], layout: Layout, project: Project) -> Step:
    """A step with what files do not say: tiles, what was said about islands, distances, the house density."""
    known: Operation = operation(step["do"])
    own = {key: value for key, value in step["settings"].items() if value is not None}
    out: Step = {"do": known.name, **_tiles(layout), **own}
    if known.files.controls:
        out |= controls_as_settings(layout)
    if known.files.gaps or known.name in ("pack", "check", "report"):
        out = {"padding": layout.state.padding, "margin": layout.state.margin, **out}
        out = {"do": out.pop("do"), **out}
    house = project.house_density
    if known.name == "pack":
        out["density"] = {None: KEEP, HOUSE: house}.get(own.get("density"), own.get("density"))
    elif known.name == "even-out" and own.get("density", HOUSE) == HOUSE:
        out["density"] = house
    elif known.name == "merge":
        out.setdefault("layout", "kept")
    elif known.name == "check":
        out |= {"house_density": house, "tolerance": project.tolerance, "report": "report.html"}
    return out


def _tiles(layout: Layout) -> Step:
    """Resolution of the tiles: one size, or all tiles by number."""
    tiles = layout.tiles
    if len(tiles) == 1 and tiles[0].number == 1001:
        return {"size": f"{tiles[0].width}x{tiles[0].height}"}
    return {"tiles": [f"{tile.number}:{tile.width}x{tile.height}" for tile in tiles]}


def controls_as_settings(layout: Layout) -> Step:
    """What was said about single islands and tiles, as settings of operations on files."""
    controls, names, numbers = layout.controls, layout.object_names(), layout.numbers
    owner = layout.islands.object_index
    called = [f"{names[k]}:{n}" for k, n in zip(owner.tolist(), numbers.tolist(), strict=True)]
    out: Step = {}
    for setting, flag in FLAG_SETTINGS.items():
        marked = np.flatnonzero(controls["flags"] & FLAGS[flag])
        if len(marked):
            out[setting] = [called[i] for i in marked]
    for setting, field in (("bundle", "bundle"), ("stacks", "stack")):
        groups = np.unique(controls[field][controls[field] >= 0])
        if len(groups):
            out[setting] = [
                ",".join(called[i] for i in np.flatnonzero(controls[field] == group))
                for group in groups
            ]
    sent = np.flatnonzero(controls["tile"] > 0)
    if len(sent):
        out["send"] = {called[i]: int(controls["tile"][i]) for i in sent}
    weights = layout.weights
    heavy = np.flatnonzero(weights != 1)
    if len(heavy):
        out["weight"] = {called[i]: round(float(weights[i]), 6) for i in heavy}
    frozen = [tile.number for tile in layout.tiles if tile.frozen]
    if frozen:
        out["frozen"] = frozen
    return out
