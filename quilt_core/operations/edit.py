"""Edit: cut, join, straighten, project and unwrap anew what is selected of layouts."""

from __future__ import annotations

import json
from collections.abc import Mapping
from dataclasses import dataclass, field, fields, replace
from typing import Any

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout, Made
from quilt_core.document.state import spans
from quilt_core.errors import LayoutError, QuiltError
from quilt_core.operations.bases import Remade, object_of, with_bases
from quilt_core.operations.layouts import SELECTORS, Selector, select
from quilt_core.operations.lying import lying_of, remade_of
from quilt_core.operations.operation import Progress, figure
from quilt_core.operations.unwrap import UVFigures
from quilt_core.operations.values import NUMBERS, read_place
from quilt_core.options import check_options, option
from quilt_core.scene.types import IntArray
from quilt_core.unwrap.edits.names import AXES, EDIT_VERBS, SHAPES, WAYS
from quilt_core.unwrap.options import MOST_WELD

MOST_PICKED = 2_000_000
LARGEST = 2**31 - 1


def _none() -> IntArray:
    return np.empty(0, np.int64)


@dataclass(frozen=True, eq=False)
class Selection:
    """What is selected of an object.

    Parameters
    ----------
    id : int
        Of the object.
    whole : bool
        All its faces.
    faces, edges, corners : (K,) int64
        Faces; edges by the corner where each starts in its face; corners.
    """

    id: int
    whole: bool = False
    faces: IntArray = field(default_factory=_none)
    edges: IntArray = field(default_factory=_none)
    corners: IntArray = field(default_factory=_none)

    def to_plain(self) -> dict[str, Any]:
        """As JSON has it."""
        out: dict[str, Any] = {"id": self.id, "whole": self.whole}
        return out | {name: getattr(self, name).tolist() for name in ("faces", "edges", "corners")}


_MANY: dict[str, Any] = {"type": "array", "items": {"type": "integer", "minimum": 0}}
SELECTION: dict[str, Any] = {
    "type": "object",
    "required": ["id"],
    "properties": {
        "id": {"type": "integer", "minimum": 0, "description": "of the object"},
        "whole": {"type": "boolean", "description": "all its faces"},
        "faces": _MANY,
        "edges": {**_MANY, "description": "each by the corner where it starts in its face"},
        "corners": _MANY,
    },
}
"""JSON schema of a selection."""


def read_selection(given: Any) -> Selection:
    """A selection from a table, or its JSON; raises ValueError."""
    if isinstance(given, Selection):
        return given
    try:
        row = json.loads(given) if isinstance(given, str) else given
    except json.JSONDecodeError:
        raise ValueError('Give it as JSON, such as {"id": 0, "edges": [1]}.') from None
    if not isinstance(row, Mapping) or set(row) - {"id", "whole", "faces", "edges", "corners"}:
        raise ValueError("Give id, and whole, faces, edges or corners.")
    number, whole = row.get("id", -1), row.get("whole", False)
    if not _is_number(number) or not isinstance(whole, bool):
        raise ValueError("Give the number of an object as id, and true or false as whole.")
    return Selection(
        int(number), whole, *(_numbers(row, key) for key in ("faces", "edges", "corners"))
    )


def _is_number(value: Any) -> bool:
    return isinstance(value, int) and not isinstance(value, bool) and 0 <= value <= LARGEST


def _numbers(row: Mapping[str, Any], key: str) -> IntArray:
    values = row.get(key) or []
    if (
        not isinstance(values, list)
        or len(values) > MOST_PICKED
        or not all(map(_is_number, values))
    ):
        raise ValueError(f"Give a list of whole numbers from 0 as {key}.")
    return np.array(values, np.int64)


def read_triple(given: Any) -> tuple[float, float, float]:
    """Three numbers; raises ValueError."""
    return read_place(given)


def read_pair(given: Any) -> tuple[float, float]:
    """Two numbers; raises ValueError."""
    parts = given if isinstance(given, list | tuple) else str(given).split(",")
    if len(parts) != 2:
        raise ValueError("Give two numbers, for example 4,0.")
    x, y, _ = read_place([*parts, 0])
    return x, y


