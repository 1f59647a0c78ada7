"""Rehearse the bake of an atlas: maps of fine objects on its layout, and what they show to be wrong."""

from __future__ import annotations

import io
import json
import zipfile
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from studio import storage
from studio.actions.carry_over.lay_out import lay_out
from studio.actions.carry_over.list_materials import siblings_of
from studio.actions.errors import Refused
from studio.actions.gather.share_out import present_objects
from studio.actions.mend.new_bases import scene_of
from studio.actions.prove.examine import shown_findings
from studio.actions.prove.fine_mesh import differences, kept_fine
from studio.arrays import Layout, load_geometry, load_layout
from studio.models import Revision, SheetPicture
from studio.state import spans

Report = Callable[[float, str, dict[str, Any] | None], None]
ShareOut = Callable[[list[Any]], tuple[list[Any], bool] | None]
"""Bakes tiles elsewhere; the baked ones, and whether these are all. None when it is not to be shared."""
MANY_TILES, MANY_TEXELS = 4, 4_000_000
"""From so many tiles, and texels in all, a bake is shared out."""
QUICK = 256
"""px of the coarse picture that comes first."""
NAME = "rehearsal"
SHADING = "objectNormal"
"""Normals in space come along with those in tangent space: by them the model is lit on the screen."""
USUAL = 0.02
"""Part of the coarse objects' size that rays look out and in, where nothing is said."""


