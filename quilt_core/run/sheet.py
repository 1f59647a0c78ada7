"""A run sheet as it is written: TOML with a list of lines.

Reference: TOML 1.0.0.
"""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from quilt_core.errors import QuiltError
from quilt_core.operations.registry import OPERATIONS
from quilt_core.scene.mesh import MOST_CHANNELS
from quilt_core.toml_text import read_toml

VERSION = 1
NAME = re.compile(r"\w[\w .,-]{0,80}")
LINE_KEYS = ("name", "files", "from", "atlas", "objects", "channel", "out", "hold", "steps")
MOST_TOLD = 12
"""Lines of a circle that are told."""
FREE = (bool, int, float, str)
Value = bool | int | float | str


class SheetError(QuiltError):
    """A run sheet that cannot be used."""


@dataclass(frozen=True)
class Target:
    """What a line is about, where it is not all that comes in.

    Parameters
    ----------
    objects : tuple of str
        Names of objects.
    channel : int, optional
        UV channel, from 1.
    """

    objects: tuple[str, ...] = ()
    channel: int | None = None

    def __bool__(self) -> bool:
        return bool(self.objects or self.channel)

    def __str__(self) -> str:
        said = [*self.objects, *([f"channel {self.channel}"] if self.channel else [])]
        return ", ".join(said)


EVERYTHING = Target()


@dataclass(frozen=True)
class Step:
    """One thing that is done.

    Parameters
    ----------
    do : str
        Name of an operation.
    settings : mapping
        Its options by name; lists where several are given.
    target : Target
        What it is about, where it is about layouts.
    """

    do: str
    settings: Mapping[str, Any]
    target: Target = EVERYTHING


@dataclass(frozen=True)
class Line:
    """A line of a run sheet.

    Parameters
    ----------
    name : str
    files : tuple of str
        Patterns, relative to the sheet; those that begin with “!” leave files out.
    sources : tuple of str
        Lines whose meshes come in, too.
    atlases : tuple of str
        Of a project file: those that the line is about; all without. Its steps have them among their settings.
    out : str
        Folder of what comes out, relative to the sheet; none for lines that only feed others.
    hold : bool
        Whether it is left as it is.
    steps : tuple of Step
    target : Target
        Objects and channel that it is about: of a project file, the atlases that these lie in.
    """

    name: str
    files: tuple[str, ...]
    sources: tuple[str, ...]
    out: str
    hold: bool
    steps: tuple[Step, ...]
    atlases: tuple[str, ...] = ()
    target: Target = EVERYTHING


@dataclass(frozen=True)
class RunSheet:
    """A run sheet.

    Parameters
    ----------
    name : str
        File name, for messages.
    lines : tuple of Line
        In the order in which they can be run: each after those that it takes from.
    """

    name: str
    lines: tuple[Line, ...]

    def line(self, name: str) -> Line:
        """A line by its name.

        Raises
        ------
        SheetError
        """
        for line in self.lines:
            if line.name == name:
                return line
        known = ", ".join(line.name for line in self.lines[:8])
        raise SheetError(f"There is no line “{name}”.", self.name, f"Give one of: {known}.")


def read_sheet(name: str, data: bytes) -> RunSheet:
    """Read a run sheet.

    Raises
    ------
    SheetError
        With the line that is wrong.

    Examples
    --------
    >>> sheet = read_sheet("a.toml", b'''
    ... version = 1
    ... [presets.house]
    ... padding = 8
    ... [[line]]
    ... name = "props"
    ... files = ["*.glb"]
    ... out = "build"
    ... steps = [{ do = "pack", preset = "house", size = 1024 }]
    ... ''')
    >>> sheet.lines[0].steps[0].settings
    {'padding': 8, 'size': 1024}
    """
    try:
        given = read_toml(data)
    except ValueError as error:
        raise SheetError(str(error), name, "Correct that place.") from None
    if given.get("version", VERSION) != VERSION:
        raise SheetError(
            f"Version {given['version']}.", name, f"This program reads version {VERSION}."
        )
    _known(given, ("version", "presets", "line"), name, "the sheet")
    presets = _table(given.get("presets", {}), name, "presets")
    rows = given.get("line", [])
    if not isinstance(rows, list) or not rows:
        raise SheetError("There is no line.", name, "Begin one with [[line]].")
    lines = [_line(row, k + 1, presets, name) for k, row in enumerate(rows)]
    names = [line.name for line in lines]
    for twice in sorted(n for n, times in Counter(names).items() if times > 1):
        raise SheetError(f"Two lines are called “{twice}”.", name, "Give each its own name.")
    outs = [line.out for line in lines if line.out]
    for twice in sorted(o for o, times in Counter(outs).items() if times > 1):
        raise SheetError(f"Two lines write to “{twice}”.", name, "Give each its own folder.")
    return RunSheet(name, _in_order(lines, name))


