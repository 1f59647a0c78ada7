"""Merge: one shared layout and one set of textures for painted objects."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout
from quilt_core.errors import LayoutError, QuiltError
from quilt_core.formats.channels import ChannelEdit
from quilt_core.formats.merge_settings import NAMING, check_name, check_naming
from quilt_core.operations.channels import LAST_EDITS
from quilt_core.operations.export import edited_channels
from quilt_core.operations.operation import Progress, Stopped, figure
from quilt_core.operations.values import EDGE, GAP, NUMBER_OR_WORD, read_density
from quilt_core.options import check_options, option
from quilt_core.pack.settings import EFFORTS
from quilt_core.scene.model import Siblings
from quilt_core.scene.tiles import MAX_TILE, TileSize, home_tiles, usual_gaps
from quilt_core.textures.materials import CORE
from quilt_core.textures.profile import BUILT_IN, Profile, profile_from, read_profile

PREVIEW = 512
SECONDS = 15.0
NEW, KEPT = "new", "kept"
ROLES = tuple(slot.name for slot in CORE)
FILTERS = ("bilinear", "mitchell", "lanczos")


def read_merge_density(given: Any) -> str | float:
    """keep, equal, or px per metre; raises ValueError."""
    if given in ("keep", "equal"):
        return str(given)
    try:
        return read_density(given)
    except ValueError:
        raise ValueError("Give keep, equal, or px per metre, for example 512.") from None


def read_profile_setting(given: Any) -> Profile:
    """A profile: one of those that are always there by its name, or one as a table; raises ValueError."""
    if isinstance(given, Profile):
        return given
    if isinstance(given, str) and given in BUILT_IN:
        return BUILT_IN[given]
    if isinstance(given, Mapping):
        try:
            profile = profile_from(given, "profile")
            check_naming(profile.naming)
        except QuiltError as error:
            raise ValueError(f"{error.what} {error.fix}") from None
        return profile
    raise ValueError(f"Give a TOML file, or one of {', '.join(BUILT_IN)}.")


@dataclass(frozen=True)
class Merge:
    """Settings of merging."""

    layout: str | None = option(
        None, "lay islands out anew, or keep the layout that they have; without it new for files, kept for a layout that was arranged",
        choices=(NEW, KEPT),
    )  # fmt: skip
    density: str | float = option(
        "keep",
        "of a new layout: each island its painted texels, all smaller where they must (keep), even in the world (equal), or px per metre",
        read=read_merge_density, json=NUMBER_OR_WORD, shape="keep|equal|PX_PER_METRE",
    )  # fmt: skip
    padding: float | None = option(None, **GAP)
    margin: float | None = option(None, **EDGE)
    most_tiles: int = option(
        1,
        "tiles that a new layout may take, each like the first; unused ones are left out",
        low=1,
        high=100,
    )
    effort: str = option("standard", "how long to search for a new layout", choices=EFFORTS)
    seed: int = option(1, "other seeds, other layouts", low=0, high=2**31 - 1)
    width: int | None = option(
        None,
        "of the textures of the first tile, the others in proportion; without it that of the tile",
        unit="px",
        low=16,
        high=MAX_TILE,
    )
    roles: dict[str, int] = option(
        {},
        "another width for a role, such as normal",
        unit="px",
        low=16,
        high=MAX_TILE,
        shape="ROLE=PX",
    )
    filter: str = option(
        "bilinear", "for what is enlarged; what gets smaller is averaged", choices=FILTERS
    )
    keep_channel: bool = option(False, "the shared layout goes to a free UV channel")
    name: str = option("atlas", "of materials and textures")
    naming: str = option(
        NAMING, "names of textures, with {name}, {role} and {tile}", shape="PATTERN"
    )
    format: str = option(
        "png", "of colours and emission; all else is PNG", choices=("png", "jpeg", "webp")
    )
    bits: int = option(
        0, "of each channel; 0 for as many as the old textures have", choices=(0, 8, 16)
    )
    profile: Profile | None = option(
        None, f"further textures as an engine wants them: a TOML file, or one of {', '.join(BUILT_IN)}",
        read=read_profile_setting, show=Profile.to_json, shape="FILE", names="file", load=read_profile, json={"oneOf": [{"type": "object", "additionalProperties": True}, {"type": "string"}]},
    )  # fmt: skip
    embed: bool = option(False, "textures inside the files, not beside them")
    joint: bool = option(False, "all files in one GLB, too")
    most_repeats: float | None = option(
        None,
        "objects that cover their textures more often stay out; without it all repeats are laid out",
        low=0,
        high=1e6,
    )
    edits: tuple[ChannelEdit, ...] = option((), **LAST_EDITS)
    preview: bool = option(False, f"textures of {PREVIEW} px, for a look", passing=True)

    def __post_init__(self) -> None:
        check_options(self)
        check_name(self.name)
        check_naming(self.naming)
        unknown = sorted(set(self.roles) - set(ROLES))
        if unknown:
            raise LayoutError(
                f"There is no role “{unknown[0]}”.", "roles", f"Give some of {', '.join(ROLES)}."
            )


@dataclass(frozen=True, eq=False)
class MergeResult:
    """What merging made."""

    files: dict[int, dict[str, bytes]] = field(repr=False)
    images: dict[str, bytes] = field(repr=False)
    differences: dict[str, bytes] = field(repr=False)
    joint: bytes | None = field(repr=False)
    layouts: dict[str, int]
    materials: dict[str, int] = figure("before and after")
    maps: dict[str, int] = figure("before and after")
    draw_calls: dict[str, int] = figure("before and after")
    texels: dict[str, int] = figure("before and after")
    memory: dict[str, dict[str, float]] = figure(
        "bytes before and after: raw, bc1, bc5, bc7, astc4x4, with mips", "", 0
    )
    scale: float = figure("of painted texels; 1: all of them are kept")
    coverage: float = figure("texels that islands cover / all texels")
    islands: int = figure("of a new layout")
    stacked: int = figure("islands that share texels with others, of a new layout")
    objects: list[dict[str, Any]] = figure(
        "name, kept (painted density that is left), loss (dB by role)"
    )
    groups: list[dict[str, Any]] = figure(
        "new materials: material, alpha, of (names of the old ones)"
    )
    textures: list[dict[str, Any]] = figure("name, role, tile, set, width, height, channels, bits")
    profile: list[dict[str, Any]] = figure("further textures, in the same way")
    difference: list[dict[str, Any]] = figure("of base colours, by set: median, high, most")
    missing: list[str] = figure("textures that files name and that are not there")
    notes: list[str] = figure("what else is to be known")
    seconds: dict[str, float] = figure("time of each phase", "s", 3)

    @property
    def ok(self) -> bool:
        """Whether every texture was there."""
        return not self.missing


def run(
    document: Document, settings: Merge, progress: Progress, compare: bool = False
) -> MergeResult:
    """Merge the sources of the document's atlases.

    Parameters
    ----------
    document : Document
    settings : Merge
    progress : Progress
    compare : bool
        Whether differences of base colours are drawn.

    Raises
    ------
    QuiltError
    Stopped
    """
    from quilt_core.formats.merge_files import MergedFiles, MergeSettings
    from quilt_core.formats.references import referenced_files

    def tell(done: float, what: str) -> bool:
        progress.report(done, what)
        return not progress.stop()

    known = MergeSettings(
        filter_name=settings.filter, name=settings.name, keep_channel=settings.keep_channel, embed=settings.embed,
        role_sizes={} if settings.preview else dict(settings.roles), naming=settings.naming, form=settings.format,
        bits=settings.bits, profile=None if settings.preview else settings.profile, compare=compare,
        measure=not settings.preview, joint=settings.joint and not settings.preview,
        most_repeats=settings.most_repeats, density=settings.density,
    )  # fmt: skip
    kept = settings.layout == KEPT or (settings.layout is None and document.arranged)
    merge: Callable[..., tuple[list[int], MergedFiles, dict[str, int]]] = _kept if kept else _new
    try:
        keys, done, layouts = merge(document, settings, known, tell)
    except LayoutError:
        if progress.stop():
            raise Stopped from None
        raise
    files = {key: dict(own) for key, own in zip(keys, done.files, strict=True)}
    notes = list(done.notes)
    for key in keys if settings.edits else ():
        source = document.sources[key]
        beside = {source.to_images + name: data for name, data in done.images.items()}
        files[key] |= edited_channels(source, files[key], settings.edits, notes, beside)
    missing = [
        f"{document.sources[key].name}: {name}"
        for key in keys
        for name, data in referenced_files(
            Path(document.sources[key].name).name, document.sources[key].data, document.sources[key].siblings()
        ).items()
        if data is None and Path(name).suffix.lower() not in (".mtl", ".bin")
    ]  # fmt: skip
    report = done.report
    return MergeResult(
        files=files, images=dict(done.images), differences=dict(done.differences), joint=done.joint, layouts=layouts,
        textures=report["textures"], missing=missing, notes=notes,
        **{
            name: report[name]
            for name in (
                "materials", "maps", "draw_calls", "texels", "memory", "scale", "coverage", "islands", "stacked",
                "objects", "groups", "profile", "difference", "seconds",
            )
        },
    )  # fmt: skip


def _new(
    document: Document, settings: Merge, known: Any, tell: Callable[[float, str], bool]
) -> tuple[list[int], Any, dict[str, int]]:
    """All sources with a new layout."""
    from dataclasses import replace

    from quilt_core.formats.merge_files import merge_files
    from quilt_core.pack.settings import PackSettings

    first = document.layout.tiles[0]
    width = PREVIEW if settings.preview else settings.width or first.width
    height = max(16, round(width * first.height / first.width))
    tiles = tuple(TileSize(1001 + k, width, height) for k in range(settings.most_tiles))
    padding, margin = usual_gaps(tiles, settings.padding, settings.margin)
    pack = PackSettings(
        width=width, height=height, padding=padding, margin=margin, tiles=tiles,
        effort=settings.effort, seconds=SECONDS, seed=settings.seed,  # type: ignore[arg-type]
    )  # fmt: skip
    keys = list(document.sources)
    scenes = [document.sources[key].scene() for key in keys]
    beside: list[Siblings | None] = [document.sources[key].siblings() for key in keys]
    return keys, merge_files(scenes, beside, replace(known, pack=pack), tell), {}


def _kept(
    document: Document, settings: Merge, known: Any, tell: Callable[[float, str], bool]
) -> tuple[list[int], Any, dict[str, int]]:
    """Sources of the atlases with the layouts that they have."""
    from quilt_core.formats.merge_files import carry_files
    from quilt_core.operations.laid_out import lay_out

    layouts = [layout for layout in document.layouts if layout.members]
    if not layouts:
        raise LayoutError(
            "There is no object in this atlas.",
            document.layout.state.name,
            "Bring painted files in first.",
        )
    for layout in layouts:
        _check_placed(layout)
    targets = {member.row.target for layout in layouts for member in layout.members}
    if len(targets) > 1:
        raise LayoutError(
            "The objects' layouts are written to different UV channels.", document.layout.state.name,
            "Choose one channel for all of them in Hand off.",
        )  # fmt: skip
    width = PREVIEW if settings.preview else settings.width
    laid = lay_out(document, layouts, settings.name, width)
    keys = [source.key for source in laid.sources]
    done = carry_files(
        laid.scenes, [source.siblings() for source in laid.sources], laid.uvs, known, min(targets), tell,
        [source.to_images for source in laid.sources], laid.sheets, laid.faces,
        [source.changes for source in laid.sources],
    )  # fmt: skip
    return keys, done, laid.layouts


def _check_placed(layout: Layout) -> None:
    """Refuse a layout with islands that have no texels.

    Raises
    ------
    LayoutError
    """
    aside = int(layout.unplaced.sum())
    if aside:
        raise LayoutError(
            f"{aside} {'island lies' if aside == 1 else 'islands lie'} on the side table.", layout.state.name,
            "Pack them first, so that each one has its texels.",
        )  # fmt: skip
    home = home_tiles(layout.islands, layout.placements, [tile.size for tile in layout.tiles])
    lost = int(np.sum(home < 0))
    if lost:
        raise LayoutError(
            f"{lost} {'island lies' if lost == 1 else 'islands lie'} on none of the tiles.", layout.state.name,
            "Pack them first, or move them onto a tile.",
        )  # fmt: skip


def tell(result: MergeResult) -> list[str]:
    """The result in words."""
    pair = {
        key: f"{getattr(result, key)['before']} -> {getattr(result, key)['after']}"
        for key in ("materials", "maps", "draw_calls")
    }
    memory = result.memory
    kept = "all texels kept" if result.scale == 1.0 else f"scaled by {result.scale:.3f}"
    out = [
        f"materials {pair['materials']}, maps {pair['maps']}, draw calls {pair['draw_calls']}, "
        f"memory {memory['before']['raw'] / 1e6:.1f} -> {memory['after']['raw'] / 1e6:.1f} MB",
        f"{result.islands} islands, {result.coverage:.1%} covered, {kept}",
    ]
    out += [
        f"{p['name']}: {p['width']} x {p['height']} px, {p['channels']} x {p['bits']} bit"
        for p in result.textures + result.profile
    ]
    out += [f"note: {note}" for note in result.notes]
    out += [f"missing: {name}" for name in result.missing]
    return out
