"""Make a test bake ready: which objects of some files are low poly and which high poly, and where they stand."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

import numpy as np

from quilt_core.bake.case import BakeCase, largest_object
from quilt_core.bake.colours import colours_of
from quilt_core.bake.pairs import base_name, pairs_of
from quilt_core.bake.settings import BakeSettings
from quilt_core.bake.surface import BakeSurface, surface_of
from quilt_core.errors import LayoutError
from quilt_core.scene.model import Scene, Siblings
from quilt_core.scene.types import FloatArray, IntArray

UVs = Callable[[int, int], FloatArray | None]
CAGE_ENDING = "_cage"


def make_ready(
    low: Sequence[Scene],
    high: Sequence[Scene],
    settings: BakeSettings,
    siblings: Sequence[Siblings | None] = (),
    uvs: UVs | None = None,
    cage: Scene | Sequence[Scene] | None = None,
    wanted: Callable[[str], bool] = lambda name: True,
    fine_ones: Callable[[str], bool] = lambda name: True,
    islands: Callable[[int, int], IntArray | None] | None = None,
    low_siblings: Sequence[Siblings | None] = (),
) -> BakeCase:
    """A test bake of files.

    Parameters
    ----------
    low : sequence of Scene
        Files with low poly objects. Where no fine ones are given, objects among them that are named as fine ones of
        others are; else the mesh is baked onto itself.
    high : sequence of Scene
    settings : BakeSettings
    siblings : sequence of callable
        Readers of the files beside each of the files with high poly objects, for transferred colours.
    uvs : callable, optional
        See `surface_of`.
    cage : Scene or sequence of Scene, optional
        The low poly objects once more, grown: rays begin on it. Of several scenes those objects that are called like coarse
        ones, with the cage's ending.
    wanted : callable
        Which objects are baked onto, by name.
    fine_ones : callable
        Which objects of `high` are fine ones, by name.
    islands : callable, optional
        See `surface_of`.
    low_siblings : sequence of callable
        Readers of the files beside those of `low`.

    Raises
    ------
    LayoutError
    """
    fine = list(high)
    notes: list[str] = []
    is_low = wanted
    is_high = fine_ones
    if not fine:
        names = [obj.name for scene in low for obj in scene.objects]
        partners = fine_names(names, settings)
        if partners:
            fine = list(low)
            is_high = partners.__contains__
            is_low = lambda name: wanted(name) and name not in partners
    coarse = surface_of(low, False, uvs, is_low, islands=islands)
    if not fine:
        case = BakeCase(coarse, coarse, settings, notes=notes)
    else:
        seen = surface_of(fine, True, None, is_high, smooth=settings.smooth)
        own_space = False
        if settings.by_name and _far_apart(coarse, seen, settings):
            coarse = surface_of(low, False, uvs, is_low, own_space=True, islands=islands)
            seen = surface_of(fine, False, None, is_high, own_space=True, smooth=settings.smooth)
            settings = replace(settings, together=False)
            own_space = True
            notes.append("Pairs stand apart: each is laid over its partner by their own origins.")
        seen, twin = _with_lonely(coarse, seen, settings, len(fine), notes)
        grown = _cage(cage, coarse, twin, settings, own_space)
        case = BakeCase(coarse, seen, settings, None, grown, notes, own_space, twin)
    if "colour" in settings.maps:
        gap = [None] * (len(fine) - len(siblings))
        beside = [*siblings, *gap, *low_siblings] if fine else low_siblings or siblings
        case.colours = colours_of([*fine, *low], beside, case.high)
    return case


def _with_lonely(
    low: BakeSurface, high: BakeSurface, settings: BakeSettings, scenes: int, notes: list[str]
) -> tuple[BakeSurface, IntArray]:
    """The high poly surface with low poly objects that have no fine one of their name, and for their triangles which these are
    there, -1 for others."""
    twin = np.full(low.count, -1)
    pair, theirs, _ = pairs_of(low.names, high.names, settings)
    lonely = [k for k in range(len(low.names)) if not (theirs == pair[k]).any()]
    rows = np.flatnonzero(np.isin(low.obj, lonely))
    if not len(rows) or len(lonely) == len(low.names):
        return high, twin
    own = low.part(rows)
    twin[rows] = high.count + np.arange(len(rows))
    both = BakeSurface(
        points=np.concatenate([high.points, own.points]),
        normals=np.concatenate([high.normals, own.normals]),
        uv=np.concatenate([high.uv, own.uv]),
        obj=np.concatenate([high.obj, own.obj + len(high.names)]),
        island=np.concatenate([high.island, np.full(own.count, -1)]),
        material=np.concatenate(
            [high.material, np.where(own.material >= 0, own.material + len(high.materials), -1)]
        ),
        corners=np.concatenate([high.corners, own.corners]),
        names=(*high.names, *low.names),
        materials=(*high.materials, *low.materials),
        of=(*high.of, *((scenes + scene, obj) for scene, obj in low.of)),
    )
    names = [low.names[k] for k in lonely]
    more = f" and {len(names) - 2} more" if len(names) > 3 else ""
    listed = ", ".join(names[:2] if more else names)
    notes.append(
        f"Without a high poly object of their name, so baked onto themselves: {listed}{more}."
    )
    return both, twin


def fine_names(names: Sequence[str], settings: BakeSettings) -> set[str]:
    """Names of objects that are the fine ones of others."""
    if not settings.by_name:
        return set()
    fine = {name for name in names if base_name(name, settings.high_ending) != base_name(name, "")}
    bases = {base_name(name, settings.low_ending) for name in names if name not in fine}
    return {name for name in fine if base_name(name, settings.high_ending) in bases}


def _far_apart(low: BakeSurface, high: BakeSurface, settings: BakeSettings) -> bool:
    """Whether named pairs stand so that none of their rays can meet."""
    low_pair, high_pair, _ = pairs_of(low.names, high.names, settings)
    apart = []
    for pair in np.unique(low_pair):
        ours, theirs = (
            low.points[low_pair[low.obj] == pair],
            high.points[high_pair[high.obj] == pair],
        )
        if not len(ours) or not len(theirs):
            continue
        reach = max(settings.lengths(largest_object(low)))
        a, b = ours.reshape(-1, 3), theirs.reshape(-1, 3)
        apart.append(
            bool((a.min(0) - reach > b.max(0)).any() or (b.min(0) - reach > a.max(0)).any())
        )
    return bool(apart) and all(apart)


def is_cage(name: str) -> bool:
    """Whether an object is called a cage."""
    return base_name(name, CAGE_ENDING) != base_name(name, "")


def _cage(
    given: Scene | Sequence[Scene] | None,
    coarse: BakeSurface,
    twin: IntArray,
    settings: BakeSettings,
    own_space: bool,
) -> FloatArray | None:
    """Corners of the cage, triangle by triangle of the low poly surface."""
    if given is None or settings.along != "cage":
        return None
    if isinstance(given, Scene):
        found = surface_of([given], False, None, lambda name: True, own_space=own_space)
        if not found.count:
            raise LayoutError("The cage has no face.", given.name, "Give another file.")
        return found.points
    out = coarse.points.copy()
    found = surface_of(given, False, None, is_cage, own_space=own_space)
    cages = {base_name(name, CAGE_ENDING): k for k, name in enumerate(found.names)}
    for k, name in enumerate(coarse.names):
        rows = np.flatnonzero(coarse.obj == k)
        if (twin[rows] >= 0).all():
            continue  # its rays begin where it lies
        base = base_name(name, settings.low_ending)
        if base not in cages:
            raise LayoutError(
                "There is no cage for this object.", name, f"Bring one in that is called “{base}{CAGE_ENDING}”."
            )  # fmt: skip
        mine = np.flatnonzero(found.obj == cages[base])
        if len(mine) != len(rows):
            raise LayoutError(
                f"The cage has {len(mine):,} triangles, the low poly mesh {len(rows):,}.", name,
                "Make it from the low poly mesh, face by face.",
            )  # fmt: skip
        out[rows] = found.points[mine]
    return out
