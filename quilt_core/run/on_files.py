"""Do an operation on mesh files, and build what comes out; nothing is on disk before all of it is there."""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path, PurePosixPath
from typing import IO, Any

import numpy as np

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout
from quilt_core.document.project.file import ProjectFile, is_project
from quilt_core.document.state import State, split
from quilt_core.errors import LayoutError, QuiltError
from quilt_core.formats.references import referenced_files
from quilt_core.operations.export import Export, check_target
from quilt_core.operations.export import run as export
from quilt_core.operations.files import (
    ControlSettings,
    FileSource,
    LayoutSettings,
    ReadSettings,
    file_document,
    read_sources,
)
from quilt_core.operations.operation import AGAINST, Operation, Progress, plain
from quilt_core.operations.values import EDGE, GAP
from quilt_core.options import Option, check_options, option, options_of, settings_from
from quilt_core.pack.settings import Effort
from quilt_core.run.inputs import Input
from quilt_core.scene.model import Siblings
from quilt_core.scene.tiles import usual_gaps


@dataclass(frozen=True)
class GapSettings:
    """Distances of a layout that is packed along the way."""

    padding: float | None = option(None, **GAP)
    margin: float | None = option(None, **EDGE)

    def __post_init__(self) -> None:
        check_options(self)

    def at(self, state: State) -> State:
        """The state with these distances."""
        tiles = [tile.size for tile in state.tiles]
        padding, margin = usual_gaps(tiles, self.padding, self.margin)
        return replace(state, padding=padding, margin=margin)


@dataclass(frozen=True)
class ReferSettings:
    """What becomes of files that meshes name."""

    refer: bool = option(
        False,
        "files that a mesh names (textures, materials) stay where they are, and are named from there; without it they come along",
    )

    def __post_init__(self) -> None:
        check_options(self)


@dataclass(frozen=True, eq=False)
class FilesDone:
    """What an operation on files made.

    Parameters
    ----------
    files : mapping
        Paths below the folder of the output to bytes.
    aside : mapping
        Paths that settings name, relative to where they were given, to bytes.
    meshes : list of str
        For each input the path below the folder of the output that stands for it.
    lines : list of str
        The result in words.
    values : dict
        The result as JSON has it.
    ok : bool
        Whether there are no findings.
    notes : list of str
        What else is to be known of the files.
    read : list of Path
        Files beside the inputs that were read.
    project : callable, optional
        Writes the project file that was given, with what was made as its newest step.
    """

    files: dict[str, bytes]
    aside: dict[str, bytes]
    meshes: list[str]
    lines: list[str]
    values: dict[str, Any]
    ok: bool
    notes: list[str] = field(default_factory=list)
    read: list[Path] = field(default_factory=list)
    project: Callable[[IO[bytes]], None] | None = None


def settings_types(operation: Operation) -> tuple[type[Any], ...]:
    """Dataclasses of options that an operation on files has, its own last."""
    use = operation.files
    out: list[type[Any]] = [LayoutSettings if use.layouts else ReadSettings]
    if use.controls:
        out.append(ControlSettings)
    if use.gaps:
        out.append(GapSettings)
    if use.writes in ("meshes", "both") and operation.name not in ("export",):
        out += [ReferSettings]
    if use.writes == "meshes" and use.layouts and operation.name != "export":
        out.append(Export)
    if operation.more:
        out.append(operation.more)
    return (*out, operation.settings)


def file_options(operation: Operation) -> dict[str, Option]:
    """All options of an operation on files, by their names."""
    out: dict[str, Option] = {}
    for kind in settings_types(operation):
        for one in options_of(kind):
            out.setdefault(one.name, one)
    return out


def parted(operation: Operation, given: Mapping[str, Any]) -> dict[type[Any], dict[str, Any]]:
    """Values by the dataclass that they belong to.

    Raises
    ------
    LayoutError
        For a name that there is none of.
    """
    out: dict[type[Any], dict[str, Any]] = {kind: {} for kind in settings_types(operation)}
    home = {one.name: kind for kind in reversed(list(out)) for one in options_of(kind)}
    for name, value in given.items():
        if name not in home:
            raise LayoutError(
                f"{operation.name} has no setting “{name}”.",
                name,
                f"Known are {', '.join(sorted(home))}.",
            )
        out[home[name]][name] = value
    return out


