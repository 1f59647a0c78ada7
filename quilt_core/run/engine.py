"""Find out which lines of a sheet are out of date, and do those, each after what it takes."""

from __future__ import annotations

import multiprocessing
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import FIRST_COMPLETED, Executor, Future, ProcessPoolExecutor, wait
from concurrent.futures.process import BrokenProcessPool
from dataclasses import dataclass, field
from datetime import UTC, datetime
from pathlib import Path
from posixpath import normpath
from typing import Any

from quilt_core.document.project.file import is_project
from quilt_core.errors import QuiltError
from quilt_core.formats.load import is_mesh
from quilt_core.run.fingerprint import InputFile, code_version, input_fingerprint, step_fingerprint
from quilt_core.run.inputs import Input
from quilt_core.run.outputs import common_parent
from quilt_core.run.reasons import file_reasons, step_reasons
from quilt_core.run.sheet import Line, RunSheet, SheetError, Step
from quilt_core.run.standing import (
    CURRENT,
    DONE,
    FAILED,
    HELD,
    STALE,
    Kept,
    Standing,
    standing,
)
from quilt_core.run.steps import Call, named_files, read_by
from quilt_core.run.store import Store, changed, deliver, missing, strangers
from quilt_core.run.work import (
    LineDone,
    LineTask,
    StepTask,
    do_line,
    last_meshes,
    meshes_of,
    quietly,
    result_files,
)

Tell = Callable[[str], None]


@dataclass
class LineState:
    """How a line stands.

    Parameters
    ----------
    line : Line
    fingerprint : str
        Of its result as it ought to be; empty when that cannot be known.
    state : str
        current, out of date, failed, held, or done.
    because : list of str
    since : str
        When it was done last.
    inputs : list of (path, InputFile)
        Its own files, in the order of their content.
    steps : list of StepTask
    told : list of dict
        The steps as they are kept, to say later what has changed.
    sources : dict
        Lines that it takes from, with their fingerprints.
    ran : LineDone, optional
    forced : bool
        Whether it was asked for whatever it overwrites.
    """

    line: Line
    fingerprint: str = ""
    state: str = STALE
    because: list[str] = field(default_factory=list)
    since: str = ""
    inputs: list[tuple[Path, InputFile]] = field(default_factory=list)
    steps: list[StepTask] = field(default_factory=list)
    told: list[dict[str, Any]] = field(default_factory=list)
    sources: dict[str, str] = field(default_factory=dict)
    ran: LineDone | None = None
    forced: bool = False
    files: list[str] = field(default_factory=list)


def survey(sheet: RunSheet, store: Store, forced: Sequence[str] = ()) -> dict[str, LineState]:
    """Say of each line whether it is current, and why not; nothing is run.

    Raises
    ------
    SheetError
        When a step has a setting that there is none of.
    """
    out: dict[str, LineState] = {}
    for line in sheet.lines:
        now = LineState(line, forced=line.name in forced)
        out[line.name] = now
        kept = store.lines.get(line.name, {})
        now.since = kept.get("when", "")
        try:
            _look(now, out, store, sheet.name)
        except SheetError:
            raise
        except QuiltError as error:
            now.state, now.because = FAILED, [str(error)]
            continue
        found = _standing(now, out, kept, store)
        now.state, now.because = found.state, found.because
        if line.hold:
            _as_it_was(now, kept)
        elif now.state == CURRENT and line.out:
            edited = changed(store.root / line.out, kept.get("delivered", {}))
            if edited:
                now.because = [f"{edited[0]}{_more(edited)} was changed by hand, and is kept"]
    return out


def _as_it_was(now: LineState, kept: dict[str, Any]) -> None:
    """A held line stands for what it made last, whatever has changed since; one that never made anything feeds no other."""
    last = next(iter(kept.get("history", [])[-1:]), None)
    if last is None:
        now.fingerprint, now.steps = "", []
        return
    now.fingerprint = last["fingerprint"]
    steps = zip(last["do"], last["steps"], strict=True)
    now.steps = [StepTask(Step(do, {}), digest) for do, digest in steps]


