"""The only list of operations. Every door is made from it.

What it names is imported when it is needed, so that a list of the operations costs nothing.
"""

from __future__ import annotations

import warnings
from importlib.metadata import entry_points

from quilt_core.errors import LayoutError
from quilt_core.operations.operation import FileUse, Operation

_ALL = (
    Operation(
        name="inspect",
        help="Tell what is in files: islands, texel density, faults of the UVs.",
        settings_name="Inspect",
        result_name="Inspected",
        home="quilt_core.operations.inspect",
        example="props/*.glb --size 2048",
        files=FileUse(one_atlas=True),
        synonyms=("info", "statistics", "list"),
    ),
    Operation(
        name="gather",
        help="Make a project of mesh files, with what they name, in one project file.",
        settings_name="Gather",
        result_name="Gathered",
        home="quilt_core.operations.gather",
        changes="document",
        example='props/*.glb --name "Harbour yard" --out yard.quilt',
        files=FileUse(layouts=False, writes="project"),
        synonyms=("import", "new project", "add files"),
    ),
    Operation(
        name="update",
        help="Give newer versions of files the layout of older ones, where it still fits.",
        settings_name="Update",
        result_name="Updated",
        home="quilt_core.operations.update",
        changes="layout",
        example="new/crate.obj --layout old/crate.obj --out updated",
        files=FileUse(one_atlas=True, writes="meshes"),
        synonyms=("reimport", "bring again", "newer version", "transfer uvs"),
    ),
    Operation(
        name="unwrap",
        help="Cut objects into islands along few seams and unwrap them with little stretch.",
        settings_name="Unwrap",
        result_name="UnwrapResult",
        home="quilt_core.operations.unwrap",
        changes="layout",
        needs=("house_density",),
        example="scans/*.obj --out unwrapped --stretch 1.05",
        files=FileUse(gaps=True, packs=True, writes="meshes"),
        synonyms=("uv map", "flatten", "auto map", "uvs", "parameterize"),
    ),
    Operation(
        name="copy-layout",
        help="Give objects of equal topology the layout of one of them.",
        settings_name="CopyLayout",
        result_name="CopyResult",
        home="quilt_core.operations.copy_layout",
        pace="soon",
        changes="layout",
        needs=("house_density",),
        example="yard/*.obj --source drum_01 --out copied",
        files=FileUse(gaps=True, packs=True, writes="meshes"),
        synonyms=("transfer", "paste uvs", "look-alikes", "duplicate layout"),
    ),
    Operation(
        name="edit",
        help="Cut, join, straighten, project or unwrap anew what is selected of a layout.",
        settings_name="Edit",
        result_name="EditResult",
        home="quilt_core.operations.edit",
        pace="soon",
        changes="layout",
        needs=("house_density",),
        example='crate.obj --verb "split off" --islands crate:1 --out edited',
        files=FileUse(one_atlas=True, writes="meshes", gaps=True),
        synonyms=(
            "cut",
            "stitch",
            "sew",
            "join",
            "relax",
            "straighten",
            "weld",
            "align",
            "project",
        ),
    ),
    Operation(
        name="channels",
        help="List the UV channels of files; copy, move, swap, delete or rename them.",
        settings_name="Channels",
        result_name="ChannelsResult",
        home="quilt_core.operations.channels",
        changes="files",
        pace="moment",
        example='props/*.glb --edits "copy 1=2" --out two',
        files=FileUse(layouts=False, writes="meshes", lists=True),
        synonyms=("uv sets", "uv maps", "rename channel", "delete channel"),
    ),
    Operation(
        name="even-out",
        help="Scale islands to one texel density.",
        settings_name="EvenOut",
        result_name="EvenedOut",
        home="quilt_core.operations.even_out",
        changes="layout",
        needs=("house_density",),
        example="props/*.obj --out even --density 512",
        files=FileUse(controls=True, writes="meshes"),
        synonyms=("texel density", "equalize", "set density", "match density", "target density"),
    ),
    Operation(
        name="visibility",
        help="Look at a set from all sides: how much of each island is ever visible, and weights that follow.",
        settings_name="Visibility",
        result_name="SeenResult",
        home="quilt_core.operations.visibility",
        scene=True,
        example="scene/*.glb --views above",
        files=FileUse(),
        synonyms=("seen", "hidden faces", "look around", "occluded"),
    ),
    Operation(
        name="plan",
        help="Tell which tiles reach a density, what they cost in memory, and what merging would save.",
        settings_name="Plan",
        result_name="Planned",
        home="quilt_core.operations.plan",
        example="props/*.obj --density 512",
        files=FileUse(one_atlas=True),
        synonyms=("budget", "memory", "how many maps"),
    ),
    Operation(
        name="pack",
        help="Pack islands into tiles, with a gap in px between them and to the edge.",
        settings_name="Pack",
        result_name="Packed",
        home="quilt_core.operations.pack",
        changes="layout",
        example="props/*.obj --out packed --size 2048 --padding 8",
        files=FileUse(controls=True, writes="meshes", more_name="PackFiles", also_name="also"),
        synonyms=("lay out", "arrange", "nest", "atlas"),
    ),
    Operation(
        name="move",
        help="Move, turn, scale or flip islands by numbers.",
        settings_name="Move",
        result_name="Moved",
        home="quilt_core.operations.move",
        changes="layout",
        pace="moment",
        example='crate.obj --islands crate:1 --moves "1,0,0.25,0,1,0" --out moved',
        files=FileUse(one_atlas=True, gaps=True, writes="meshes"),
        synonyms=("place", "rotate", "scale", "flip", "offset", "side table"),
    ),
    Operation(
        name="slide-to-contact",
        help="Slide islands in a direction until they touch others at the padding.",
        settings_name="Slide",
        result_name="Moved",
        home="quilt_core.operations.slide",
        changes="layout",
        pace="moment",
        relies=("tiles", "islands"),
        example="crate.obj --islands crate:1 --direction left --out moved",
        files=FileUse(one_atlas=True, gaps=True, writes="meshes"),
        synonyms=("settle", "nudge until contact", "push against", "snap to neighbour"),
    ),
    Operation(
        name="make-room",
        help="Let the neighbours of islands step aside, just enough for the padding.",
        settings_name="MakeRoom",
        result_name="RoomMade",
        home="quilt_core.operations.make_room",
        changes="layout",
        pace="moment",
        relies=("tiles", "islands"),
        example="crate.obj --islands crate:1 --out moved",
        files=FileUse(one_atlas=True, gaps=True, writes="meshes"),
        synonyms=("push away", "resolve overlap", "spread"),
    ),
    Operation(
        name="fit-into-gaps",
        help="Lay islands into the best free spots of a tile; nothing else moves.",
        settings_name="FitIntoGaps",
        result_name="Moved",
        home="quilt_core.operations.fit_into_gaps",
        pace="soon",
        changes="layout",
        example='crate.obj --islands "rivet*" --tile 1001 --out moved',
        files=FileUse(one_atlas=True, gaps=True, writes="meshes"),
        synonyms=("slip in", "fill gaps", "free space", "add to layout"),
    ),
    Operation(
        name="pack-here",
        help="Pack islands into a region of a tile; the others stay.",
        settings_name="PackHere",
        result_name="Moved",
        home="quilt_core.operations.pack_here",
        pace="soon",
        changes="layout",
        example='crate.obj --islands "rivet*" --region 0,0 --region 512,512 --out moved',
        files=FileUse(one_atlas=True, gaps=True, writes="meshes"),
        synonyms=("fit here", "pack to region", "pack into box"),
    ),
    Operation(
        name="shrink-to-fit",
        help="Shrink islands together until padding and margin are kept.",
        settings_name="Shrink",
        result_name="Shrunk",
        home="quilt_core.operations.shrink",
        pace="soon",
        changes="layout",
        example="packed.obj --padding 16 --out shrunk",
        files=FileUse(one_atlas=True, gaps=True, writes="meshes"),
        synonyms=("take in", "scale down", "add padding"),
    ),
    Operation(
        name="stacks",
        help="Find islands that may share their texels: of one shape, or of objects with equal topology.",
        settings_name="Stacks",
        result_name="StacksFound",
        home="quilt_core.operations.stacks",
        pace="soon",
        example="yard/*.obj",
        files=FileUse(one_atlas=True),
        synonyms=("overlay", "similar islands", "mirrored halves", "share texels"),
    ),
    Operation(
        name="limit",
        help="Say what limits the density of a packed layout, and what would let it be higher.",
        settings_name="Limit",
        result_name="Limits",
        home="quilt_core.operations.limit",
        example="packed/*.obj --size 2048 --padding 8",
        files=FileUse(controls=True),
        synonyms=("why", "binding", "density limit", "explain"),
    ),
    Operation(
        name="merge",
        help="Give painted objects one shared layout and one set of textures.",
        settings_name="Merge",
        result_name="MergeResult",
        home="quilt_core.operations.merge",
        changes="files",
        example="painted/*.glb --out merged --size 2048 --profile packed",
        files=FileUse(writes="both"),
        synonyms=("atlas", "combine textures", "transfer maps", "carry over"),
    ),
    Operation(
        name="check",
        help="Find faults of a layout that would spoil a bake.",
        settings_name="Check",
        result_name="Checked",
        home="quilt_core.operations.check",
        example="packed/*.obj --padding 8 --report report.html",
        files=FileUse(more_name="CheckFiles", also_name="also"),
        synonyms=("prove", "validate", "overlapping", "select overlapping", "find faults"),
    ),
    Operation(
        name="report",
        help="Write down what a check finds, as a page with pictures or as JSON.",
        settings_name="Report",
        result_name="ReportResult",
        home="quilt_core.operations.check",
        runs="run_report",
        changes="files",
        example="packed/*.obj --padding 8 --out reports",
        files=FileUse(writes="images", more_name="Against"),
        synonyms=("proof", "summary"),
    ),
    Operation(
        name="bake",
        help="Test bake: maps of high poly meshes on the layout of low poly ones, and what is wrong with them.",
        settings_name="Bake",
        result_name="BakeResult",
        home="quilt_core.operations.bake",
        scene=True,
        changes="files",
        example="lamp_low.obj --high lamp_high.obj --maps normal occlusion --out maps",
        files=FileUse(one_atlas=True, all_tiles=True, writes="images", more_name="BakeFiles"),
        synonyms=("rehearse", "normal map", "ambient occlusion", "cage", "high poly"),
    ),
    Operation(
        name="textures",
        help="Draw textures for tiles: blank, checker, ids, the layout, or a layer for each object.",
        settings_name="Textures",
        result_name="TextureSet",
        home="quilt_core.operations.textures",
        changes="files",
        example="packed/*.obj --out sets --kinds layers id",
        files=FileUse(gaps=True, all_tiles=True, writes="images", more_name="TextureFiles"),
        synonyms=("uv snapshot", "template", "uv image", "id map", "checker", "picture set"),
    ),
    Operation(
        name="export",
        help="Write mesh files back in their own format, with their layouts.",
        settings_name="Export",
        result_name="Exported",
        home="quilt_core.operations.export",
        changes="files",
        example="crate.obj --channel 1 --to-channel 2 --out build",
        files=FileUse(writes="meshes"),
        synonyms=("save", "write", "hand off"),
    ),
)
GROUP = "untold_quilt.operations"
"""Entry points of packages that bring operations of their own: each names an `Operation`."""


def _found() -> dict[str, Operation]:
    """Operations of this program, in working order, and those of packages that are installed beside it."""
    out = {one.name: one for one in _ALL}
    for point in entry_points(group=GROUP):
        try:
            own = point.load()
        except Exception as error:  # somebody else's code: the program works without it
            warnings.warn(f"The operation “{point.name}” cannot be loaded ({error!r}).", stacklevel=2)  # fmt: skip
            continue
        if isinstance(own, Operation) and own.name not in out:
            out[own.name] = own
        else:
            warnings.warn(f"“{point.name}” is no operation, or one of its name is there.", stacklevel=2)  # fmt: skip
    return out


OPERATIONS: dict[str, Operation] = _found()


def operation(name: str) -> Operation:
    """An operation by its name.

    Raises
    ------
    LayoutError
        When there is none.
    """
    found = OPERATIONS.get(name)
    if found is None:
        raise LayoutError(
            f"There is no operation “{name}”.", "do", f"Give one of {', '.join(OPERATIONS)}."
        )
    return found