def read_settings(
    operation: Operation,
    given: Mapping[str, Any],
    root: Path,
    words: bool = False,
    opened: ProjectFile | None = None,
) -> dict[type[Any], Any]:
    """Settings of an operation on files, checked; files that they name are read.

    Parameters
    ----------
    operation : Operation
    given : mapping
        Values by the options' names.
    root : Path
        Folder that names of files are relative to.
    words : bool
        Whether numbers are written as words.
    opened : ProjectFile, optional
        The project file that it is done on: it says itself what is not given.

    Raises
    ------
    LayoutError
    """
    known = file_options(operation)
    usual: dict[type[Any], dict[str, Any]] = {}
    if opened is not None:
        from quilt_core.run.on_project import project_settings

        usual = parted(operation, project_settings(operation, given, opened))
    loaded: dict[str, Any] = {}
    for name, value in given.items():
        one = known.get(name)
        if one is not None and one.load is not None and isinstance(value, str):
            value = _loaded(one, value, root)
        loaded[name] = value
    out = {kind: settings_from(kind, own, words) for kind, own in parted(operation, loaded).items()}
    for kind, own in usual.items():
        said = {
            known[name].attribute: known[name].value(value)
            for name, value in own.items()
            if name not in loaded
        }
        out[kind] = replace(out[kind], **said)
    return out


def _loaded(one: Option, value: str, root: Path) -> Any:
    path = root / value
    assert one.load is not None
    if not path.is_file():
        try:
            # It may be a name of its own, not of a file.
            one.value(value, True)
        except LayoutError as error:
            raise QuiltError("There is no such file.", str(path), error.fix) from None
        return value
    try:
        return one.load(path.name, path.read_bytes())
    except OSError as error:
        raise QuiltError(
            f"It cannot be read ({error.strerror}).", str(path), "Check the path."
        ) from None


def do_on_files(
    operation: Operation,
    inputs: Sequence[Input],
    settings: Mapping[type[Any], Any],
    progress: Progress,
    root: Path = Path(),
    out: Path = Path(),
    opened: ProjectFile | None = None,
    meshes_too: bool = True,
) -> FilesDone:
    """Do an operation on mesh files, or on a project file.

    Parameters
    ----------
    operation : Operation
    inputs : sequence of Input
    settings : mapping
        As `read_settings` gives them.
    progress : Progress
    root : Path
        Folder that names of other files are relative to.
    out : Path
        Folder that meshes will lie in: those that go on naming files at their old place find them from there.
    opened : ProjectFile, optional
        A project file, instead of the inputs.
    meshes_too : bool
        Whether mesh files are wanted, and not the project file alone.

    Raises
    ------
    QuiltError
    """
    own = settings[operation.settings]
    more = settings.get(operation.more) if operation.more else None
    reading = progress.part(0.0, 0.05)
    document = read_document(
        operation, [one.path for one in inputs], settings, reading, root, opened
    )
    named = dict(enumerate(inputs))
    if opened is not None:
        from quilt_core.run.on_project import changed_project, project_inputs

        named = project_inputs(document)
    notes = [note for source in document.sources.values() for note in source.scene().warnings]
    target = settings.get(Export, Export())
    check_target(document, target)
    result = operation.run(document, own, progress.part(0.05, 0.85))
    after: Document = getattr(result, "document", document)
    step = result.project if operation.files.writes == "project" else None
    if opened is not None:
        step = changed_project(opened, operation, own, after, result)
    if operation.files.packs and meshes_too:
        after = _packed(after, result, settings[GapSettings], progress.part(0.9, 0.05))
    files: dict[str, bytes] = {}
    meshes: list[str] = []
    if operation.files.writes in ("meshes", "both") and meshes_too and _writes(result):
        written = getattr(result, "files", None)
        if written is None:
            exported = export(after, target, progress.part(0.95, 0.05))
            written = exported.files
            notes += exported.notes
        refer = settings[ReferSettings].refer if ReferSettings in settings else False
        images = getattr(result, "images", {})
        files, told = mesh_files(document, named, written, images, out if refer else None)
        meshes = [one.place for one in named.values()]
        notes += told
    files |= getattr(result, "images", {})
    if getattr(result, "joint", None) is not None:
        files["all-in-one.glb"] = result.joint
    aside: dict[str, bytes] = {}
    lines, values = operation.tell(result), plain(result)
    if operation.files.also_name:
        also = operation.find(operation.files.also_name)
        made, said, facts = also(after, result, own, more, progress)
        aside |= made
        lines, values = lines + said, {**values, **facts}
    return FilesDone(
        files, aside, meshes, lines, values, bool(result.ok), list(dict.fromkeys(notes)),
        _read_beside(document, opened is not None), step,
    )  # fmt: skip


