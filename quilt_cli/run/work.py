"""Do the steps of one line, in a process of its own."""

from __future__ import annotations

import contextlib
import os
import shutil
import time
from collections.abc import Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from quilt_cli.gather import NothingToDo
from quilt_cli.run.steps import Call
from quilt_cli.run.store import DONE, Store
from quilt_core.errors import QuiltError
from quilt_core.run.sheet import Step

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
    meshes : tuple of Path
        Meshes that go in, in the order of their content.
    beside : tuple of (name, Path)
        Files that they read, which layouts without pictures do not write again.
    steps : tuple of StepTask
    """

    name: str
    sheet: str
    root: Path
    meshes: tuple[Path, ...]
    beside: tuple[tuple[str, Path], ...]
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
        do, seconds, cached, and what was found.
    """

    name: str
    error: str = ""
    steps: list[dict[str, Any]] = field(default_factory=list)


def do_line(task: LineTask) -> LineDone:
    """Do all steps whose results are not there yet; a step that fails ends the line."""
    store = Store(task.root, task.sheet)
    done = LineDone(task.name)
    meshes: Sequence[Path] = task.meshes
    for one in task.steps:
        call = Call(one.step)
        began = time.monotonic()
        row: dict[str, Any] = {"do": one.step.do, "cached": True, "fingerprint": one.fingerprint}
        done.steps.append(row)
        if store.result(one.fingerprint) is None:
            row["cached"] = False
            try:
                _do_step(task, call, meshes, store, one.fingerprint)
            except QuiltError as error:
                row["seconds"] = round(time.monotonic() - began, 3)
                done.error = f"{one.step.do}: {error}"
                return done
        row["seconds"] = round(time.monotonic() - began, 3)
        answer = store.answer(one.fingerprint)
        row |= {"code": answer["code"], "said": answer["said"]}
        if answer["code"]:
            done.error = (
                f"{one.step.do}: {'; '.join(answer['said'][:3]) or 'it was not good enough'}"
            )
            return done
        if call.writes_meshes:
            folder = store.results / one.fingerprint
            meshes = [folder / path.name for path in meshes]
    return done


def _do_step(task: LineTask, call: Call, meshes: Sequence[Path], store: Store, mark: str) -> None:
    from quilt_cli import main

    with store.making(mark) as (folder, answer):
        options = call.options(meshes, folder, task.root)
        log = store.folder / "last.log"
        with log.open("a", encoding="utf-8") as said, contextlib.redirect_stderr(said):
            try:
                given, code = main.run(options)
            except NothingToDo as nothing:
                given, code = {"text": str(nothing)}, 0
                for path in meshes:
                    shutil.copyfile(path, folder / path.name)
        if call.writes_meshes and call.step.do != "merge":
            for name, path in task.beside:
                target = folder / name
                if not target.exists():
                    target.parent.mkdir(parents=True, exist_ok=True)
                    shutil.copyfile(path, target)
        answer |= {
            "do": call.step.do,
            "code": code,
            "said": str(given["text"]).splitlines()[-MOST_TOLD:] if code else [],
            "names": [path.name for path in meshes],
        }


def result_files(store: Store, steps: Sequence[StepTask], names: Sequence[str]) -> dict[str, Path]:
    """Files that come out of a line by their names: the last meshes with what lies beside them, and all pictures and
    reports; meshes are called as those that came in now, whatever they were called when the result was made."""
    out: dict[str, Path] = {}
    last = [one for one in steps if Call(one.step).writes_meshes][-1:]
    for one in steps:
        call = Call(one.step)
        if call.writes_meshes and one not in last:
            continue
        folder = store.results / one.fingerprint
        made = store.answer(one.fingerprint).get("names", [])
        renamed = dict(zip(made, names, strict=False)) if call.writes_meshes else {}
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
