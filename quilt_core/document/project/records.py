"""What stands in a project file: typed records that refer to one another by their places in the lists."""

from __future__ import annotations

from datetime import datetime
from typing import Annotated, Any, Literal

from msgspec import Meta, Struct, field

from quilt_core.prepared import prepare
from quilt_core.scene.weights import HIGHEST_WEIGHT, LOWEST_WEIGHT

VERSION = 2
"""Of the format; see docs/project-file.md."""

AUTHOR = "command line"
"""Of steps that no person of an installation has made."""
Digest = Annotated[str, Meta(pattern="^[0-9a-f]{64}$")]
"""SHA-256 of bytes that stand in the file."""
Place = Annotated[int, Meta(ge=0)]
"""Of a record in its list, from 0."""
Name = Annotated[str, Meta(min_length=1, max_length=255)]
Words = Annotated[str, Meta(max_length=255)]
Text = Annotated[str, Meta(max_length=4000)]
Count = Annotated[int, Meta(ge=0, le=2**31 - 1)]
Positive = Annotated[float, Meta(gt=0, le=1e9)]
Weight = Annotated[float, Meta(ge=LOWEST_WEIGHT, le=HIGHEST_WEIGHT)]
Length = Annotated[float, Meta(ge=0, le=1e6)]
Matrix = Annotated[list[Annotated[list[float], Meta(min_length=4, max_length=4)]], Meta(min_length=4, max_length=4)]  # fmt: skip