def _read_beside(document: Document, in_project: bool) -> list[Path]:
    """Files that were read, but for the inputs themselves."""
    out: list[Path] = []
    for source in () if in_project else document.sources.values():
        path = Path(source.name)
        named = referenced_files(path.name, source.data, source.siblings())
        out += [path.parent / name for name, data in named.items() if data is not None]
    others = [one for rows in document.beside.values() for one in rows]
    others += [one for other in document.others.values() for one in other.sources.values()]
    return [*out, *(Path(one.name) for one in others)]


def _writes(result: Any) -> bool:
    """Whether it made anything: an operation may only have listed what there is."""
    return not (hasattr(result, "files") and not result.files)


def read_document(
    operation: Operation,
    paths: Sequence[Path],
    settings: Mapping[type[Any], Any],
    progress: Progress,
    root: Path,
    opened: ProjectFile | None = None,
) -> Document:
    """The document of mesh files, or of a project file, with what settings name beside them.

    Raises
    ------
    QuiltError
    """
    use = operation.files
    more = operation.more
    given: LayoutSettings = settings.get(LayoutSettings, LayoutSettings())
    if opened is not None:
        from quilt_core.operations.project import project_document, step_before

        document = project_document(opened, given.atlas, operation.scene)
        if operation.compares and not (more and getattr(settings[more], AGAINST)):
            step = step_before(opened, settings[operation.settings].step)
            document = replace(
                document, others={AGAINST: project_document(opened, given.atlas, step=step)}
            )
        if use.one_atlas and len(document.layouts) > 1:
            names = ", ".join(layout.state.name for layout in document.layouts)
            raise LayoutError("There are several atlases.", "atlas", f"Name one of {names}.")
    elif use.layouts:
        document = file_document(
            paths, given, settings.get(ControlSettings), progress, use.all_tiles
        )
    else:
        given = LayoutSettings(unit=settings[ReadSettings].unit)
        document = Document([], read_sources(paths, given.unit, progress))
    if use.gaps and opened is None:
        gaps: GapSettings = settings[GapSettings]
        document = document.having([gaps.at(layout.state) for layout in document.layouts])
    beside: dict[str, list[FileSource]] = {}
    images: dict[tuple[str, int], Any] = {}
    others: dict[str, Document] = {}
    numbers = [tile.number for layout in document.layouts for tile in layout.tiles]
    for kind, values in settings.items():
        for one in options_of(kind):
            named = getattr(values, one.attribute)
            if not named or one.names not in ("mesh", "image", "document"):
                continue
            texts = list(named) if one.many else [named]
            if one.names == "image":
                images |= _images(one.name, texts[0], numbers, root)
                continue
            files = [root / text for text in texts]
            if one.names == "mesh":
                read = read_sources(files, given.unit, progress, given.uv_tolerance)
                beside[one.name] = list(read.values())
            else:
                others[one.name] = _other(files, given, progress, use.all_tiles)
    others = {**document.others, **others}
    return replace(document, beside=beside, images=images, others=others)


def _other(
    files: Sequence[Path], given: LayoutSettings, progress: Progress, all_tiles: bool
) -> Document:
    """Another document: mesh files, or a project file."""
    if not any(map(is_project, files)):
        return file_document(files, given, None, progress, all_tiles)
    if len(files) > 1:
        raise QuiltError("A project file goes by itself.", str(files[0]), "Give one project file.")
    from quilt_core.operations.project import project_document, read_project

    try:
        handle = files[0].open("rb")  # stays open: its arrays are read when they are needed
    except OSError as error:
        raise QuiltError(
            f"It cannot be read ({error.strerror}).", str(files[0]), "Check the path."
        ) from None
    return project_document(read_project(handle, str(files[0]), progress), given.atlas)