@dataclass(frozen=True)
class Edit:
    """Settings of an edit; each verb uses what concerns it. Lengths are px of the layout."""

    verb: str = option(help="what is done", choices=EDIT_VERBS)
    islands: tuple[Selector, ...] = option((), "islands that are edited", **SELECTORS)
    objects: tuple[Selection, ...] = option(
        (), "faces, edges and vertices of objects that are edited", read=read_selection, show=Selection.to_plain, json=SELECTION,
        shape='{"id": 0, "edges": [1]}', passing=True, kept=False,
    )  # fmt: skip
    gap: float | None = option(
        None, "way that what is cut off steps aside, or that near seams may lie apart; without it the padding",
        unit="px", low=0, high=65536,
    )  # fmt: skip
    side: float = option(
        4.0, "of a square that is larger than a tiny island", unit="px", low=0, high=65536
    )
    stretch: float = option(1.05, "largest L2 stretch of what is joined", low=1.0005, high=4)
    balance: float = option(0.5, "0 keeps angles, 1 areas", low=0, high=1)
    hold_border: bool = option(False, "the border keeps its place")
    scale: bool = option(True, "what comes over may change its size")
    keep: bool = option(True, "present borders stay seams")
    shape: str = option("plane", "of a projection", choices=SHAPES)
    axis: str = option("average", "of a projection", choices=AXES)
    direction: tuple[float, float, float] | None = option(
        None,
        "axis of a projection, in the world",
        read=read_triple,
        show=list,
        json=NUMBERS,
        shape="X,Y,Z",
    )
    way: str = option("line", "in which vertices are lined up", choices=WAYS)
    by: tuple[float, float] = option(
        (0.0, 0.0),
        "way that vertices move, right and up",
        unit="px",
        read=read_pair,
        show=list,
        json=NUMBERS,
        shape="X,Y",
    )
    weld: float = option(
        0.0,
        "vertices nearer than this part of an object's size count as one from now on",
        low=0,
        high=MOST_WELD,
    )

    def __post_init__(self) -> None:
        check_options(self)


@dataclass(frozen=True)
class EditedObject(UVFigures):
    """An object after an edit."""

    id: int = figure("its number in the document")
    object: str = figure("its name")
    note: str = figure("what was done")
    was: UVFigures = figure("figures of the UVs that it had")


@dataclass(frozen=True, eq=False)
class EditResult:
    """What an edit made."""

    document: Document
    done: str = figure("the verb")
    objects: list[EditedObject] = figure("objects that were edited")
    refused: int = figure("objects that could not be edited")
    note: str = figure("what was done, in words")

    @property
    def ok(self) -> bool:
        """It has no findings."""
        return True


Picks = dict[str, IntArray]


def run(document: Document, settings: Edit, progress: Progress) -> EditResult:
    """Edit the first atlas. Islands stay where they lie but for what is laid out anew, which comes to the side table.

    Raises
    ------
    QuiltError
        When nothing that is selected can be edited.
    Stopped
    """
    layout = document.layout
    chosen = _picked(layout, settings)
    if not chosen:
        raise LayoutError(
            "Nothing is selected.", layout.state.name, "Select islands, faces, edges or vertices."
        )
    made: dict[int, Made] = {}
    kept: dict[int, Remade] = {}
    rows: list[EditedObject] = []
    refused: list[QuiltError] = []
    for done, (k, picks) in enumerate(sorted(chosen.items())):
        progress.report(done / len(chosen), f"{settings.verb}: {layout.members[k].name}")
        progress.check()
        try:
            made[k], kept[k], row = _edited(document, layout, k, picks, settings)
        except QuiltError as problem:
            # Of several objects those are edited that can be; one alone says why not.
            refused.append(problem)
            continue
        rows.append(row)
    if not made:
        raise refused[0]
    several = len(chosen) > 1
    note = "; ".join(f"{row.object}: {row.note}" if several else row.note for row in rows)
    after = replace(document, layouts=[with_bases(document, layout, made, kept)])
    return EditResult(after, settings.verb, rows, len(refused), note)


