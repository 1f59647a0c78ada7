"""Gather: mesh files as a project, with their textures, objects and layouts in one atlas."""

from __future__ import annotations

import hashlib
import posixpath
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import PurePosixPath
from typing import IO, Any

import numpy as np
from msgspec import convert, to_builtins
from numpy.typing import NDArray

from quilt_core.document.base import base_bytes, read_base
from quilt_core.document.document import Document, Source
from quilt_core.document.islands import fresh_islands
from quilt_core.document.project import records as r
from quilt_core.document.project.file import write_project
from quilt_core.document.state import MARGIN, PADDING
from quilt_core.errors import LayoutError
from quilt_core.formats.references import referenced_files
from quilt_core.measure.density import house_for_surface, island_densities, proposed_house
from quilt_core.operations.operation import Progress, figure
from quilt_core.operations.values import SIZE, Size, read_density
from quilt_core.options import check_options, option
from quilt_core.scene.island_set import IslandSet, concatenate, object_face_areas, object_size
from quilt_core.scene.islands import UV_TOLERANCE
from quilt_core.scene.model import Scene, SceneObject
from quilt_core.scene.placement import identity
from quilt_core.scene.proportion import suggested_proportion

FIRST_ATLAS = "props A"
UNSAID = 512.0
"""House density in px per metre of a project that has no files yet; its first files propose one."""


@dataclass(frozen=True)
class Gather:
    """Settings of gathering."""

    name: str = option("Project", "what the project is called")
    density: float | None = option(
        None, "its house density, px per metre; without it the files propose one",
        read=read_density, json={"type": "number"}, shape="PX_PER_METRE",
    )  # fmt: skip
    size: Size = option((2048, 2048), "resolution of the first tile", **SIZE)
    uv_tolerance: float = option(
        UV_TOLERANCE, "largest difference of UVs that are one point", unit="tiles", low=0, high=0.01
    )

    def __post_init__(self) -> None:
        check_options(self)
        if not self.name.strip() or len(self.name) > 120:
            raise LayoutError(
                "The project has no name, or a very long one.", "name", "Give it one."
            )


@dataclass(frozen=True, eq=False)
class Gathered:
    """What came in."""

    project: Callable[[IO[bytes]], None]
    objects: int = figure("how many")
    islands: int = figure("how many, in the first UV channels")
    without_uvs: list[str] = figure("objects without UVs")
    house_density: float = figure("of the project", "px/m", 3)
    files: list[str] = figure("mesh files and what they name, by their paths in the project")
    notes: list[str] = figure("what is not there, or lies elsewhere")

    @property
    def ok(self) -> bool:
        """Whether all files that are named are there."""
        return not self.notes


@dataclass(frozen=True, eq=False)
class ReadLayout:
    """The layout that an object came with in a channel.

    Parameters
    ----------
    channel : int
        From 0.
    islands : IslandSet
    useless : bool
        Whether its UVs lie in a point, or all on one another.
    proportion : float
        Width / height of its textures: that of its largest islands.
    suggested : float, optional
        Another one that its stretch suggests.
    data : bytes
        Its arrays, as they are kept.
    """

    channel: int
    islands: IslandSet
    useless: bool
    proportion: float
    suggested: float | None
    data: bytes


def read_layouts(obj: SceneObject, scene: Scene, uv_tolerance: float) -> list[ReadLayout]:
    """Layouts of an object, one for each of its channels; one without islands where it has none."""
    from quilt_core.unwrap.useless import UVState, uv_state

    out = []
    for channel in range(max(len(obj.mesh.channels), 1)):
        base = read_base(obj, channel, scene, uv_tolerance)
        islands = base.islands
        usual, suggested = 1.0, None
        if islands.count:
            values, of = np.unique(islands.proportion, return_inverse=True)
            usual = float(values[int(np.argmax(np.bincount(of, islands.world_area)))])
            suggested = suggested_proportion(islands.triangles, base.surface.points, usual)
        useless = uv_state(obj.mesh, channel) is UVState.USELESS
        out.append(ReadLayout(channel, islands, useless, usual, suggested, base_bytes(obj, base)))
    return out


def house_density(
    layouts: Sequence[IslandSet], objects: Sequence[tuple[SceneObject, Scene]], size: Size
) -> float:
    """The house density that first files suggest, in px per metre: by their layouts, else so that their surface fills a
    tile."""
    islands = concatenate(list(layouts))
    densities = island_densities(islands, identity(islands.count), *size)
    bare = sum(
        float(np.nansum(object_face_areas(obj, scene.metres_per_unit))) for obj, scene in objects
    )
    return proposed_house(densities, islands.world_area) or house_for_surface(bare, *size) or UNSAID


def run(document: Document, settings: Gather, progress: Progress) -> Gathered:
    """Make a project of the document's mesh files."""
    made = _Project(document, settings, progress)
    return Gathered(
        made.write, len(made.objects), len(made.islands), made.bare, made.house,
        [source["name"] for source in made.sources], made.notes,
    )  # fmt: skip


