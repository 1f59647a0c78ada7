"""Do the steps of one line, in a process of its own."""

from __future__ import annotations

import os
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from quilt_core.document.project.file import is_project
from quilt_core.operations.operation import Progress
from quilt_core.operations.unwrap import NothingToDo
from quilt_core.run.inputs import Input
from quilt_core.run.sheet import Step
from quilt_core.run.steps import Call
from quilt_core.run.store import DONE, Store
from quilt_core.run.walk import StepEnd, do_steps

MOST_TOLD = 12


@dataclass(frozen=True)
class StepTask:
    """A step and the fingerprint of its result."""

    step: Step
    fingerprint: str


@dataclass(frozen=True)
class LineTask:
    """A line whose inputs are there.

    Parameters
    ----------
    name : str
    sheet : str
        Name of the sheet.
    root : Path
    meshes : tuple of Input
        Meshes that go in, in the order of their content.
    steps : tuple of StepTask
    """

    name: str
    sheet: str
    root: Path
    meshes: tuple[Input, ...]
    steps: tuple[StepTask, ...]


@dataclass
class LineDone:
    """What became of a line.

    Parameters
    ----------
    name : str
    error : str
        Why it failed; empty when it did not.
    steps : list of dict
        do, cached, fingerprint, seconds, code, and what was said.
    """

    name: str
    error: str = ""
    steps: list[dict[str, Any]] = field(default_factory=list)


def do_line(task: LineTask) -> LineDone:
    """Do all steps whose results are not there yet; a step that fails ends the line."""
    store = Store(task.root, task.sheet)
    meshes: Sequence[Input] = task.meshes

    def do(number: int, progress: Progress) -> StepEnd:
        nonlocal meshes
        one = task.steps[number]
        cached = store.result(one.fingerprint) is not None
        if not cached:
            _do_step(Call(one.step, task.root), meshes, store, one.fingerprint)
        answer = store.answer(one.fingerprint)
        made = answer["names"]
        if made:
            folder = store.results / one.fingerprint
            meshes = [
                Input(folder / name, mesh.place) for name, mesh in zip(made, meshes, strict=True)
            ]
        return StepEnd(not answer["code"], answer["said"], cached)

    walk = do_steps([one.step.do for one in task.steps], do, Progress())
    rows = [
        {
            "do": one.step.do, "cached": end.cached, "fingerprint": one.fingerprint,
            "seconds": round(seconds, 3), "code": int(not end.ok), "said": list(end.said),
        }
        for one, (end, seconds) in zip(task.steps, walk.ends, strict=False)
    ]  # fmt: skip
    return LineDone(task.name, str(walk.error or ""), rows)


def _do_step(call: Call, meshes: Sequence[Input], store: Store, digest: str) -> None:
    with store.making(digest) as (folder, answer):
        try:
            done = call.do(meshes, _Log(store.folder / "last.log"))
            lines, ok, names = done.lines, done.ok, done.meshes
            files = {**done.files, **done.aside}
        except NothingToDo as nothing:
            lines, ok = [str(nothing)], True
            names = [mesh.place for mesh in meshes]
            files = _as_they_are(meshes)
        for name, data in files.items():
            path = folder / name
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(data)
        answer |= {
            "do": call.step.do,
            "code": 0 if ok else 1,
            "said": [] if ok else lines[-MOST_TOLD:],
            "names": names,
        }


def _as_they_are(meshes: Sequence[Input]) -> dict[str, bytes]:
    """Meshes with all that they name, or a project file, unchanged."""
    if any(is_project(mesh.path) for mesh in meshes):
        return {mesh.place: mesh.path.read_bytes() for mesh in meshes}
    from quilt_core.document.document import Document
    from quilt_core.operations.files import read_sources
    from quilt_core.run.on_files import mesh_files

    sources = read_sources([mesh.path for mesh in meshes], 1.0, Progress())
    return mesh_files(Document([], sources), dict(enumerate(meshes)), {}, {})[0]


class _Log(Progress):
    """Writes what it hears into a file."""

    def __init__(self, path: Path) -> None:
        self._path, self._last = path, ""

    def report(
        self, done: float, message: str, figures: Any = None, placements: Any = None
    ) -> None:
        """Write a message that is not the last one again."""
        if message != self._last:
            self._last = message
            with self._path.open("a", encoding="utf-8") as out:
                out.write(f"{message}\n")


def meshes_of(store: Store, step: StepTask) -> list[str]:
    """Names of the meshes that a step has written, in the order of those that went in; none where it writes none."""
    return list(store.answer(step.fingerprint).get("names", []))


def last_meshes(store: Store, steps: Sequence[StepTask]) -> StepTask | None:
    """The last step that has written meshes."""
    return next((one for one in reversed(steps) if meshes_of(store, one)), None)


def result_files(store: Store, steps: Sequence[StepTask], names: Sequence[str]) -> dict[str, Path]:
    """Files that come out of a line by their names: the last meshes with what lies beside them, and all textures and
    reports; meshes are called as those that came in now, whatever they were called when the result was made."""
    out: dict[str, Path] = {}
    last = last_meshes(store, steps)
    for one in steps:
        made = meshes_of(store, one)
        if made and one is not last:
            continue
        folder = store.results / one.fingerprint
        renamed = dict(zip(made, names, strict=False))
        for path in sorted(folder.rglob("*")):
            name = path.relative_to(folder).as_posix()
            if path.is_file() and name != DONE:
                out[renamed.get(name, name)] = path
    return out


def quietly() -> None:
    """Keep workers from answering Ctrl+C by themselves."""
    import signal

    signal.signal(signal.SIGINT, signal.SIG_IGN)
    os.environ.setdefault("NUMBA_NUM_THREADS", "2")