def _images(
    purpose: str, pattern: str, tiles: Sequence[int], root: Path
) -> dict[tuple[str, int], Any]:
    """Readers of the images that a pattern names, by tile; `{tile}` in it stands for the number."""
    out: dict[tuple[str, int], Any] = {}
    for number in tiles:
        path = root / pattern.replace("{tile}", str(number))
        if path.is_file():
            out[purpose, number] = path.read_bytes
        elif "{tile}" not in pattern:
            raise LayoutError("There is no such image.", str(path), "Give a file that is there.")
    if not out:
        raise LayoutError("No tile has such an image.", pattern, "Check its name.")
    return out


def _packed(document: Document, result: Any, gaps: GapSettings, progress: Progress) -> Document:
    """The document with what an operation has laid on the side table in the first tile, with what belongs to it."""
    from quilt_core.operations.pack import run as pack
    from quilt_core.operations.pack_settings import Pack

    layouts = []
    for number, layout in enumerate(document.layouts):
        places = result.together[number]
        if not places or not layout.unplaced.any():
            layouts.append(layout)
            continue
        _, some = split(layout.state, places)
        own = replace(document, layouts=[_only(layout, places, some)])
        effort: Effort = "quick" if len(some.islands) > MANY else "standard"
        asked = Pack(
            padding=gaps.padding,
            margin=gaps.margin,
            density="equal",
            effort=effort,
            seconds=SECONDS if len(some.islands) > TOO_MANY else None,
        )
        done = pack(own, asked, progress).document.layout.state
        islands = layout.state.islands.copy()
        mine = np.isin(layout.islands.object_index, places)
        islands[mine] = done.islands
        layouts.append(layout.having(replace(layout.state, islands=islands)))
    return replace(document, layouts=layouts)


MANY = 300
"""Islands from which a quick pack must do: packs are counted in steps, so that the same file gives the same layout."""
TOO_MANY, SECONDS = 3000, 15.0
"""From so many on it ends by the clock."""


def _only(layout: Layout, places: Sequence[int], state: Any) -> Layout:
    tiles = state.tiles[:1]
    return replace(
        layout,
        state=replace(state, tiles=tiles),
        members=[layout.members[k] for k in sorted(places)],
    )


def mesh_files(
    document: Document,
    inputs: Mapping[int, Input],
    written: Mapping[int, Mapping[str, bytes]],
    images: Mapping[str, bytes],
    out: Path | None = None,
) -> tuple[dict[str, bytes], list[str]]:
    """Meshes, by the keys of their sources, with all that they name, by paths below the folder of the output; and notes. Where a folder of the output is
    given, files that meshes name stay where they are, and are named from there.

    Raises
    ------
    QuiltError
        When two inputs need different files of one name.
    """
    from quilt_core.formats.refer import renamed

    files: dict[str, bytes] = {}
    notes: list[str] = []
    for key, one in inputs.items():
        source, place = document.sources[key], PurePosixPath(one.place)
        own = dict(written.get(key, {}))
        if one.path.name in own and one.path.name != place.name:
            own[place.name] = own.pop(one.path.name)
        own.setdefault(place.name, source.data)
        known = {**{posixpath.relpath(n, place.parent): d for n, d in images.items()}, **own}
        if out is not None:
            target = (out / place.parent).resolve()
            folder = one.path.parent.resolve()
            own[place.name] = renamed(place.name, own[place.name], folder, target, known)
        else:
            named = referenced_files(place.name, own[place.name], _beside(known, source.siblings()))
            for name, data in named.items():
                if data is None and not any(name in said for said in source.scene().warnings):
                    notes.append(f"{one.path}: it names “{name}”, which is not there.")
                elif (
                    data is not None and name not in known and ".." not in PurePosixPath(name).parts
                ):
                    own[name] = data
        for name, data in own.items():
            path = posixpath.normpath(place.parent / name)
            if files.setdefault(path, data) != data:
                raise QuiltError(
                    f"Two inputs keep different data in files of the name “{name}”.", str(one.path),
                    "Put them into folders of their own, or give them as GLB.",
                )  # fmt: skip
    return files, notes


def _beside(own: Mapping[str, bytes], find: Siblings) -> Siblings:
    return lambda name: own.get(name) or find(name)