class _Project:
    """Records and files of a new project."""

    def __init__(self, document: Document, settings: Gather, progress: Progress) -> None:
        self.sources: list[dict[str, Any]] = []
        self.objects: list[dict[str, Any]] = []
        self.bases: list[dict[str, Any]] = []
        self.members: list[dict[str, Any]] = []
        self.notes: list[str] = []
        self.bare: list[str] = []
        self._files: dict[str, bytes] = {}
        self._places: dict[str, str] = {}
        self._settings, self._now = settings, datetime.now(UTC)
        firsts: list[IslandSet] = []
        shown: list[tuple[SceneObject, Scene]] = []
        rows = list(document.sources.values())
        root = posixpath.commonpath([posixpath.dirname(row.path_in_group) or "." for row in rows])
        for k, row in enumerate(rows):
            progress.report(k / len(rows), f"reading {row.name}")
            progress.check()
            scene, place = row.scene(), posixpath.relpath(row.path_in_group, root)
            number = self._keep(place, row.data, scene)
            self._keep_named(row, place)
            for at, obj in enumerate(scene.objects):
                layouts = read_layouts(obj, scene, settings.uv_tolerance)
                firsts.append(layouts[0].islands)
                shown.append((obj, scene))
                self._object(number, at, obj, layouts)
        self.house = settings.density or house_density(firsts, shown, settings.size)
        count = sum(member["islands"] for member in self.members)
        self.islands: NDArray[Any] = fresh_islands(count)

    def _keep(self, place: str, data: bytes, scene: Scene | None) -> int:
        key = hashlib.sha256(data).hexdigest()
        self._files[key], self._places[place] = data, key
        facts: dict[str, Any] = {"unit": 1.0, "warnings": []}
        if scene is not None:
            facts = {"unit": scene.metres_per_unit, "warnings": list(scene.warnings)}
        self.sources.append({
            "name": place, "sha256": key, "size": len(data), "mesh": scene is not None, "group": 0, "gathered": 1,
            "uv_tolerance": self._settings.uv_tolerance, **facts,
        })  # fmt: skip
        return len(self.sources) - 1

    def _keep_named(self, source: Source, place: str) -> None:
        """Files that a mesh names, where they lie beside or below the files that came in."""
        folder = PurePosixPath(place).parent.as_posix()
        for name, data in referenced_files(place, source.data, source.siblings()).items():
            path = posixpath.normpath(posixpath.join(folder, name))
            if data is None:
                self.notes.append(f"{source.name}: it names “{name}”, which is not there.")
            elif path.startswith("../") or path.startswith("/"):
                self.notes.append(f"{source.name}: “{name}” lies elsewhere, and was left there.")
            elif path not in self._places:
                self._keep(path, data, None)

    def _object(
        self, source: int, number: int, obj: SceneObject, layouts: Sequence[ReadLayout]
    ) -> None:
        self.objects.append({
            "source": source, "number": number, "name": obj.name, "parent": obj.instances[0].parent,
            "instances": [{"name": i.name, "matrix": i.matrix.tolist()} for i in obj.instances],
            "channels": [c.name or "" for c in obj.mesh.channels if (c.corner_uv >= 0).any()],
            "faces": obj.mesh.face_count,
            "size": object_size(obj, self.sources[source]["unit"]).tolist(),
        })  # fmt: skip
        first = len(self.bases)
        for one in layouts:
            key = hashlib.sha256(one.data).hexdigest()
            self._files[key] = one.data
            self.bases.append({
                "object": len(self.objects) - 1, "channel": one.channel, "arrays": key, "islands": one.islands.count,
                "unflattened": one.islands.unflattened[0], "useless": one.useless, "proportion": one.proportion,
                "suggested": one.suggested,
            })  # fmt: skip
        count = layouts[0].islands.count
        self.members.append({"object": len(self.objects) - 1, "base": first, "islands": count})
        if not count:
            self.bare.append(obj.name)

    def record(self) -> r.Project:
        """As a project file has it."""
        width, height = self._settings.size
        tile = {"number": 1001, "width": width, "height": height, "label": FIRST_ATLAS}
        same = {"atlas": 0, "whole": True, "name": FIRST_ATLAS, "tiles": [tile], "padding": PADDING, "margin": MARGIN}  # fmt: skip
        settings = {
            "name": self._settings.name.strip(), "house_density": self.house, "tolerance": 0.05,
            "uv_tolerance": self._settings.uv_tolerance, "rules": {},
        }  # fmt: skip
        meshes = [source["name"] for source in self.sources if source["mesh"]]
        what = meshes[0] if len(meshes) == 1 else f"{len(meshes)} files"
        step = {"settings": settings, "author": r.AUTHOR, "made": self._now}
        return convert({
            "head": 1, "sources": self.sources, "objects": self.objects, "bases": self.bases, "atlases": [{"state": 1}],
            "states": [
                {**same, "members": [], "verb": "begin", "made": self._now},
                {**same, "parent": 0, "members": self.members, "verb": "gather", "params": {"files": meshes}, "made": self._now},
            ],
            "changes": [
                {**step, "verb": "begin", "atlases": [(0, 0)], "touched": []},
                {**step, "parent": 0, "verb": "gather", "what": what[:200], "atlases": [(0, 1)], "touched": [to_builtins(r.Touched(atlas=0, what="added"))]},
            ],
        }, r.Project)  # fmt: skip

    def write(self, target: IO[bytes]) -> None:
        """Write the project file."""
        rows = [self.islands[:0], self.islands]
        write_project(target, self.record(), rows.__getitem__, self._files.__getitem__, self._now)


def tell(result: Gathered) -> list[str]:
    """The result in words."""
    bare = f", {len(result.without_uvs)} without UVs" if result.without_uvs else ""
    return [
        f"{result.objects} objects{bare}, {result.islands} islands, house density {result.house_density:g} px/m",
        *(f"note: {note}" for note in result.notes),
    ]
