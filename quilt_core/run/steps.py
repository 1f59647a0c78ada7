"""Steps of a run sheet: operations with their settings."""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Any

from quilt_core.document.project.file import ProjectFile, is_project
from quilt_core.errors import QuiltError
from quilt_core.operations.operation import Operation, Progress
from quilt_core.operations.project import atlases_with
from quilt_core.operations.registry import operation
from quilt_core.operations.steps import takes_objects
from quilt_core.options import Option
from quilt_core.run.inputs import Input
from quilt_core.run.on_files import FilesDone, do_on_files, file_options, read_settings
from quilt_core.run.on_project import opened_project
from quilt_core.run.sheet import SheetError, Step


@dataclass(frozen=True)
class Call:
    """A step ready to be done.

    Parameters
    ----------
    step : Step
    root : Path
        Folder that names of files are relative to.
    """

    step: Step
    root: Path

    @property
    def operation(self) -> Operation:
        """What it does."""
        return operation(self.step.do)

    def settings(self, opened: ProjectFile | None = None) -> dict[type[Any], Any]:
        """Its settings, checked, on mesh files or on a project file; those that name files that are written, or that are not there yet, are taken as they are.

        Raises
        ------
        SheetError
            With step and setting.
        """
        known = file_options(self.operation)
        for name, value in self.step.settings.items():
            one = known.get(name)
            if one is not None and one.names == "output":
                place = Path(str(value))
                if place.is_absolute() or ".." in place.parts:
                    raise SheetError(
                        f"{name} = {value!r}.",
                        f"{self.step.do}, {name}",
                        "Give the name of a file in the line's folder.",
                    )
        try:
            given = {**self._about(opened), **self._placed(known)}
            return read_settings(self.operation, given, self.root, opened=opened)
        except QuiltError as error:
            raise SheetError(error.what, f"{self.step.do}, {error.where}", error.fix) from None

    def _about(self, opened: ProjectFile | None) -> dict[str, Any]:
        """Settings that follow from what the line is about."""
        target = self.step.target
        out: dict[str, Any] = {}
        if target.objects and takes_objects(self.step.do):
            out["objects"] = list(target.objects)
        if opened is not None and target:
            out["atlas"] = atlases_with(opened, target.objects, target.channel)
        elif target.channel and opened is None:
            out["channel"] = target.channel
        return out

    def check_files(self) -> None:
        """Look whether it can be done on mesh files at all.

        Raises
        ------
        SheetError
        """
        if (
            self.step.target.objects
            and self.operation.files.layouts
            and not takes_objects(self.step.do)
        ):
            raise SheetError(
                f"{self.step.do} is about all objects of mesh files.", "objects",
                "Leave objects out and name files that hold these alone, or give a project file.",
            )  # fmt: skip

    def _placed(self, known: Mapping[str, Option]) -> dict[str, Any]:
        """Settings with patterns of mesh files as the files that fit."""
        out = dict(self.step.settings)
        for name, value in out.items():
            one = known.get(name)
            if one is None or one.names not in ("mesh", "document"):
                continue
            rows = value if isinstance(value, list) else [value]
            found = [
                str(path.relative_to(self.root))
                for row in rows
                for path in named_files(str(row), self.root)
            ]
            if found:
                out[name] = found if one.many else found[0]
        return out

    def do(self, inputs: Sequence[Input], progress: Progress) -> FilesDone:
        """Do it.

        Raises
        ------
        QuiltError
        """
        if not any(is_project(one.path) for one in inputs):
            self.check_files()
            return do_on_files(self.operation, inputs, self.settings(), progress, self.root)
        (one,) = inputs
        with opened_project(one.path, progress) as opened:
            settings = self.settings(opened)
            done = do_on_files(
                self.operation, [], settings, progress, self.root, opened=opened,
                meshes_too=self.operation.changes != "layout",
            )  # fmt: skip
            if done.project is None:
                # What it wrote comes out; the next step goes on with the project.
                return replace(done, meshes=[])
            out = io.BytesIO()
            done.project(out)
        return replace(done, files={one.place: out.getvalue()}, meshes=[one.place])


def named_files(name: str, root: Path) -> list[Path]:
    """Files that a setting names, in order; patterns give all that fit."""
    plain = name.replace("{tile}", "*")
    if any(sign in plain for sign in "*?["):
        return sorted(path for path in root.glob(plain) if path.is_file())
    return [root / plain] if (root / plain).is_file() else []


def read_by(step: Step) -> Mapping[str, bool]:
    """Names of files that a step reads besides its meshes, and whether they are meshes themselves."""
    known = file_options(operation(step.do))
    out: dict[str, bool] = {}
    for name, value in step.settings.items():
        one = known.get(name)
        if one is None or one.names not in ("mesh", "document", "image", "file"):
            continue
        for row in value if isinstance(value, list) else [value]:
            if isinstance(row, str):
                out[row] = one.names in ("mesh", "document")
    return out
