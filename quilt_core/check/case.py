"""What all checks look at, and how they write down what they find."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np

from quilt_core.check.findings import FINDING_KINDS, Finding
from quilt_core.check.rules import Rules
from quilt_core.measure.figures import Figures
from quilt_core.measure.stretch import Stretch, TriangleFigures, measure_triangles, stretch_of
from quilt_core.scene.island_set import IslandSet
from quilt_core.scene.islands import triangle_areas
from quilt_core.scene.surface import Surface
from quilt_core.scene.tiles import TileSize
from quilt_core.scene.types import BoolArray, FloatArray, IntArray

MOST_LISTED = 1000
"""Findings of one kind that are listed; more are only counted."""
MOST_FACES = 12
FLAT = 1e-6
"""A triangle has no area when its height is below this part of its longest edge: the rounding of
32-bit files."""


@dataclass(eq=False)
class Case:
    """A measured layout under examination.

    Parameters
    ----------
    islands : IslandSet
        In base UVs.
    placed : IslandSet
        The same after their placements.
    surface : Surface, optional
        Without it nothing is said about stretch, shading, materials and duplicates.
    tiles : sequence of TileSize
    names : sequence of str
        Object names.
    rules : Rules
    figures : Figures
    unplaced : (I,) bool
        On the side table.
    stack : (I,) int64
    weight : (I,) float64
        Deliberate exceptions from the house density.
    transforms : (I, 2, 3) float64
        The placements.
    numbers : (I,) int64
        What each island is called: its number in its object, from 1.
    """

    islands: IslandSet
    placed: IslandSet
    surface: Surface | None
    tiles: Sequence[TileSize]
    names: Sequence[str]
    rules: Rules
    figures: Figures
    unplaced: BoolArray
    stack: IntArray
    weight: FloatArray
    transforms: FloatArray
    numbers: IntArray
    findings: list[Finding] = field(default_factory=list)
    totals: dict[str, int] = field(default_factory=dict)

    @cached_property
    def triangle_px(self) -> FloatArray:
        """(N, 3, 2) corners in px, from each island's own zero."""
        return self.placed.triangles * self.figures.pixel[self.placed.triangle_island][:, None]

    @cached_property
    def triangles(self) -> TriangleFigures | None:
        """Measures of the triangles between px and metres."""
        if self.surface is None or len(self.surface.points) != len(self.placed.triangles):
            return None
        return measure_triangles(self.triangle_px, self.surface.points)

    @cached_property
    def stretch(self) -> Stretch | None:
        """Stretch of each island."""
        if self.triangles is None:
            return None
        group = np.where(self.gone, -1, self.placed.triangle_island)
        return stretch_of(self.triangles, group, self.islands.count)

    @cached_property
    def longest_px(self) -> FloatArray:
        """(N,) longest side of each triangle in the layout, in px."""
        sides = self.triangle_px - np.roll(self.triangle_px, 1, axis=1)
        return np.asarray(np.sqrt((sides**2).sum(axis=2).max(axis=1, initial=0.0)))

    @cached_property
    def triangle_noise(self) -> FloatArray:
        """(N,) px by which the corners of each triangle may be off."""
        return np.asarray(self.figures.noise[self.placed.triangle_island])

    @cached_property
    def gone(self) -> BoolArray:
        """(N,) triangles of no area in the layout, but for rounding, that have one in space."""
        assert self.triangles is not None
        flat = 2 * np.abs(triangle_areas(self.triangle_px)) <= self.triangle_noise * self.longest_px
        return np.asarray(flat & (self.triangles.slim > FLAT))

    @cached_property
    def first_island(self) -> IntArray:
        """(O,) number of each object's first island."""
        return np.searchsorted(self.islands.object_index, np.arange(len(self.names)))

    @cached_property
    def first_face(self) -> IntArray:
        """(I,) first face of each island, by its number in the object; without a surface its number
        there."""
        if self.surface is None:
            return np.arange(self.placed.count) - self.first_island[self.islands.object_index]
        first = np.full(self.placed.count, np.iinfo(np.int64).max)
        np.minimum.at(first, self.placed.triangle_island, self.surface.triangle_face)
        return np.asarray(first - self.surface.face_start[self.islands.object_index])

    @cached_property
    def middles(self) -> FloatArray:
        """(I, 2) middles of the islands' boxes."""
        box = self.placed.bounds()
        return np.asarray(0.5 * (box[:, :2] + box[:, 2:]))

    @cached_property
    def anchors(self) -> FloatArray:
        """(I, 2) a point that surely lies on the island: the middle of its largest triangle."""
        corner = self.placed.triangles
        one, two = corner[:, 1] - corner[:, 0], corner[:, 2] - corner[:, 0]
        order = np.argsort(np.abs(one[:, 0] * two[:, 1] - one[:, 1] * two[:, 0]), kind="stable")
        largest = np.full(self.placed.count, -1)
        largest[self.placed.triangle_island[order]] = order
        out = self.middles.copy()
        out[largest >= 0] = corner[largest[largest >= 0]].mean(axis=1)
        return out

    def tile_size(self, island: int) -> int:
        """Longer edge in px of the tile an island lies in."""
        return int(self.figures.pixel[island].max())

    def tile_number(self, islands: Sequence[int]) -> int:
        """Number of the tile that the first of some islands lies in; 0 for none."""
        at = int(self.figures.tile[islands[0]]) if len(islands) else -1
        return self.tiles[at].number if at >= 0 else 0

    def where(self, island: int) -> tuple[str, int]:
        """Object and number of an island."""
        owner = int(self.islands.object_index[island])
        return self.names[owner], int(self.numbers[island])

    def wants(self, kind: str) -> bool:
        """Whether the rules ask for a kind of finding."""
        return self.rules.severity_of(kind) != "off"

    def count(self, kind: str, total: int) -> int:
        """Say how many there are; returns how many of them to list."""
        if total and self.wants(kind):
            self.totals[kind] = self.totals.get(kind, 0) + total
        return min(total, MOST_LISTED) if self.wants(kind) else 0

    def add(
        self,
        kind: str,
        islands: Sequence[int],
        amount: float,
        unit: str,
        text: str,
        spots: Iterable[Sequence[float]] | None = None,
        faces: Sequence[int] | IntArray = (),
        object_name: str = "",
        fix: str | None = None,
        other_faces: Sequence[int] | IntArray = (),
    ) -> None:
        """Write a finding down; where no spots are given, a point on each island is named."""
        where = [self.where(int(i)) for i in islands[:2]]
        name, number = where[0] if where else (object_name, 0)
        other, other_number = where[1] if len(where) > 1 else ("", 0)
        points = self.anchors[list(islands)].tolist() if spots is None else spots
        self.findings.append(
            Finding(
                kind,
                self.rules.severity_of(kind),
                name,
                number,
                float(amount),
                unit,
                text,
                other,
                other_number,
                tuple(int(i) for i in islands),
                tuple((float(p[0]), float(p[1])) for p in points),
                tuple(int(f) for f in faces[:MOST_FACES]),
                fix=FINDING_KINDS[kind].fix if fix is None else fix,
                other_faces=tuple(int(f) for f in other_faces[:MOST_FACES]),
                tile=self.tile_number(islands),
            )
        )

    def local_faces(self, triangles: IntArray) -> IntArray:
        """Numbers within their object of the faces of some triangles."""
        if self.surface is None:
            return np.empty(0, np.int64)
        faces = np.unique(self.surface.triangle_face[triangles])
        return np.asarray(faces - self.surface.face_start[self.owner_of_faces(faces)])

    def owner_of_faces(self, faces: IntArray) -> IntArray:
        """Object of each face, faces numbered through all objects."""
        assert self.surface is not None
        return np.searchsorted(self.surface.face_start, faces, side="right") - 1
