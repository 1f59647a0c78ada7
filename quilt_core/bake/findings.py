"""What a test bake shows to be wrong: rays gone astray, seams that are seen, texels that mix."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, replace

import cv2
import numpy as np

from quilt_core.bake.bake import BACK, MISSED, OTHER, BakedTile
from quilt_core.bake.case import BakeCase
from quilt_core.bake.seams import SeamDifference
from quilt_core.check.findings import FINDING_KINDS, Finding
from quilt_core.scene.types import BoolArray

SLANT = 0.5
"""Cosine between a ray and its face below which details are skewed: 60 degrees."""
FEW_TEXELS = 0.002
"""Part of an island's texels below which rays gone astray are no finding: single ones at borders."""
MOST_SPOTS = 3
SEARCHED = 400
"""Rays for which the distance that would do is looked for."""


@dataclass(frozen=True)
class Limits:
    """What counts as a fault.

    Parameters
    ----------
    mip_level : int
        Texels must not mix down to this level.
    seam_degrees, seam_grey : float
        Largest difference on both sides of a seam, in degrees of normals and in steps of 255.
    """

    mip_level: int = 2
    seam_degrees: float = 5.0
    seam_grey: float = 16.0


def find_faults(
    case: BakeCase,
    baked: Sequence[BakedTile],
    seams: Sequence[SeamDifference],
    limits: Limits = Limits(),
) -> tuple[Finding, ...]:
    """Findings of a test bake, in the order of `FINDING_KINDS`."""
    found: list[Finding] = []
    for one in baked:
        found += _astray(case, one)
        found += _bled(case, one, limits.mip_level)
    found += _without_samples(case, baked)
    found += _seen_seams(case, seams, limits)
    order = list(FINDING_KINDS)
    return tuple(sorted(found, key=lambda f: (order.index(f.kind), -f.amount)))


def _finding(
    case: BakeCase, kind: str, island: int, amount: float, unit: str, text: str
) -> Finding:
    low = case.low
    first = int(np.flatnonzero(low.island == island)[0])
    obj = int(low.obj[first])
    start = int(low.island[(low.obj == obj) & (low.island >= 0)].min())
    return Finding(
        kind, FINDING_KINDS[kind].severity, low.names[obj], island - start + 1, amount, unit, text,
        islands=(island,), fix=FINDING_KINDS[kind].fix,
    )  # fmt: skip


def _spots(case: BakeCase, one: BakedTile, mask: BoolArray) -> tuple[tuple[float, float], ...]:
    """UVs of the middles of the largest patches of a mask."""
    count, _, stats, centres = cv2.connectedComponentsWithStats(mask.view(np.uint8), connectivity=8)
    order: list[int] = []
    if count > 1:
        order = (1 + np.argsort(-stats[1:, cv2.CC_STAT_AREA])[:MOST_SPOTS]).tolist()
    column, row = one.tile.corner
    return tuple(
        (
            column + float(centres[k][0] + 0.5) / one.tile.width,
            row + 1.0 - float(centres[k][1] + 0.5) / one.tile.height,
        )
        for k in order
    )


def _astray(case: BakeCase, one: BakedTile) -> list[Finding]:
    owner = one.texels.owner
    has = owner >= 0
    island = np.full(owner.shape, -1, np.int64)
    island[has] = case.low.island[one.triangles[owner[has]]]
    total = np.bincount(island[has & (island >= 0)].reshape(-1), minlength=1)
    out = []
    masks = {
        "missed rays": one.rays == MISSED, "back hit": one.rays == BACK, "other part": one.rays == OTHER,
        "skewed": has & (one.skew > 0) & (one.skew < SLANT),
    }  # fmt: skip
    for kind, mask in masks.items():
        mask = mask & has & (island >= 0)
        count = np.bincount(island[mask], minlength=len(total))
        for k in np.flatnonzero(count > np.maximum(FEW_TEXELS * total, 1)).tolist():
            own = mask & (island == k)
            part = count[k] / total[k]
            text = f"{count[k]:,} texels, {part:.1%} of the island"
            if kind == "missed rays":
                text += _farther(case, one, own)
            found = _finding(case, kind, k, float(count[k]), "texels", text)
            out.append(replace(found, spots=_spots(case, one, own), tile=one.tile.number))
    return out


