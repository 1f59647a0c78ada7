"""Steps of a run sheet as calls of the command line's own commands."""

from __future__ import annotations

import argparse
import io
from collections.abc import Mapping, Sequence
from contextlib import redirect_stderr
from dataclasses import dataclass
from functools import cache
from pathlib import Path
from typing import Any

from quilt_cli.arguments import build
from quilt_core.run.sheet import MESHES, SheetError, Step

COMES_OUT = ("report", "sheet")
"""Settings that name a file that is written."""
GOES_IN = ("rules", "layout", "high", "shell", "profile", "background", "reach")
"""Settings that name files that are read."""
WITH_MESHES = ("layout", "high", "shell")
"""Of those, the ones that are meshes and read others beside them."""


@dataclass(frozen=True)
class Call:
    """A step ready to be done.

    Parameters
    ----------
    step : Step
    writes_meshes : bool
    """

    step: Step

    @property
    def writes_meshes(self) -> bool:
        """Whether the next step takes what this one writes."""
        return self.step.do in MESHES and not (
            self.step.do == "channels" and not set(EDITS) & set(self.step.settings)
        )

    def options(self, files: Sequence[Path], out: Path, root: Path) -> argparse.Namespace:
        """The command's options.

        Parameters
        ----------
        files : sequence of Path
            Meshes that it takes.
        out : Path
            Folder of what it writes.
        root : Path
            Folder that names of other files are relative to.

        Raises
        ------
        SheetError
            When a setting is none of the command's.
        """
        argv = [self.step.do, *map(str, files)]
        actions = _actions(self.step.do)
        for key, value in self.step.settings.items():
            flag = "--" + key.replace("_", "-")
            action = actions.get(flag)
            if action is None:
                known = ", ".join(sorted(name[2:].replace("-", "_") for name in actions))
                raise SheetError(
                    f"{self.step.do} has no setting “{key}”.", "", f"Known are {known}."
                )
            argv += _words(flag, action, self._placed(key, value, out, root))
        if "--out" in actions and (self.writes_meshes or self.step.do not in MESHES):
            # A single file is given its name: what it holds is no folder then.
            argv += ["--out", str(out)]
        answer = io.StringIO()
        try:
            with redirect_stderr(answer):
                return _parser().parse_args(argv)
        except SystemExit:
            said = answer.getvalue().strip().splitlines()
            what = said[-1].partition("error: ")[2] if said else "It cannot be used."
            raise SheetError(f"{self.step.do}: {what}.", "", "Mend the step's settings.") from None

    def _placed(self, key: str, value: Any, out: Path, root: Path) -> Any:
        if key in COMES_OUT:
            name = Path(str(value))
            if name.is_absolute() or ".." in name.parts:
                raise SheetError(
                    f"{key} = {value!r}.", "", "Give the name of a file in the line's folder."
                )
            return str(out / name)
        if key not in GOES_IN:
            return value
        rows = value if isinstance(value, list) else [value]
        placed = [str(path) for name in rows for path in named_files(str(name), root)] or [
            str(root / str(r)) for r in rows
        ]
        if key == "profile" and not (root / str(value)).is_file():
            return value  # one of those that are always there
        return placed if isinstance(value, list) else placed[0]


EDITS = ("copy", "move", "swap", "delete", "rename")


def named_files(name: str, root: Path) -> list[Path]:
    """Files that a setting names, in order; patterns give all that fit."""
    plain = name.replace("{tile}", "*")
    if any(sign in plain for sign in "*?["):
        return sorted(path for path in root.glob(plain) if path.is_file())
    return [root / plain] if (root / plain).is_file() else []


def files_aside(step: Step, root: Path) -> dict[str, list[Path]]:
    """Files that a step's settings name, by what the setting says."""
    out = {}
    for key in GOES_IN:
        value = step.settings.get(key)
        for name in value if isinstance(value, list) else [value]:
            if isinstance(name, str) and (found := named_files(name, root)):
                out[name] = found
    return out


def has_meshes(step: Step) -> Mapping[str, bool]:
    """Names of files aside, and whether they are meshes."""
    out = {}
    for key in GOES_IN:
        value = step.settings.get(key)
        for name in value if isinstance(value, list) else [value]:
            if isinstance(name, str):
                out[name] = key in WITH_MESHES
    return out


@cache
def _parser() -> argparse.ArgumentParser:
    return build()


@cache
def _actions(verb: str) -> dict[str, argparse.Action]:
    """Flags of a command."""
    for action in _parser()._actions:
        if isinstance(action, argparse._SubParsersAction):
            own: argparse.ArgumentParser = action.choices[verb]
            return {
                flag: one
                for one in own._actions
                for flag in one.option_strings
                if flag.startswith("--") and one.dest not in ("help", "json")
            }
    raise AssertionError("the command line has commands")


def _words(flag: str, action: argparse.Action, value: Any) -> list[str]:
    """A setting as words of a command line."""
    rows = value if isinstance(value, list) else [value]
    if action.nargs == 0:
        if not isinstance(value, bool):
            raise SheetError(f"{flag[2:]} = {value!r}.", "", "Give true or false.")
        return [flag] if value else []
    words = [f"{one:g}" if isinstance(one, float) else str(one) for one in rows]
    if isinstance(action, argparse._AppendAction):
        return [f"{flag}={word}" for word in words]
    if action.nargs in ("+", "*"):
        return [flag, *words]
    if action.nargs == "?" and value is True:
        return [flag]
    if len(words) != 1:
        raise SheetError(f"{flag[2:]} = {value!r}.", "", "Give one value.")
    return [f"{flag}={words[0]}"]
