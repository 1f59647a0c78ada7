"""Test bake: maps of high poly meshes on the layout of low poly ones, and what they show to be wrong."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import TYPE_CHECKING, Any

from quilt_core.bake.settings import ITSELF, NAMED, BakeSettings
from quilt_core.document.document import Document
from quilt_core.document.layout import Layout
from quilt_core.errors import LayoutError
from quilt_core.formats.merge_settings import NAMING, check_name, check_naming, named
from quilt_core.operations.laid_out import lay_out, scaled_tiles
from quilt_core.operations.operation import Progress, Stopped, figure
from quilt_core.operations.visibility import islands_of_faces
from quilt_core.options import option
from quilt_core.scene.tiles import MAX_TILE, TileSize

if TYPE_CHECKING:
    from quilt_core.bake.bake import BakedTile
    from quilt_core.bake.case import BakeCase

HIGH, CAGE, DISTANCE = "high", "cage", "ray_distance"
"""Names of the document's sources beside it, and purpose of its images of painted ray distances."""
LISTED = 40
Tell = Callable[[float, str], bool]
Bakes = Callable[["BakeCase", list[TileSize], Tell], tuple[list["BakedTile"], bool]]
"""Bakes tiles; the baked ones, and whether these are all."""


@dataclass(frozen=True)
class Bake(BakeSettings):
    """Settings of a test bake."""

    width: int | None = option(
        None,
        "of the maps of the first tile, the others in proportion; without it that of the tile",
        unit="px",
        low=16,
        high=MAX_TILE,
    )
    mip_level: int = option(
        2, "texels of different islands must not mix down to this level", low=0, high=14
    )
    difference: bool = option(
        False, "an image of the angles between the normal map and the high poly mesh, too"
    )
    name: str = option("bake", "what names of files begin with")
    naming: str = option(NAMING, "names of files, with {name}, {role} and {tile}", shape="PATTERN")

    def __post_init__(self) -> None:
        super().__post_init__()
        check_name(self.name)
        check_naming(self.naming)


@dataclass(frozen=True)
class BakedMap:
    """A map."""

    file: str = figure("its name")
    map: str = figure("what it is")
    tile: int = figure("number of the tile")
    width: int = figure("width", "px")
    height: int = figure("height", "px")
    bits: int = figure("of each channel")
    figures: dict[str, Any] = figure(
        "parts of the texels: covered, missed, back, other_part; of single values mean, histogram in 32 steps, black and white that "
        "are cut off; range_m, radius_m"
    )


@dataclass(frozen=True)
class SeamFigures:
    """What a map shows along seams."""

    map: str = figure("which map")
    islands: list[int] = figure("on both sides")
    median: float = figure("difference of the two sides, in the middle", "", 4)
    high: float = figure("at 95 of 100 places", "", 4)
    unit: str = figure("degrees, or steps of 255")
    length: float = figure("of the seam", "m")


@dataclass(frozen=True)
class DifferenceFigures:
    """How far the normal map of a tile is from the high poly mesh, read between its texels."""

    tile: int = figure("number of the tile")
    median: float = figure("in the middle", "°", 3)
    at_99: float = figure("at 99 of 100 texels", "°", 3)
    most: float = figure("at most", "°", 3)
    darkest: float = figure("end of the image's scale", "°", 3)


@dataclass(frozen=True, eq=False)
class BakeResult:
    """What a test bake made."""

    images: dict[str, bytes] = field(repr=False)
    case: BakeCase
    baked: list[BakedTile]
    faults: tuple[Any, ...]
    maps: list[BakedMap] = figure("each map")
    whole: bool = figure("whether all of them are done")
    pairs: list[dict[str, Any]] = figure("low and high poly objects that met, with their triangles")
    findings: list[dict[str, Any]] = figure("as check has them")
    seams: list[SeamFigures] = figure("what maps show along seams")
    difference: list[DifferenceFigures] = figure("of normal maps, where that was asked for")
    outward: float = figure("how far rays looked outward", "m")
    inward: float = figure("how far rays looked inward", "m")
    notes: list[str] = figure("what else is to be known")
    seconds: dict[str, float] = figure("time of each phase", "s", 3)

    @property
    def ok(self) -> bool:
        """Whether none of the findings is an error."""
        return not any(finding["severity"] == "error" for finding in self.findings)