class Record(Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """A record: fields that it does not know are an error."""


class Settings(Record, frozen=True, kw_only=True):
    """What holds for the whole project.

    Parameters
    ----------
    name : str
    house_density : float
        px per metre.
    tolerance : float
        Half-width of the house band as a part of the density.
    least_density, most_density : float, optional
        Ends of the house band in px per metre, where they are said themselves.
    density_unit : str
        That densities are shown in.
    uv_tolerance : float
        UVs that differ by less, in tiles, are one point; of files that come in from now on.
    rules : dict
        As `quilt_core.check.rules` reads them.
    """

    name: Annotated[str, Meta(min_length=1, max_length=120)]
    house_density: Positive
    tolerance: Annotated[float, Meta(ge=0, le=1)]
    uv_tolerance: Annotated[float, Meta(ge=0, le=0.01)]
    rules: dict[str, Any]
    least_density: Positive | None = None
    most_density: Positive | None = None
    density_unit: Literal["px/m", "px/cm", "px/in"] = "px/m"


class Source(Record, frozen=True, kw_only=True):
    """A file that was brought in.

    Parameters
    ----------
    name : str
        Its path among the files that came with it, with slashes.
    sha256 : str
    size : int
        Bytes.
    mesh : bool
    unit : float
        Metres per unit, where the format has none of its own.
    uv_tolerance : float
        With which its islands were found, in tiles.
    group : int
        Files of one number came together, and see one another.
    warnings : list of str
    gathered, replaced : int, optional
        Changes that brought it in, and put a newer version in its place.
    """

    name: Name
    sha256: Digest
    size: Place
    mesh: bool
    unit: Positive
    uv_tolerance: Annotated[float, Meta(ge=0, le=0.01)]
    group: Place
    warnings: list[Text] = field(default_factory=list)
    gathered: Place | None = None
    replaced: Place | None = None


class GivenTexture(Record, frozen=True, kw_only=True):
    """A texture that a material of a source was given, or that stands for one that was missing.

    Parameters
    ----------
    source : int
    name : str
    sha256 : str, optional
        None takes the texture away.
    material : int
        Number among the file's materials; -1 for none.
    role : str
    channel : int
    number : int
        Of the file's texture that it stands for; -1 for none.
    tiles : (4,) int, optional
        Column, row, columns and rows of a numbered set; none for one image.
    """

    source: Place
    name: Name
    sha256: Digest | None
    material: Annotated[int, Meta(ge=-1)] = -1
    role: Annotated[str, Meta(max_length=80)] = ""
    channel: Count = 0
    number: Annotated[int, Meta(ge=-1)] = -1
    tiles: tuple[int, int, int, int] | None = None


class Instance(Record, frozen=True, kw_only=True):
    """Where an object stands: a name and (4, 4) from the object to the world, in metres."""

    name: Words
    matrix: Matrix


class MeshObject(Record, frozen=True, kw_only=True):
    """An object of a source.

    Parameters
    ----------
    source : int
    number : int
        Its place among the file's objects, from 0.
    name, parent : str
    instances : list of Instance
    channels : list of str
        Names of its UV channels.
    faces : int
    size : list of float, optional
        Along its own axes in metres, where it stands largest.
    colour : int, optional
        Number of its colour, from 0; its place in the file without.
    """

    source: Place
    number: Count
    name: Words
    parent: Words = ""
    instances: list[Instance]
    channels: list[Words]
    faces: Count
    size: Annotated[list[Annotated[float, Meta(ge=0)]], Meta(min_length=3, max_length=3)] | None = (
        None
    )
    colour: Count | None = None


class BaseLayout(Record, frozen=True, kw_only=True):
    """UVs of an object in one channel, with its islands.

    Parameters
    ----------
    object : int
    channel : int
        From 0.
    made : str
        What made it; “read” for a file's own.
    parent : int, optional
        The base layout that it was made from; an earlier one.
    arrays : str
        SHA-256 of its arrays, see `quilt_core.document.base`.
    islands, unflattened : int
        Islands, and faces without UVs.
    useless : bool
        Whether its UVs lie in a point, or all on one another.
    proportion : float
        Width / height of the texture that it was laid out for.
    suggested : float, optional
        Another one that its stretch suggests.
    weld : float
        Part of the object's size within which vertices count as one.
    copied_from : int, optional
        The object whose layout it follows.
    """

    object: Place
    channel: Annotated[int, Meta(ge=0, lt=64)] = 0
    made: Annotated[str, Meta(max_length=40)] = "read"
    parent: Place | None = None
    arrays: Digest
    islands: Count
    unflattened: Count
    useless: bool = False
    proportion: Positive = 1.0
    suggested: Positive | None = None
    weld: Annotated[float, Meta(ge=0, le=1)] = 0.0
    copied_from: Place | None = None


class TileImage(Record, frozen=True, kw_only=True):
    """An image that lies over a tile: behind its layout, painted distances of rays, or worn by the model."""

    purpose: Annotated[str, Meta(pattern="^(behind|reach|worn)$")]
    tile: Annotated[int, Meta(ge=1001)]
    name: Name
    sha256: Digest
    opacity: Annotated[float, Meta(ge=0, le=1)] = 0.6
    repeats: Annotated[float, Meta(gt=0)] = 1.0
    metres: Annotated[float, Meta(gt=0)] | None = None


class Atlas(Record, frozen=True, kw_only=True):
    """An atlas.

    Parameters
    ----------
    state : int, optional
        The present one; none while it is deleted.
    images : list of TileImage
    """

    state: Place | None
    images: list[TileImage] = field(default_factory=list)


class Member(Record, frozen=True, kw_only=True):
    """An object's part in an atlas.

    Parameters
    ----------
    object, base : int
    islands : int
        How many it has here.
    target : int
        UV channel that its layout is written to, from 0.
    weight : float
    proportion : float, optional
        Width / height of its textures, where the user has said so.
    part : list of int, optional
        Which islands of the base layout, ascending, where these are not all.
    """

    object: Place
    base: Place
    islands: Count
    target: Annotated[int, Meta(ge=0, lt=64)] = 0
    weight: Weight = 1.0
    proportion: Positive | None = None
    part: list[Count] | None = None


class Tile(Record, frozen=True, kw_only=True):
    """A tile of an atlas; sizes in px."""

    number: Annotated[int, Meta(ge=1001)]
    width: Annotated[int, Meta(ge=1, le=65536)]
    height: Annotated[int, Meta(ge=1, le=65536)]
    label: Annotated[str, Meta(max_length=120)] = ""
    frozen: bool = False


class Fix(Struct, frozen=True, kw_only=True):
    """Something that would let the islands of a layout be larger; see `quilt_core.operations.limit`."""

    kind: Words
    text: Text
    factor: float
    density: float | None = None


class Limit(Struct, frozen=True, kw_only=True):
    """What limits the density of a layout."""

    kind: Words
    text: Text
    islands: list[Count]
    fixes: list[Fix]


class Summary(Struct, frozen=True, kw_only=True):
    """Figures of a layout that lists of atlases and drafts show."""

    coverage: float | None = None
    density: float | None = None
    left_over: Count = 0
    ready: bool = False


class State(Record, frozen=True, kw_only=True):
    """State of an atlas after one action. Its islands are in ``states/N.npy``, N being its place in the list.

    Parameters
    ----------
    atlas : int
    parent : int, optional
        The state that it was made from; an earlier one.
    whole : bool
        Whether its islands stand in the file as they are, and not those alone that differ from the parent's.
    name : str
    members : list of Member
    tiles : list of Tile
    padding, margin : float
        px.
    verb : str
    params : dict
        Settings it was made with.
    same_as : int, optional
        The state that was put back.
    draft : bool
        Kept beside the history.
    seconds, tidy_cost, limit, summary : optional
        What is known of it: how long it took, what tidiness cost in coverage, what limits its density, and its figures.
    made : datetime
    """

    atlas: Place
    parent: Place | None = None
    whole: bool
    name: Annotated[str, Meta(max_length=120)]
    members: list[Member]
    tiles: list[Tile]
    padding: Length
    margin: Length
    verb: Annotated[str, Meta(max_length=40)]
    params: dict[str, Any] = field(default_factory=dict)
    same_as: Place | None = None
    draft: bool = False
    seconds: float | None = None
    tidy_cost: float | None = None
    limit: Limit | None = None
    summary: Summary | None = None
    made: datetime


class Touched(Record, frozen=True, kw_only=True):
    """A part of the project that a change changed.

    Parameters
    ----------
    atlas : int, optional
        None for the project's settings.
    what : str
        Name of a setting, or of a part of the atlas.
    object : int, optional
        The member that is meant, where it is one.
    islands : list of int, optional
        None for all of them.
    """

    atlas: Place | None = None
    what: Words = ""
    object: Place | None = None
    islands: list[Count] | None = None


class Change(Record, frozen=True, kw_only=True):
    """A step of the history.

    Parameters
    ----------
    parent : int, optional
        The step before; an earlier one.
    verb, what, author, label : str
        What was done, to what, by whom, and what the user calls it.
    settings : Settings
        Of the project after it.
    atlases : list of (atlas, state)
        After it, in order.
    touched : list of Touched
    made : datetime
    """

    parent: Place | None = None
    verb: Annotated[str, Meta(max_length=40)]
    what: Annotated[str, Meta(max_length=200)] = ""
    author: Annotated[str, Meta(max_length=80)] = "you"
    label: Annotated[str, Meta(max_length=120)] = ""
    settings: Settings
    atlases: list[tuple[Place, Place]]
    touched: list[Touched]
    made: datetime


class Preset(Record, frozen=True, kw_only=True):
    """Settings of packing under a name."""

    name: Annotated[str, Meta(min_length=1, max_length=80)]
    settings: dict[str, Any]


class Profile(Record, frozen=True, kw_only=True):
    """What an engine wants its textures like, as `quilt_core.textures.profile` has it."""

    name: Annotated[str, Meta(min_length=1, max_length=80)]
    what: dict[str, Any]


class Step(Record, frozen=True, kw_only=True):
    """A step of a line: an operation, and its settings."""

    do: Annotated[str, Meta(max_length=40)]
    settings: dict[str, Any] = field(default_factory=dict)


class RunLine(Record, frozen=True, kw_only=True):
    """A line of the run sheet.

    Parameters
    ----------
    atlases : list of int
        That it is about.
    objects : list of str
        Names of objects that it is about, instead: the atlases that they lie in.
    channel : int, optional
        UV channel that it is about, from 1.
    name : str
    steps : list of Step
    hold : bool
        Whether it is left as it is.
    """

    atlases: list[Place] = field(default_factory=list)
    objects: list[Annotated[str, Meta(max_length=200)]] = field(default_factory=list)
    channel: Annotated[int, Meta(ge=1, le=64)] | None = None
    name: Annotated[str, Meta(min_length=1, max_length=120)]
    steps: list[Step]
    hold: bool = False


class Note(Record, frozen=True, kw_only=True):
    """Something that was said about an atlas, an object, an island or a finding.

    Parameters
    ----------
    kind : str
    atlas, object : int, optional
    island : int
        Of the object, from 0; -1 for none.
    finding : str
        Its key.
    answers : int, optional
        The note that this answers; an earlier one.
    text, author : str
    made : datetime
    closed : datetime, optional
    """

    kind: Annotated[str, Meta(max_length=8)]
    atlas: Place | None = None
    object: Place | None = None
    island: Annotated[int, Meta(ge=-1)] = -1
    finding: Annotated[str, Meta(max_length=200)] = ""
    answers: Place | None = None
    text: Text
    author: Annotated[str, Meta(max_length=150)]
    made: datetime
    closed: datetime | None = None


class Project(Record, frozen=True, kw_only=True):
    """A project file, but for its arrays and files.

    Parameters
    ----------
    head : int
        The present change.
    redo : list of int
        Changes that redo goes to, the next one last.
    """

    head: Place
    redo: list[Place] = field(default_factory=list)
    changes: list[Change]
    sources: list[Source]
    textures: list[GivenTexture] = field(default_factory=list)
    objects: list[MeshObject]
    bases: list[BaseLayout]
    atlases: list[Atlas]
    states: list[State]
    presets: list[Preset] = field(default_factory=list)
    profiles: list[Profile] = field(default_factory=list)
    lines: list[RunLine] = field(default_factory=list)
    notes: list[Note] = field(default_factory=list)

    @property
    def settings(self) -> Settings:
        """Those that hold now."""
        return self.changes[self.head].settings

    def files(self) -> dict[str, str]:
        """SHA-256 of all files that it refers to, with what refers to each."""
        out: dict[str, str] = {}
        for source in self.sources:
            out.setdefault(source.sha256, source.name)
        for texture in self.textures:
            if texture.sha256:
                out.setdefault(texture.sha256, texture.name)
        for number, base in enumerate(self.bases):
            out.setdefault(base.arrays, f"base layout {number}")
        for atlas in self.atlases:
            for image in atlas.images:
                out.setdefault(image.sha256, image.name)
        return out


class Contents(Record, frozen=True, kw_only=True):
    """quilt.json: what kind of file it is; read before anything else.

    Parameters
    ----------
    format : str
        “untold-quilt project”.
    version : int
    written : datetime
    project : str
        Name of it.
    sha256 : str
        Of project.json.
    """

    format: str
    version: int
    written: datetime
    project: Words
    sha256: Digest


prepare(Project, Contents)