def rehearse(
    revision: Revision,
    params: dict[str, Any],
    report: Report,
    stop: Callable[[], str],
    share_out: ShareOut | None = None,
) -> dict[str, Any] | None:
    """Bake, look for faults, and keep pictures; None when the user wants nothing of it.

    Where there are many tiles `share_out` has them baked by several workers.

    `params`: what (pairs by name, or everything onto itself), maps, size (px of the first sheet, 0 for its own), distance
    (metres, 0 for 2 % of the objects' size), distances (object's name to metres of its own), along, samples, rays, occlusion_distance, ids, bits, green_down, mip_level.
    """
    from quilt_core.bake.bake import bake
    from quilt_core.bake.findings import Limits, find_faults
    from quilt_core.bake.report import pairs_told
    from quilt_core.bake.seams import seam_looks

    layout = load_layout(revision)
    if not layout.members:
        raise Refused("There is no object in this atlas.", revision.name, "Bring files in first.")
    report(0.0, "reading the meshes", None)
    case = _case_of(layout, params)
    width = params.get("size") or layout.tiles[0].width
    preview: dict[str, Any] = {}
    quick = min(QUICK, max(16, width // 2))
    for one in bake(case, _tiles(layout, quick), lambda done, what: not stop()):
        preview = _kept(case, layout, [one], preview, quick=True)
    if stop() == "drop":
        return None
    report(0.05, "coarse picture; finer ones follow", preview)

    def tell(done: float, what: str) -> bool:
        report(0.05 + 0.85 * done, f"baking {what}", preview)
        return not stop()

    tiles = _tiles(layout, width)
    shared = share_out(tiles) if share_out is not None and is_large(tiles) else None
    baked = list(bake(case, tiles, tell)) if shared is None else shared[0]
    if stop() == "drop" or not baked:
        return None
    report(0.92, "looking for faults", preview)
    seams = seam_looks(case, baked)
    findings = find_faults(case, baked, seams, Limits(mip_level=params.get("mip_level", 2)))
    report(0.96, "keeping the pictures", preview)
    out = _kept(case, layout, baked, {}, quick=False)
    out["difference"] = differences(case, layout, baked, out, report, stop)
    fine = "" if case.high is case.low else kept_fine(case, layout)
    return {
        "revision": revision.pk,
        "notes": case.notes,
        "whole": all(one.whole for one in baked) and (shared is None or shared[1]),
        "pairs": pairs_told(case),
        "distance": {"outward": case.settings.outward, "inward": case.settings.inward},
        "findings": shown_findings(findings),
        "seams": [
            {"map": s.name, "median": s.median, "high": s.high, "unit": s.unit, "length_m": s.length}
            for s in seams
        ],
        **out,
        "own_space": case.own_space,
        "fine": fine,
        "fine_triangles": case.high.count,
        "painted": sorted(_painted(layout)),
        "asked": list(params.get("maps") or ()),
        "file": storage.put(_zip(case, layout, baked, out, params)),
    }  # fmt: skip


def is_large(tiles: Sequence[Any]) -> bool:
    """Whether a bake is worth being shared out: each worker makes itself ready for it."""
    return len(tiles) >= MANY_TILES and sum(t.width * t.height for t in tiles) >= MANY_TEXELS


def bake_part(
    revision: Revision, params: dict[str, Any], report: Report, stop: Callable[[], str]
) -> bytes:
    """Bake some tiles, for another worker that puts them together; `params` are those of the whole, and `tiles`, the numbers
    of those that are meant."""
    from quilt_core.bake.bake import bake
    from quilt_core.bake.kept import as_bytes

    layout = load_layout(revision)
    report(0.0, "reading the meshes", None)
    case = _case_of(layout, params)
    width = params.get("size") or layout.tiles[0].width
    tiles = [tile for tile in _tiles(layout, width) if tile.number in params["tiles"]]

    def tell(done: float, what: str) -> bool:
        report(done, f"baking {what}", None)
        return not stop()

    return as_bytes(list(bake(case, tiles, tell)))


_KEPT_CASE: list[tuple[str, Any]] = []


def _case_of(layout: Layout, params: dict[str, Any]) -> Any:
    """What a bake needs, made ready; kept for the next part of the same bake."""
    painted = {tile: row.sha256 for tile, row in _painted(layout).items()}
    plain = {key: value for key, value in params.items() if key not in ("tiles", "revisions")}
    mark = json.dumps([layout.revision.pk, plain, painted], sort_keys=True)
    if not _KEPT_CASE or _KEPT_CASE[0][0] != mark:
        _KEPT_CASE[:] = [(mark, _made_ready(layout, params))]
    return _KEPT_CASE[0][1]


def forget_case() -> None:
    """Let go of what was made ready: no part of its bake is left."""
    _KEPT_CASE.clear()


def _made_ready(layout: Layout, params: dict[str, Any]) -> Any:
    from dataclasses import replace

    from quilt_core.bake.make_ready import fine_names, is_shell, make_ready
    from quilt_core.bake.pairs import base_name
    from quilt_core.bake.settings import BakeSettings

    maps = tuple(params.get("maps") or ("normal", "occlusion"))
    if "normal" in maps and SHADING not in maps:
        maps = (*maps, SHADING)
    settings = BakeSettings(
        maps=maps,
        outward=params.get("distance") or 1.0,
        inward=params.get("distance") or 1.0,
        along=params.get("along", "smooth"),
        samples=params.get("samples", 1),
        occlusion_rays=params.get("rays", 64),
        occlusion_distance=params.get("occlusion_distance", 0.0),
        distances={name: (d, d) for name, d in (params.get("distances") or {}).items()},
        ids=params.get("ids", "material"),
        # For the screen eight bits will do where the files get 32.
        bits=8 if params.get("bits") == 32 else params.get("bits", 8),
        thickness_distance=params.get("thickness_distance", 0.0),
        curvature=params.get("curvature", 0.0),
        smooth=params.get("smooth", 45.0),
        apart=not params.get("together", False),
        green_down=params.get("green_down", False),
    )
    laid = lay_out([layout], NAME, 0)
    uvs = lambda scene, obj: laid.uvs[scene][obj]
    faces = islands_of_faces(layout)
    places = {source.pk: k for k, source in enumerate(laid.sources)}
    of = {(places[pk], number): rows for (pk, number), rows in faces.items()}
    islands = lambda scene, obj: of[scene, obj]
    everyone = list(present_objects(layout.revision.atlas.project).select_related("source"))
    mine = {member.object.name for member in layout.members}
    fine = (
        fine_names([obj.name for obj in everyone], settings)
        if params.get("what") != "itself"
        else set()
    )
    bases = {base_name(name, settings.high_ending) for name in fine}
    coarse = {n for n in mine - fine if base_name(n, settings.low_ending) in bases}
    if not coarse and params.get("what") == "pairs":
        raise Refused(
            "No object of this atlas has a fine one of its name.", layout.revision.name,
            f"Call the two “lamp{settings.low_ending}” and “lamp{settings.high_ending}”, or bake objects onto themselves.",
        )  # fmt: skip
    shell: list[Any] | None = None
    if coarse:
        found = {obj.source.pk: obj.source for obj in everyone if obj.name in fine}
        scenes = [scene_of(source) for source in found.values()]
        beside = [siblings_of(source) for source in found.values()]
        bakes = coarse if params.get("what") == "pairs" else mine - fine
        if settings.along == "shell":
            shells = {n for n in (obj.name for obj in everyone) if is_shell(n)}
            bakes = bakes - shells
            shell = [
                scene_of(s)
                for s in {o.source.pk: o.source for o in everyone if o.name in shells}.values()
            ]
        wanted, high = bakes.__contains__, scenes
        chosen: Callable[[str], bool] = fine.__contains__
    else:
        wanted, high, beside = mine.__contains__, [], [siblings_of(s) for s in laid.sources]
        settings = replace(settings, match="all")
        chosen = lambda name: True
    if not params.get("distance"):
        size = _size(layout, coarse or mine)
        settings = replace(settings, outward=USUAL * size, inward=USUAL * size)
    case = make_ready(
        laid.scenes, high, settings, beside, uvs, shell, wanted, chosen, islands,
        [siblings_of(source) for source in laid.sources],
    )  # fmt: skip
    painted = _painted(layout)
    if painted:
        from quilt_core.bake.reach import grey_of, painted_reach

        case.reach = painted_reach({
            tile: grey_of(storage.get(row.sha256), row.name) for tile, row in painted.items()
        })  # fmt: skip
    return case


def _painted(layout: Layout) -> dict[int, SheetPicture]:
    """Painted distances by tile."""
    rows = SheetPicture.objects.filter(
        atlas=layout.revision.atlas_id, purpose=SheetPicture.REACH,
        tile__in=[tile.number for tile in layout.tiles],
    )  # fmt: skip
    return {row.tile: row for row in rows}


def islands_of_faces(layout: Layout) -> dict[tuple[int, int], NDArray[np.int64]]:
    """Island of each face, through the whole layout, by source and number of the object."""
    out: dict[tuple[int, int], NDArray[np.int64]] = {}
    for member, (first, _) in zip(layout.members, spans(layout.state.members), strict=True):
        data = load_geometry(member.base.geometry)
        here = np.full(int(data["face_island"].max(initial=-1)) + 2, -1)
        here[member.row.numbers] = first + np.arange(len(member.row.numbers))
        own = here[data["face_island"]]
        key = (member.object.source_id, member.object.number)
        out[key] = np.where(own >= 0, own, out[key]) if key in out else own
    return out


def _size(layout: Layout, names: set[str]) -> float:
    """Longest side of the largest of some objects, metres."""
    points = layout.surface.points
    owner = layout.islands.object_index[layout.islands.triangle_island]
    sizes = [
        float(np.ptp(points[owner == k].reshape(-1, 3), axis=0).max())
        for k, member in enumerate(layout.members)
        if member.object.name in names and (owner == k).any()
    ]
    return max(sizes, default=1.0) or 1.0


def _tiles(layout: Layout, width: int) -> list[Any]:
    """The sheets with another width of the first one, the others in proportion."""
    from dataclasses import replace

    scale = width / layout.tiles[0].width
    return [
        replace(
            tile.size,
            width=max(16, round(tile.width * scale)),
            height=max(16, round(tile.height * scale)),
        )
        for tile in layout.tiles
    ]


def _kept(
    case: Any, layout: Layout, baked: list[Any], before: dict[str, Any], quick: bool
) -> dict[str, Any]:
    """Pictures put into storage, and what they are."""
    from quilt_core.bake.report import map_figures
    from quilt_core.bake.write import encode_map

    out: dict[str, Any] = {
        "maps": list(before.get("maps", [])),
        **{k: v for k, v in before.items() if k != "maps"},
    }
    for one in baked:
        for name in case.settings.maps:
            data, ending, bits = encode_map(case, one, name)
            file = _file_name(name, one.tile.number, layout, ending)
            out[f"picture {file}"] = storage.put(data)
            row = {
                "name": file,
                "map": name,
                "tile": one.tile.number,
                "width": one.tile.width,
                "height": one.tile.height,
                "bits": bits,
            }
            out["maps"].append(row if quick else row | map_figures(case, one, name))
    return out


def _zip(
    case: Any, layout: Layout, baked: list[Any], kept: dict[str, Any], params: dict[str, Any]
) -> bytes:
    """The maps that were asked for as files; 32 bits are OpenEXR."""
    import copy
    from dataclasses import replace

    from quilt_core.bake.write import encode_map

    asked = params.get("maps") or case.settings.maps
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_STORED) as archive:
        if params.get("bits") == 32:
            deep = copy.copy(case)
            deep.settings = replace(case.settings, bits=32)
            for one in baked:
                for name in asked:
                    data, ending, _ = encode_map(deep, one, name)
                    archive.writestr(_file_name(name, one.tile.number, layout, ending), data)
        else:
            for row in kept["maps"]:
                if row["map"] in asked:
                    archive.writestr(row["name"], storage.get(kept[f"picture {row['name']}"]))
    return out.getvalue()


def _file_name(name: str, tile: int, layout: Layout, ending: str) -> str:
    return f"{NAME}_{name}{f'.{tile}' if len(layout.tiles) > 1 else ''}.{ending}"
