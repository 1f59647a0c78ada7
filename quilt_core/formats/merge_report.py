"""Figures of a merge: before and after."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from quilt_core.formats.merge_case import Case
from quilt_core.formats.merge_settings import Sheet
from quilt_core.scene.types import FloatArray, IntArray
from quilt_core.textures.arrange import Arranged, kept_density
from quilt_core.textures.memory import memory_total
from quilt_core.textures.merge import Group, Merged
from quilt_core.textures.painted import Painted


@dataclass(frozen=True, eq=False)
class Sheets:
    """Sheets of a layout.

    Parameters
    ----------
    sheets : tuple of Sheet
    of_face : tuple of (F,) int64
        For each object the sheet that its faces lie on, -1 for those that stay as they are.
    """

    sheets: tuple[Sheet, ...]
    of_face: tuple[IntArray, ...]

    def in_unit_tiles(
        self, painted: Sequence[Painted], uvs: Sequence[FloatArray]
    ) -> tuple[FloatArray, ...]:
        """UVs (C, 2) of each object in its faces' own tiles; NaN for faces that stay."""
        corner = np.array([*(sheet.corner for sheet in self.sheets), (np.nan, np.nan)])
        return tuple(
            uv - corner[of_face[own.mesh.corner_face]]
            for own, uv, of_face in zip(painted, uvs, self.of_face, strict=True)
        )

    def px(self, own: Painted, unit: FloatArray, of_face: IntArray) -> FloatArray:
        """(C, 2) px of an object's corners from their UVs in the tiles."""
        sizes = np.array([*((s.width, s.height) for s in self.sheets), (np.nan, np.nan)])
        return np.asarray(unit * sizes[of_face[own.mesh.corner_face]])

    def parts(self, own: Painted, of_face: IntArray) -> set[tuple[int, int]]:
        """Sheets and materials of an object's faces."""
        pairs = np.unique(np.stack([of_face, own.face_materials], axis=1), axis=0)
        return {(s, k) for s, k in pairs.tolist() if s >= 0}


def merge_report(
    case: Case,
    painted: Sequence[Painted],
    arranged: Arranged,
    sheets: Sheets,
    merged: Sequence[Merged],
    groups: Sequence[Group],
    phases: Mapping[str, float],
) -> dict[str, Any]:
    """Figures of a merge; UVs of `arranged` are those in the tiles.

    Returns
    -------
    dict
        Materials, maps, draw calls, memory and texels before and after; objects with the density and
        the dB that they keep; groups, textures, and seconds by phase.
    """
    used = sorted({int(k) for own in painted for k in np.unique(own.face_materials)})
    before = {
        image.digest: image
        for k in used
        for binding in case.materials[k].bindings.values()
        if (image := case.image(k, binding.image)) is not None
    }
    sizes = [(*image.size, 4 if image.has_alpha else 3, image.depth) for image in before.values()]
    calls = sum(len(np.unique(own.face_materials)) for own in painted)
    group_of = {(g.sheet, k): n for n, g in enumerate(groups) for k in g.materials}
    after_calls = 0
    for own, of_face in zip(painted, sheets.of_face, strict=True):
        after_calls += len({group_of[pair] for pair in sheets.parts(own, of_face)})
        after_calls += len(np.unique(own.face_materials[of_face < 0]))
    loss: dict[str, dict[int, float]] = {}
    for one in merged:
        for role, rows in one.loss.items():
            own_rows = loss.setdefault(role, {})
            for number, value in rows.items():
                own_rows[number] = min(value, own_rows.get(number, value))
    files = {name: size for one in merged for name, size in one.sizes.items()}
    area = sum(sheet.width * sheet.height for sheet in sheets.sheets)
    covered = sum(
        one.texels.covered * sheet.width * sheet.height
        for one, sheet in zip(merged, sheets.sheets, strict=True)
    )
    return {
        "materials": {"before": len(used), "after": len(groups)},
        "maps": {"before": len(before), "after": len(files)},
        "draw_calls": {"before": calls, "after": after_calls},
        "memory": {
            "before": memory_total(sizes),
            "after": memory_total(list(files.values())),
        },
        "texels": {
            "before": sum(image.size[0] * image.size[1] for image in before.values()),
            "after": sum(w * h for w, h, _, _ in files.values()),
        },
        "objects": [
            {
                "name": own.obj.name,
                "kept": kept_density(own, sheets.px(own, uv, of_face), case.materials, case.size),
                "loss": {
                    role: round(rows[number], 2) for role, rows in loss.items() if number in rows
                },
            }
            for number, (own, uv, of_face) in enumerate(
                zip(painted, arranged.uv, sheets.of_face, strict=True)
            )
        ],
        "groups": [
            {
                "material": group.title,
                "alpha": group.alpha,
                "of": [case.materials[k].name for k in group.materials],
            }
            for group in groups
        ],
        "coverage": covered / area,
        "scale": arranged.scale,
        "islands": arranged.islands,
        "stacked": arranged.stacked,
        "textures": [
            {
                "name": name,
                "role": one.roles.get(name, name),
                "tile": sheet.tile,
                "set": sheet.title,
                "width": w,
                "height": h,
                "channels": c,
                "bits": bits,
            }
            for one, sheet in zip(merged, sheets.sheets, strict=True)
            for name, (w, h, c, bits) in one.sizes.items()
        ],
        "seconds": {name: round(value, 3) for name, value in phases.items()},
    }
