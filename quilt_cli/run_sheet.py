"""``untold-quilt run``."""

from __future__ import annotations

import argparse
import os
import sys
import time
from pathlib import Path
from typing import Any

from quilt_cli.shown import shown
from quilt_core.errors import QuiltError
from quilt_core.run.engine import LineState, run_sheet, survey, undo
from quilt_core.run.sheet import RunSheet, read_sheet
from quilt_core.run.standing import CURRENT, DONE, FAILED, HELD, STALE
from quilt_core.run.store import Store

WATCH_EVERY = 1.0


def run_command(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    """Bring a run sheet up to date; exit code 1 when a line failed."""
    if options.undo is not None and (options.only or options.force or options.dry_run):
        raise QuiltError("Undo goes by itself.", "undo", "Leave the other options out.")
    if not options.watch:
        return _once(options)
    seen: Any = None
    while True:
        try:
            now = _stamps(options.sheet)
            if now != seen:
                answer, _ = _once(options)
                say("\n".join(answer["text"]))
                seen = _stamps(options.sheet)
        except QuiltError as error:
            say(f"untold-quilt: {error}")
            seen = _stamps(options.sheet)
        time.sleep(WATCH_EVERY)


def say(text: str) -> None:
    """Progress, to stderr."""
    print(shown(text), file=sys.stderr, flush=True)


def _once(options: argparse.Namespace) -> tuple[dict[str, Any], int]:
    path: Path = options.sheet
    try:
        sheet = read_sheet(path.name, path.read_bytes())
    except OSError as error:
        raise QuiltError(
            f"It cannot be read ({error.strerror}).", str(path), "Check the path."
        ) from None
    store = Store(path.resolve().parent, path.name)
    with store.alone():
        if options.undo:
            when = undo(sheet.line(options.undo), store)
            text = f"{options.undo}: as it was {when}; it is out of date until the sheet agrees, or holds the line"
            return {"json": {"undone": options.undo, "when": when}, "text": [text]}, 0
        return _run(options, sheet, store)


def _run(options: argparse.Namespace, sheet: RunSheet, store: Store) -> tuple[dict[str, Any], int]:
    for name in (*options.only, *options.force):
        sheet.line(name)
    began = time.monotonic()
    states = survey(sheet, store, options.force)
    looked = time.monotonic() - began
    wanted = options.only or [line.name for line in sheet.lines]
    if not options.dry_run:
        if options.force:
            for name in options.force:
                _forget(states[name], store)
        (store.folder / "last.log").unlink(missing_ok=True)
        run_sheet(sheet, store, states, wanted, options.jobs, say)
    store.save()
    if not options.dry_run:
        store.clear_away(_needed(states, store))
    rows = [_row(states[line.name]) for line in sheet.lines]
    bad = [
        row
        for row in rows
        if row["state"] == FAILED and (options.dry_run or row["name"] in wanted or row["ran"])
    ]
    json = {
        "lines": rows,
        "ok": not bad,
        "seconds": {"look": round(looked, 3), "all": round(time.monotonic() - began, 3)},
    }
    return {"json": json, "text": _text(rows)}, int(bool(bad))


def _needed(states: dict[str, LineState], store: Store) -> set[str]:
    """Results that lines have now, or had in their history."""
    out = {step.fingerprint for state in states.values() for step in state.steps}
    for kept in store.lines.values():
        out |= {mark for row in kept.get("history", []) for mark in row["steps"]}
    return out


def _forget(state: LineState, store: Store) -> None:
    """Take the results of a line's steps away, so that they are made anew."""
    for step in state.steps:
        folder = store.result(step.fingerprint)
        if folder is not None:
            (folder / "done.json").unlink()


def _row(state: LineState) -> dict[str, Any]:
    ran = state.ran
    return {
        "name": state.line.name,
        "state": state.state,
        "because": state.because,
        "since": state.since,
        "ran": ran is not None,
        "steps": ran.steps if ran else [],
        "files": state.files,
        "out": state.line.out,
    }


WORDS = {
    CURRENT: "current since {}",
    HELD: "held since {}",
    DONE: "done",
    STALE: "out of date",
    FAILED: "failed",
}


def _text(rows: list[dict[str, Any]]) -> list[str]:
    lines = []
    for row in rows:
        word = WORDS[row["state"]].format(row["since"] or "never")
        reason = "; ".join(row["because"])
        why = ""
        if reason:
            why = f", because {reason}" if row["state"] == DONE else f": {reason}"
        lines.append(f"{row['name']}: {word}{why}")
    return lines


def _stamps(sheet: Path) -> list[tuple[str, int, int]]:
    """All files of the sheet's folder with their sizes and times; not what runs keep there."""
    out = []
    for folder, names, files in os.walk(sheet.resolve().parent):
        names[:] = [name for name in names if name != ".quilt-run"]
        for file in files:
            try:
                facts = (Path(folder) / file).stat()
            except OSError:
                continue
            out.append((f"{folder}/{file}", facts.st_size, facts.st_mtime_ns))
    return sorted(out)