def _look(now: LineState, known: dict[str, LineState], store: Store, sheet_name: str) -> None:
    """Fingerprints of a line and its steps."""
    line = now.line
    found = _files(line, store.root)
    rows = [(path, store.file(path)) for path in found]
    now.inputs = sorted(rows, key=lambda row: (row[1].fingerprint, row[1].name))
    for name in line.sources:
        if not known[name].fingerprint:
            what = "is held and has not run yet" if known[name].state == HELD else "failed"
            raise QuiltError(f"“{name}” {what}.", f"“{line.name}”", "Correct that line first.")
        now.sources[name] = known[name].fingerprint
    _refuse_own_sources(now, sheet_name, store)
    if not now.inputs and not now.sources:
        raise QuiltError(
            f"No file fits {', '.join(line.files)}.",
            f"“{line.name}”",
            "Correct the patterns, or bring the files.",
        )
    before = input_fingerprint([one for _, one in now.inputs], [*now.sources.values()])
    for number, step in enumerate(line.steps, start=1):
        try:
            call = Call(step, store.root)
            call.settings()  # whether it can be used at all
            if now.inputs and not any(is_project(path) for path, _ in now.inputs):
                call.check_files()
        except SheetError as error:
            place = f"{sheet_name}, “{line.name}”, step {number}, {error.where}"
            raise SheetError(error.what, place, error.fix) from None
        aside = _aside(step, store)
        before = step_fingerprint(before, step, aside, code_version())
        now.steps.append(StepTask(step, before))
        about = {"about": str(step.target)} if step.target else {}
        now.told.append({"do": step.do, "settings": {**about, **step.settings}, "aside": aside})
    now.fingerprint = before


def _refuse_own_sources(now: LineState, sheet_name: str, store: Store) -> None:
    """A line writes neither onto what it reads nor where a line of another sheet does.

    Raises
    ------
    SheetError
    """
    line = now.line
    if not line.out:
        return
    where = f"{sheet_name}, “{line.name}”"
    other = store.others().get(normpath(line.out))
    if other:
        raise SheetError(
            f"“{other[1]}” of {other[0]} writes to “{line.out}”, too.",
            where,
            "Give each its own folder.",
        )
    read = {path.resolve() for path, _ in now.inputs}
    for place in _places([path for path, _ in now.inputs]):
        if (store.root / line.out / place).resolve() in read:
            raise SheetError(
                f"It would write onto {line.out}/{place}, which it reads.",
                where,
                "Give another folder as out.",
            )


def _files(line: Line, root: Path) -> list[Path]:
    """Mesh files that patterns give, in order of their names."""
    wanted: dict[Path, None] = {}
    for pattern in line.files:
        leave = pattern.startswith("!")
        found = sorted(path for path in root.glob(pattern.removeprefix("!")) if path.is_file())
        for path in found:
            if leave:
                wanted.pop(path, None)
            elif is_mesh(path.name) or is_project(path):
                wanted[path] = None
    if any(map(is_project, wanted)) and (len(wanted) > 1 or line.sources):
        raise QuiltError(
            "A project file goes into a line by itself.", f"“{line.name}”", "Give it a line of its own."
        )  # fmt: skip
    return list(wanted)


def _aside(step: Step, store: Store) -> dict[str, str]:
    out = {}
    for name, mesh in read_by(step).items():
        paths = named_files(name, store.root)
        if not paths:
            continue
        digests = [store.file(p).fingerprint if mesh else store.plain(p) for p in paths]
        out[name] = " ".join(sorted(digests))
    return out


def _standing(
    now: LineState, known: dict[str, LineState], kept: dict[str, Any], store: Store
) -> Standing:
    last, error = kept.get("fingerprint", ""), kept.get("error", "")
    also = [
        f"“{name}” is out of date"
        for name in now.line.sources
        if known[name].state == STALE
        and kept.get("sources", {}).get(name) != known[name].fingerprint
    ]
    if last == now.fingerprint and last and not error:
        also = _lacking(now, known, kept, store)
    return standing(
        Kept([last] if last and not error else [], last, error), now.fingerprint,
        lambda: _changes(now, kept, store, stale=bool(also)), also, hold=now.line.hold, asked=now.forced,
    )  # fmt: skip


def _lacking(
    now: LineState, known: dict[str, LineState], kept: dict[str, Any], store: Store
) -> list[str]:
    """What of the line's result is not where it should be."""
    gone = missing(store.root / now.line.out, kept["delivered"]) if now.line.out else []
    if gone:
        return [f"{gone[0]} is missing{_more(gone)}"]
    moved = kept.get("out", "") != now.line.out
    renamed = kept.get("names") != _names(now, known)
    return ["it goes to another folder"] * moved or ["files have other names"] * renamed


def _changes(now: LineState, kept: dict[str, Any], store: Store, stale: bool) -> list[str]:
    """What has changed since the line was done."""
    files = {one.name: one.fingerprint for _, one in now.inputs}
    contents = {
        digest: found
        for digest in {*files.values(), *kept["files"].values()}
        if (found := store.contents(digest)) is not None
    }
    reasons = file_reasons(kept["files"], files, contents) + step_reasons(kept["steps"], now.told)
    digests = kept["sources"]
    if not stale and now.sources != digests:
        reasons.append("what comes from other lines has changed")
    if kept["version"] != code_version():
        reasons.append("the program has changed")
    return reasons