def _picked(layout: Layout, settings: Edit) -> dict[int, Picks]:
    """Faces, edges and corners for each member (by its place) that something is selected of."""
    place = {member.row.object: k for k, member in enumerate(layout.members)}
    out: dict[int, Picks] = {}
    for row in settings.objects:
        if row.id not in place:
            raise LayoutError(
                f"There is no object {row.id} in this atlas.", "objects", "Select it again."
            )
        picks = {"faces": row.faces, "edges": row.edges, "corners": row.corners}
        if row.whole:
            picks["faces"] = np.arange(len(layout.members[place[row.id]].base_layout().face_island))
        if any(len(values) for values in picks.values()):
            out[place[row.id]] = picks
    if not settings.islands:
        return out
    islands = np.flatnonzero(select(layout, settings.islands, "islands"))
    for k, (first, last) in enumerate(spans(layout.state.members)):
        own = islands[(islands >= first) & (islands < last)] - first
        if not len(own):
            continue
        member = layout.members[k]
        of_face = member.base_layout().face_island
        faces = np.flatnonzero(np.isin(of_face, member.row.numbers[own]))
        picks = out.setdefault(k, {name: _none() for name in ("faces", "edges", "corners")})
        picks["faces"] = np.union1d(picks["faces"], faces)
    return out


def _edited(
    document: Document, layout: Layout, k: int, picks: Picks, settings: Edit
) -> tuple[Made, Remade, EditedObject]:
    """A member's new base layout, what its islands came from, and figures of it with those before."""
    from quilt_core.unwrap.edits import verbs
    from quilt_core.unwrap.edits.laid import lay_out
    from quilt_core.unwrap.object_flat import world_points
    from quilt_core.unwrap.result import flat_figures

    member = layout.members[k]
    if member.row.part is not None:
        raise LayoutError(
            f"“{member.name}” lies in several atlases, by parts.", "objects",
            "Put all its islands into one atlas first.",
        )  # fmt: skip
    weld = max(member.weld, settings.weld)
    obj = object_of(document, member, weld)
    mesh, points, tile = obj.mesh, world_points(obj), layout.tiles[0]
    lying = lying_of(layout, k, mesh.corner_face)
    tolerance = document.sources[member.source].uv_tolerance * max(tile.width, tile.height)
    laid = lay_out(mesh, lying.uv, points, tolerance, member.base_layout().face_island)
    given = {
        f.name: getattr(settings, f.name)
        for f in fields(verbs.EditOptions)
        if hasattr(settings, f.name)
    }
    given["gap"] = layout.state.padding if settings.gap is None else settings.gap
    options = verbs.EditOptions(**given, room=float(np.sqrt(tile.width * tile.height)))
    found = verbs.edit_layout(laid, settings.verb, verbs.Picks(**picks), options)
    touched = np.zeros(len(lying.uv), bool)
    if found.touched is not None:
        touched[laid.pieces.corner[found.touched].ravel()] = True
    area = np.asarray(np.bincount(laid.pieces.face, laid.pieces.area, mesh.face_count), np.float64)
    made, remade = remade_of(
        document, layout, k, lying, found.uv, found.aside, touched, area, settings.verb, weld
    )
    after = lay_out(mesh, found.uv, points, tolerance)
    now, was = (
        UVFigures(f.islands, f.seam_length, f.stretch_l2, f.stretch_p95, f.energy, f.flipped)
        for f in (flat_figures(one.work, one.known) for one in (after, laid))
    )
    told = {f.name: getattr(now, f.name) for f in fields(UVFigures)}
    return (
        made,
        remade,
        EditedObject(**told, id=member.row.object, object=member.name, note=found.note, was=was),
    )


def tell(result: EditResult) -> list[str]:
    """The result in words."""
    return [f"{row.object}: {row.note}" for row in result.objects]


def what(settings: Edit, result: EditResult) -> str:
    """What was done, in a few words."""
    names = [row.object for row in result.objects]
    title = f"“{names[0]}”" if len(names) == 1 else f"{len(names)} objects"
    return f"{title}, {result.objects[0].note}"[:200]