def run(document: Document, settings: Bake, progress: Progress) -> BakeResult:
    """Bake the first atlas.

    Raises
    ------
    LayoutError
    Stopped
    """
    progress.report(0.0, "reading the meshes")
    began = time.monotonic()
    case = made_ready(document, settings)
    result = bake_case(case, document.layout, settings, progress)
    result.seconds["read"] = round(time.monotonic() - began - sum(result.seconds.values()), 3)
    return result


def here(case: BakeCase, tiles: list[TileSize], tell: Tell) -> tuple[list[BakedTile], bool]:
    """Bake tiles in this process."""
    from quilt_core.bake.bake import bake

    baked = list(bake(case, tiles, tell))
    return baked, all(one.whole for one in baked)


def bake_case(
    case: BakeCase, layout: Layout, settings: Bake, progress: Progress, bakes: Bakes = here
) -> BakeResult:
    """Bake what is made ready, look for faults, and encode the maps.

    Raises
    ------
    LayoutError
        When nothing lies in the tiles.
    Stopped
    """
    from quilt_core.bake.findings import Limits, find_faults
    from quilt_core.bake.report import pairs_told
    from quilt_core.bake.seams import seam_differences
    from quilt_core.check.report import finding_values

    seconds: dict[str, float] = {}
    began = time.monotonic()

    def tell(done: float, what: str) -> bool:
        progress.report(0.05 + 0.85 * done, f"baking {what}")
        return not progress.stop()

    baked, whole = bakes(case, scaled_tiles(layout, settings.width), tell)
    progress.check()
    if not baked:
        raise Stopped
    seconds["bake"] = time.monotonic() - began
    began = time.monotonic()
    progress.report(0.92, "looking for faults")
    seams = seam_differences(case, baked)
    faults = find_faults(case, baked, seams, Limits(mip_level=settings.mip_level))
    seconds["look"] = time.monotonic() - began
    began = time.monotonic()
    progress.report(0.96, "writing the maps")
    images, maps, off = _encoded(case, baked, settings)
    seconds["write"] = time.monotonic() - began
    outward, inward = case.lengths
    return BakeResult(
        images=images, case=case, baked=baked, faults=tuple(faults), maps=maps, whole=whole, pairs=pairs_told(case),
        findings=[finding_values(one) for one in faults],
        seams=[
            SeamFigures(s.name, list(s.islands), s.median, s.high, s.unit, s.length) for s in seams
        ],
        difference=off, outward=outward, inward=inward, notes=[*case.notes, *_lost(maps)], seconds=seconds,
    )  # fmt: skip


def _lost(maps: Sequence[BakedMap]) -> list[str]:
    """Levels that are lost, a line a map."""
    from quilt_core.bake.report import levels_lost

    words = {one.file: levels_lost(one.map, one.figures) for one in maps}
    return [f"{file}: {text}" for file, text in words.items() if text]


def _encoded(
    case: BakeCase, baked: Sequence[BakedTile], settings: Bake
) -> tuple[dict[str, bytes], list[BakedMap], list[DifferenceFigures]]:
    from quilt_core.bake.difference import as_colours, difference
    from quilt_core.bake.report import map_figures
    from quilt_core.bake.write import encode_map
    from quilt_core.textures.decode import encode_png

    images: dict[str, bytes] = {}
    maps, off = [], []
    for one in baked:
        number = one.tile.number if len(baked) > 1 else 0
        for name in settings.maps:
            data, ending, bits = encode_map(case, one, name)
            file = f"{named(settings.naming, settings.name, name, number)}.{ending}"
            images[file] = data
            size = (one.tile.width, one.tile.height)
            maps.append(
                BakedMap(file, name, one.tile.number, *size, bits, map_figures(case, one, name))
            )
        found = difference(case, one) if settings.difference else None
        if found is not None:
            file = f"{named(settings.naming, settings.name, 'difference', number)}.png"
            images[file] = encode_png(as_colours(found))
            off.append(
                DifferenceFigures(
                    one.tile.number, found.median, found.high, found.most, found.scale
                )
            )
    return images, maps, off