def _more(names: Sequence[str]) -> str:
    return f", and {len(names) - 1} more" if names[1:] else ""


def _meshes(now: LineState, known: dict[str, LineState], store: Store) -> list[Input]:
    """Meshes that go in, each with its place in the line's folder.

    Raises
    ------
    QuiltError
        When two of them have the same place.
    """
    own = [path for path, _ in now.inputs]
    out = [Input(path, place) for path, place in zip(own, _places(own), strict=True)]
    for name in now.line.sources:
        source = known[name]
        last = last_meshes(store, source.steps)
        if last is None:
            out += _meshes(source, known, store)
            continue
        folder = store.results / last.fingerprint
        places = _names(source, known)
        made = meshes_of(store, last)
        out += [Input(folder / one, place) for one, place in zip(made, places, strict=True)]
    taken: dict[str, Path] = {}
    for one in out:
        other = taken.setdefault(one.place, one.path)
        if other != one.path:
            raise QuiltError(
                f"Two inputs would both be “{one.place}”.", f"“{now.line.name}”",
                "Rename one of them, or give the lines that they come from files in folders of their own.",
            )  # fmt: skip
    return out


def _places(paths: Sequence[Path]) -> list[str]:
    """Files keep their folders below the one that holds all of them."""
    if not paths:
        return []
    root = common_parent(paths)
    return [(p.resolve().parent.relative_to(root) / p.name).as_posix() for p in paths]


def _names(now: LineState, known: dict[str, LineState]) -> list[str]:
    """Places of the meshes in the line's folder, in the order in which they go in."""
    names = _places([path for path, _ in now.inputs])
    for source in now.line.sources:
        names += _names(known[source], known)
    return names


def run_sheet(
    sheet: RunSheet,
    store: Store,
    states: dict[str, LineState],
    wanted: Sequence[str],
    jobs: int,
    tell: Tell,
) -> None:
    """Do the wanted lines that are out of date, and those that they take from; `states` say afterwards how it went.

    Lines that do not wait for one another are done at the same time. What a line made before stays where it fails.
    """
    todo = _needed(states, wanted, store)
    waiting = {name: [s for s in states[name].line.sources if s in todo] for name in todo}
    running: dict[Future[LineDone], str] = {}
    with _pool(jobs if len(todo) > 1 else 1) as pool:
        try:
            while waiting or running:
                ready = [name for name, others in waiting.items() if not others]
                for name in ready:
                    del waiting[name]
                    task = _task(states, name, sheet, store)
                    if task is None:
                        _release(waiting, name)
                        continue
                    tell(f"{name}: {'; '.join(states[name].because) or 'asked for'}")
                    running[pool.submit(do_line, task)] = name
                if not running:
                    continue
                for future in wait(running, return_when=FIRST_COMPLETED).done:
                    name = running.pop(future)
                    _finish(states, name, _ended(future, name), store, tell)
                    _release(waiting, name)
        except KeyboardInterrupt:
            pool.shutdown(wait=False, cancel_futures=True)
            raise


class _Here(Executor):
    """Does what is asked at once, in this process: nothing is to be started for a single line."""

    def submit(self, fn: Callable[..., Any], /, *args: Any, **kwargs: Any) -> Future[Any]:
        out: Future[Any] = Future()
        try:
            out.set_result(fn(*args, **kwargs))
        except Exception as error:
            out.set_exception(error)
        return out


def _pool(jobs: int) -> Executor:
    if jobs == 1:
        return _Here()
    context = multiprocessing.get_context("spawn")
    return ProcessPoolExecutor(jobs, mp_context=context, initializer=quietly)


def _ended(future: Future[LineDone], name: str) -> LineDone:
    """What became of a line, however it ended."""
    try:
        return future.result()
    except BrokenProcessPool:
        return LineDone(name, "Its process was ended from outside, or ran out of memory.")
    except Exception as error:  # an own mistake must not take the other lines along
        what = f"{type(error).__name__}: {error}"
        return LineDone(name, f"Something went wrong that should not have ({what}).")


def _needed(states: dict[str, LineState], wanted: Sequence[str], store: Store) -> list[str]:
    """Wanted lines that are out of date or failed, and what of theirs is, or lost its kept result."""
    out: list[str] = []

    def visit(name: str, feeds: bool = False) -> None:
        state = states[name]
        due = state.state in (STALE, FAILED)
        lost = feeds and any(store.result(step.fingerprint) is None for step in state.steps)
        for source in state.line.sources:
            visit(source, due or lost)
        if (due or (lost and state.state != HELD)) and state.fingerprint and name not in out:
            out.append(name)

    for name in wanted:
        visit(name)
    return out