def _line(row: Any, number: int, presets: Mapping[str, Any], name: str) -> Line:
    where = f"{name}, line {number}"
    row = _table(row, name, f"line {number}")
    _known(row, LINE_KEYS, name, f"line {number}")
    title = row.get("name")
    if not isinstance(title, str) or not NAME.fullmatch(title):
        raise SheetError("It has no name.", where, "Give letters, digits, dots, dashes and spaces.")
    where = f"{name}, “{title}”"
    files, sources = (_texts(row.get(key, []), where, key) for key in ("files", "from"))
    if not files and not sources:
        raise SheetError(
            "Nothing goes in.", where, 'Give files = ["folder/*.glb"], or from = ["another line"].'
        )
    out = row.get("out", "")
    if (
        not isinstance(out, str)
        or out.startswith(("/", "\\"))
        or ".." in out.replace("\\", "/").split("/")
    ):
        raise SheetError(f"A folder “{out}”.", where, "Give one beside or below the sheet.")
    steps = row.get("steps", [])
    if not isinstance(steps, list) or not steps:
        raise SheetError("It has no steps.", where, 'Give steps = [{ do = "pack" }].')
    hold = row.get("hold", False)
    if not isinstance(hold, bool):
        raise SheetError(f"hold = {hold!r}.", where, "Give true or false.")
    atlases = _texts(row.get("atlas", []), where, "atlas")
    target = Target(_texts(row.get("objects", []), where, "objects"), _channel(row, where))
    done = tuple(_about(_step(step, presets, where), atlases, target) for step in steps)
    return Line(title, files, sources, out, hold, done, atlases, target)


def _channel(row: Mapping[str, Any], where: str) -> int | None:
    value = row.get("channel")
    if value is None:
        return None
    if not isinstance(value, int) or isinstance(value, bool) or not 1 <= value <= MOST_CHANNELS:
        raise SheetError(
            f"channel = {value!r}.",
            where,
            f"Give the number of a UV channel, 1 to {MOST_CHANNELS}.",
        )
    return value


def _about(step: Step, atlases: Sequence[str], target: Target) -> Step:
    """A step about some atlases, or objects, where it is about layouts."""
    if not OPERATIONS[step.do].files.layouts:
        return step
    settings = {"atlas": list(atlases), **step.settings} if atlases else step.settings
    return Step(step.do, settings, target)


def _step(step: Any, presets: Mapping[str, Any], where: str) -> Step:
    known = [one.name for one in OPERATIONS.values() if one.files.writes != "project"]
    if not isinstance(step, dict) or step.get("do") not in known:
        said = step.get("do") if isinstance(step, dict) else step
        raise SheetError(f"A step that does “{said}”.", where, f"do is one of {', '.join(known)}.")
    where = f"{where}, {step['do']}"
    settings: dict[str, Any] = {}
    preset = step.get("preset")
    if preset is not None:
        if preset not in presets:
            raise SheetError(f"There is no preset “{preset}”.", where, f"Write [presets.{preset}].")
        settings |= _table(presets[preset], where, f"preset {preset}")
    settings |= {key: value for key, value in step.items() if key not in ("do", "preset")}
    for key, value in settings.items():
        rows = value if isinstance(value, list) else [value]
        if not all(isinstance(one, FREE) for one in rows):
            raise SheetError(
                f"{key} = {value!r}.",
                where,
                "Give a number, a text, true or false, or a list of them.",
            )
        if key.replace("_", "-") in ("out", "json", "files", "help", "force", "in-place"):
            raise SheetError(
                f"A setting “{key}”.",
                where,
                "The line itself says what goes in and where it comes out.",
            )
    return Step(step["do"], {key.replace("-", "_"): value for key, value in settings.items()})


def _in_order(lines: Sequence[Line], name: str) -> tuple[Line, ...]:
    """Lines so that each comes after those it takes from; else as they are written."""
    by_name = {line.name: line for line in lines}
    out: dict[str, Line] = {}
    for first in lines:
        # From a line down to those it takes from, one step at a time: chains may be long.
        under_way = {first.name: iter(first.sources)} if first.name not in out else {}
        while under_way:
            last = next(reversed(under_way))
            source = next(under_way[last], None)
            if source is None:
                del under_way[last]
                out[last] = by_name[last]
            elif source not in by_name:
                raise SheetError(
                    f"There is no line “{source}”.", f"{name}, “{last}”", "Correct from."
                )
            elif source in under_way:
                ring = [*list(under_way)[list(under_way).index(source) :], source]
                shown = ring if len(ring) <= MOST_TOLD else [*ring[: MOST_TOLD - 2], "…", ring[-1]]
                raise SheetError(
                    f"Lines go round in a circle: {' → '.join(shown)}.",
                    name,
                    "Take one of them out.",
                )
            elif source not in out:
                under_way[source] = iter(by_name[source].sources)
    return tuple(out.values())


def _known(table: Mapping[str, Any], keys: Sequence[str], name: str, what: str) -> None:
    for key in table:
        if key not in keys:
            raise SheetError(f"“{key}” in {what}.", name, f"Known are {', '.join(keys)}.")


def _table(value: Any, name: str, what: str) -> dict[str, Any]:
    if not isinstance(value, dict):
        raise SheetError(f"“{what}” is no table.", name, "Write it with brackets.")
    return value


def _texts(value: Any, where: str, key: str) -> tuple[str, ...]:
    rows = [value] if isinstance(value, str) else value
    if not isinstance(rows, list) or not all(isinstance(one, str) and one for one in rows):
        raise SheetError(f"{key} = {value!r}.", where, "Give a list of texts.")
    return tuple(rows)