def _farther(case: BakeCase, one: BakedTile, mask: BoolArray) -> str:
    """How far rays that met nothing would have to reach, in words."""
    triangles = one.triangles[one.texels.owner[mask]]
    picked = triangles[
        np.linspace(0, len(triangles) - 1, min(len(triangles), SEARCHED)).astype(np.int64)
    ]
    place = case.low.points[picked].mean(axis=1)
    out = case.out[picked].mean(axis=1)
    out /= np.maximum(np.linalg.norm(out, axis=1, keepdims=True), 1e-30)
    nearest = np.full(len(picked), np.inf)
    for pair in np.unique(case.pair_of_low[picked]):
        rows = case.pair_of_low[picked] == pair
        scene = case.scene_of(int(pair))[0]
        for way in (1.0, -1.0):
            hits = scene.hit(place[rows], way * out[rows], np.inf)
            nearest[rows] = np.minimum(nearest[rows], hits.distance)
    known = nearest[np.isfinite(nearest)]
    if len(known) < 0.5 * len(picked):
        return "; there is nothing to meet, whatever the ray distance"
    return f"; {1.1 * np.percentile(known, 98):.3g} m would do"


def _bled(case: BakeCase, one: BakedTile, deepest: int) -> list[Finding]:
    """Islands whose texels mix with others' at some mip level that must be clean."""
    owner = one.texels.owner
    has = owner >= 0
    if not has.any():
        return []
    island = np.full(owner.shape, -1, np.int64)
    island[has] = case.low.island[one.triangles[owner[has]]]
    spread = island.reshape(-1)[one.texels.source]
    first: dict[int, tuple[int, BoolArray]] = {}
    for level in range(1, deepest + 1):
        side = 2**level
        rows, width = (n // side * side for n in owner.shape)
        if not rows or not width:
            break
        blocks = spread[:rows, :width].reshape(rows // side, side, width // side, side)
        mixes = blocks.max(axis=(1, 3)) != blocks.min(axis=(1, 3))
        own = island[:rows, :width].reshape(rows // side, side, width // side, side)
        # A texel of this level is read by the islands that lie in it: the first and the last of them.
        last = own.max(axis=(1, 3))
        lowest = np.where(own >= 0, own, np.iinfo(np.int64).max).min(axis=(1, 3))
        reads = mixes & (last >= 0)
        for k in np.unique(np.concatenate([last[reads], lowest[reads]])).tolist():
            if k not in first:
                first[k] = level, reads & ((last == k) | (lowest == k))
    out = []
    for k, (level, where) in sorted(first.items()):
        size = max(owner.shape) >> level
        large = np.repeat(np.repeat(where, 2**level, axis=0), 2**level, axis=1)
        mask = np.zeros(owner.shape, bool)
        mask[: large.shape[0], : large.shape[1]] = large
        found = _finding(
            case, "bled", k, float(where.sum()), "texels", f"From mip level {level} ({size} px) on"
        )
        out.append(replace(found, spots=_spots(case, one, mask), tile=one.tile.number))
    return out


def _without_samples(case: BakeCase, baked: Sequence[BakedTile]) -> list[Finding]:
    there = np.zeros(int(case.low.island.max(initial=-1)) + 1, bool)
    drawn = np.zeros_like(there)
    tile = np.zeros(len(there), np.int64)
    for one in baked:
        own = case.low.island[one.triangles]
        there[own[own >= 0]] = True
        tile[own[own >= 0]] = one.tile.number
        seen = np.unique(one.texels.owner[one.texels.owner >= 0])
        islands = own[seen]
        drawn[islands[islands >= 0]] = True
    out = []
    for k in np.flatnonzero(there & ~drawn).tolist():
        uv = case.low.uv[case.low.island == k].reshape(-1, 2).mean(axis=0)
        found = _finding(case, "no samples", k, 0.0, "texels", "No texel's middle lies on it")
        out.append(replace(found, spots=((float(uv[0]), float(uv[1])),), tile=int(tile[k])))
    return out


def _seen_seams(case: BakeCase, seams: Sequence[SeamDifference], limits: Limits) -> list[Finding]:
    out = []
    for one in seams:
        unit, limit = (
            ("°", limits.seam_degrees) if one.unit == "°" else ("steps of 255", limits.seam_grey)
        )
        if one.high <= limit:
            continue
        text = f"{one.name}: {one.median:.1f} {unit} in the middle, {one.high:.1f} {unit} at 95 % of {one.length:.3g} m"
        found = _finding(case, "visible seam", one.islands[0], one.high, unit, text)
        other = _finding(case, "visible seam", one.islands[1], one.high, unit, "")
        out.append(
            replace(
                found,
                spots=one.spots,
                other_object=other.object,
                other_island=other.island,
                islands=one.islands,
            )
        )
    return out