def _release(waiting: dict[str, list[str]], name: str) -> None:
    for others in waiting.values():
        if name in others:
            others.remove(name)


def _task(
    states: dict[str, LineState], name: str, sheet: RunSheet, store: Store
) -> LineTask | None:
    now = states[name]
    bad = [source for source in now.line.sources if states[source].state == FAILED]
    if bad:
        now.state, now.because = FAILED, [f"“{bad[0]}” failed"]
        return None
    try:
        meshes = _meshes(now, states, store)
    except QuiltError as error:
        now.state, now.because = FAILED, [str(error)]
        return None
    return LineTask(name, sheet.name, store.root, tuple(meshes), tuple(now.steps))


def _finish(
    states: dict[str, LineState], name: str, ran: LineDone, store: Store, tell: Tell
) -> None:
    """Deliver what a line made, and keep how it stands."""
    now = states[name]
    now.ran = ran
    kept = store.lines.get(name, {})
    delivered: dict[str, str] = kept.get("delivered", {})
    error = ran.error
    names = _names(now, states)
    if not error and now.line.out:
        try:
            files = result_files(store, now.steps, names)
            error = _kept_back(now, store, files, delivered)
        except OSError as fault:
            error = f"It cannot be written to “{now.line.out}” ({fault.strerror})."
    if not error and now.line.out:
        try:
            moved = kept.get("out", now.line.out) != now.line.out
            delivered = deliver(files, store.root / now.line.out, {} if moved else delivered)
            now.files = sorted(delivered)
        except OSError as fault:
            error = f"It cannot be written to “{now.line.out}” ({fault.strerror})."
    when = datetime.now(UTC).isoformat(timespec="seconds")
    store.lines[name] = {
        "fingerprint": now.fingerprint, "when": when, "error": error, "delivered": delivered, "out": now.line.out,
        "names": names, "files": {one.name: one.fingerprint for _, one in now.inputs}, "steps": now.told,
        "sources": {s: states[s].fingerprint for s in now.line.sources}, "version": code_version(),
        "seconds": sum(row.get("seconds", 0.0) for row in ran.steps),
        "history": [*kept.get("history", []), {"fingerprint": now.fingerprint, "when": when, "steps": [s.fingerprint for s in now.steps], "do": [s.step.do for s in now.steps], "names": names}][-20:]
        if not error
        else kept.get("history", []),
    }  # fmt: skip
    store.save()
    now.state, now.since = (FAILED if error else DONE), when
    if error:
        now.because = [error]
    tell(f"{name}: {'failed: ' + error if error else 'done'}")


def _kept_back(
    now: LineState, store: Store, files: Mapping[str, Path], delivered: Mapping[str, str]
) -> str:
    """Why files of a line are not put into their place: they would overwrite what somebody made; "" where they may."""
    out = store.root / now.line.out
    same = now.line.out == store.lines.get(now.line.name, {}).get("out", now.line.out)
    mine = delivered if same else {}
    if now.forced:
        return ""
    edited = [name for name in changed(out, mine) if name in files]
    if edited:
        return (
            f"{now.line.out}/{edited[0]}{_more(edited)} was changed by hand since it was written, and is kept. "
            f"Run it with --force “{now.line.name}” to overwrite it."
        )
    others = strangers(out, files, mine)
    if others:
        return (
            f"{now.line.out}/{others[0]}{_more(others)} is there already and was not written by a run; it is kept. "
            f"Run it with --force “{now.line.name}” to overwrite it."
        )
    return ""


def undo(line: Line, store: Store) -> str:
    """Put the result before the last one back in a line's folder; returns when that was made. The line is held
    in the sheet by whoever wants it to stay so.

    Raises
    ------
    QuiltError
        When there is none.
    """
    kept = store.lines.get(line.name, {})
    history = kept.get("history", [])
    older = [row for row in history[:-1] if row["fingerprint"] != kept.get("fingerprint")]
    if not older or not line.out:
        raise QuiltError("There is no earlier result.", f"“{line.name}”", "Nothing was changed.")
    back = older[-1]
    if any(store.result(digest) is None for digest in back["steps"]):
        raise QuiltError("The earlier result was cleared away.", f"“{line.name}”", "Run it again.")
    done = zip(back["do"], back["steps"], strict=True)
    tasks = [StepTask(Step(do, {}), digest) for do, digest in done]
    files = result_files(store, tasks, back["names"])
    kept["delivered"] = deliver(files, store.root / line.out, kept.get("delivered", {}))
    kept |= {"fingerprint": back["fingerprint"], "when": back["when"], "names": back["names"]}
    kept["history"] = history[: history.index(back) + 1]
    store.lines[line.name] = kept
    store.save()
    return str(back["when"])