def made_ready(document: Document, settings: BakeSettings) -> BakeCase:
    """Low and high poly surfaces of the first atlas, and what rays they meet.

    Raises
    ------
    LayoutError
        When an object that is asked for has no partner, or there is no cage.
    """
    from quilt_core.bake.make_ready import fine_names, is_cage, make_ready
    from quilt_core.bake.pairs import base_name
    from quilt_core.bake.ray_distance import grey_of, painted_reach

    layout = document.layout
    if not layout.members:
        raise LayoutError(
            "There is no object in this atlas.", layout.state.name, "Bring files in first."
        )
    laid = lay_out(document, [layout], "bake")
    place = {source.key: k for k, source in enumerate(laid.sources)}
    faces = {(place[key], n): own for (key, n), own in islands_of_faces(layout).items()}
    standing = _standing(document)
    mine = {member.name for member in layout.members}
    high = list(document.beside.get(HIGH, ()))
    cages = list(document.beside.get(CAGE, ()))
    cage: Any = cages[0].scene() if cages else None
    wanted, fine = mine, set[str]()
    if not high and settings.pairs != ITSELF:
        fine = fine_names([name for _, name in standing], settings)
        bases = {base_name(name, settings.high_ending) for name in fine}
        paired = {n for n in mine - fine if base_name(n, settings.low_ending) in bases}
        if not paired and settings.pairs == NAMED:
            raise LayoutError(
                "No object of this atlas has a high poly one of its name.", layout.state.name,
                f"Call the two “lamp{settings.low_ending}” and “lamp{settings.high_ending}”, or bake objects onto themselves.",
            )  # fmt: skip
        wanted = paired if settings.pairs == NAMED else mine - fine
        fine = fine if paired else set()
        high = _sources_of(document, standing, fine)
    if settings.along == CAGE and cage is None:
        named_so = {name for _, name in standing if is_cage(name)}
        wanted = wanted - named_so
        cage = [source.scene() for source in _sources_of(document, standing, named_so)] or None
    case = make_ready(
        laid.scenes,
        [source.scene() for source in high],
        settings,
        [source.siblings() for source in high],
        lambda scene, obj: laid.uvs[scene][obj],
        cage,
        wanted.__contains__,
        fine.__contains__ if fine else lambda name: True,
        lambda scene, obj: faces.get((scene, obj)),
        [source.siblings() for source in laid.sources],
    )
    painted = {
        number: grey_of(read(), f"tile {number}")
        for (purpose, number), read in document.images.items()
        if purpose == DISTANCE
    }
    if painted:
        case.reach = painted_reach(painted)
    return case


def _standing(document: Document) -> list[tuple[int, str]]:
    """Sources and names of the objects that stand in the scene."""
    return [
        (key, obj.name)
        for key, source in document.sources.items()
        for number, obj in enumerate(source.scene().objects)
        if document.standing is None or (key, number) in document.standing
    ]


def _sources_of(
    document: Document, standing: Sequence[tuple[int, str]], names: set[str]
) -> list[Any]:
    """Sources that hold objects of some names."""
    keys = dict.fromkeys(key for key, name in standing if name in names)
    return [document.sources[key] for key in keys]


def tell(result: BakeResult) -> list[str]:
    """The result in words."""
    out = [f"{row.file}: {row.width} x {row.height} px, {row.bits} bit" for row in result.maps]
    out += [
        f"{f['severity']}: {f['kind']}, {f['object']} island {f['island']}: {f['text']}"
        for f in result.findings[:LISTED]
    ]
    out += [
        f"tile {row.tile}: off by {row.median:.3g}° in the middle, {row.at_99:.3g}° at 99 %, {row.most:.3g}° at most"
        for row in result.difference
    ]
    if not result.findings:
        out.append("nothing found to be wrong")
    out += [f"note: {note}" for note in result.notes]
    out.append("a test bake: to look at, not for production")
    return out


@dataclass(frozen=True)
class BakeFiles:
    """Files that a test bake reads."""

    high: tuple[str, ...] = option(
        (), "files with high poly meshes; without it objects named so in the same files, else each mesh itself",
        shape="FILE", names="mesh",
    )  # fmt: skip
    cage: str | None = option(
        None, "the low poly mesh once more, grown: rays begin on it", shape="FILE", names="mesh"
    )
    ray_distance: str | None = option(
        None, "painted distances: a grey image on the low poly layout, white for the whole distance, black for none; {tile} in its "
        "name stands for the number", shape="PATTERN", names="image",
    )  # fmt: skip
