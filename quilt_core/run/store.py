"""Where results of a run sheet are kept: by content, so that an older state finds its own again."""

from __future__ import annotations

import fcntl
import json
import os
import shutil
import tempfile
import time
from collections.abc import Collection, Iterator, Mapping
from contextlib import contextmanager, suppress
from pathlib import Path
from posixpath import normpath
from typing import Any

from quilt_core.errors import QuiltError
from quilt_core.run.contents import Contents, contents_of, digest_of
from quilt_core.run.fingerprint import InputFile

FOLDER = ".quilt-run"
DONE = "done.json"
KEPT = 30 * 86_400.0
"""Seconds for which results are kept that nothing refers to."""
OLD = 600.0
"""Seconds after which what an interrupted run left is swept away."""


class Store:
    """Results, what was read, and how each line stood, in a folder beside the sheet.

    Parameters
    ----------
    root : Path
        Folder of the sheet.
    name : str
        Of the sheet.
    """

    def __init__(self, root: Path, name: str) -> None:
        self.root = root
        self.folder = root / FOLDER
        self.results = self.folder / "results"
        self._state = self.folder / f"{name}.json"
        self._index = self.folder / "files.json"
        for folder in (self.results, self.folder / "contents"):
            folder.mkdir(parents=True, exist_ok=True)
        self.index: dict[str, Any] = _read(self._index)
        self.lines: dict[str, Any] = _read(self._state).get("lines", {})

    @contextmanager
    def alone(self) -> Iterator[None]:
        """Hold the store; a second run at the same time is refused.

        Raises
        ------
        QuiltError
        """
        with (self.folder / "lock").open("w") as handle:
            try:
                fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except OSError:
                raise QuiltError(
                    "Another run of this folder is at work.", str(self.root), "Wait for it."
                ) from None
            self._sweep()
            yield

    def others(self) -> dict[str, tuple[str, str]]:
        """Folders that lines of other sheets beside this one write to: sheet and line by folder."""
        out: dict[str, tuple[str, str]] = {}
        for path in self.folder.glob("*.json"):
            if path in (self._state, self._index) or not (self.root / path.stem).is_file():
                continue
            for name, line in _read(path).get("lines", {}).items():
                if isinstance(line, dict) and line.get("out"):
                    out[normpath(str(line["out"]))] = (path.stem, name)
        return out

    def save(self) -> None:
        """Keep how the lines stand."""
        _write(self._state, {"lines": self.lines})
        _write(self._index, self.index)

    def file(self, path: Path) -> InputFile:
        """What a mesh file and the files it reads hold; read anew only where one of them has changed.

        Raises
        ------
        QuiltError
            When it cannot be read.
        """
        name = (
            path.relative_to(self.root).as_posix() if path.is_relative_to(self.root) else str(path)
        )
        digest = self._digest(path)
        contents = self._contents(path, digest)
        return InputFile(name, digest, contents.siblings)

    def plain(self, path: Path) -> str:
        """Mark of a file by itself."""
        return self._digest(path)

    def contents(self, fingerprint: str) -> Contents | None:
        """What is in a file, by the fingerprint of all it reads."""
        given = _read(self.folder / "contents" / f"{fingerprint}.json")
        return Contents.from_json(given) if given and "textures" in given else None

    def _digest(self, path: Path) -> str:
        try:
            facts = path.stat()
            key, stamp = str(path.resolve()), [facts.st_size, facts.st_mtime_ns, facts.st_ino]
            known = self.index.get(key)
            # A file that was written a moment ago may change again within the clock's step.
            if known and known[0] == stamp and time.time() - facts.st_mtime > 2:
                return str(known[1])
            digest = digest_of(path.read_bytes(), path.name)
        except OSError as error:
            raise QuiltError(
                f"It cannot be read ({error.strerror}).", str(path), "Check the path."
            ) from None
        self.index[key] = [stamp, digest]
        return digest

    def _contents(self, path: Path, digest: str) -> Contents:
        base = path.parent.resolve()
        names = self.index.get(f"reads {digest}")
        if names is not None:
            now = {name: self._sibling(base, name) for name in names}
            kept = self.contents(InputFile("", digest, now).fingerprint)
            if kept is not None:
                return kept

        def read(name: str) -> bytes | None:
            found = (base / name).resolve()
            return found.read_bytes() if found.is_relative_to(base) and found.is_file() else None

        contents = contents_of(path.name, path.read_bytes(), read)
        self.index[f"reads {digest}"] = list(contents.siblings)
        fingerprint = InputFile("", digest, contents.siblings).fingerprint
        _write(self.folder / "contents" / f"{fingerprint}.json", contents.to_json())
        return contents

    def _sibling(self, base: Path, name: str) -> str:
        path = (base / name).resolve()
        return self._digest(path) if path.is_relative_to(base) and path.is_file() else ""

    def result(self, fingerprint: str) -> Path | None:
        """Folder of a result that is whole; none where there is none."""
        folder = self.results / fingerprint
        return folder if (folder / DONE).is_file() else None

    def answer(self, fingerprint: str) -> dict[str, Any]:
        """What was said when a result was made."""
        return _read(self.results / fingerprint / DONE)

    @contextmanager
    def making(self, fingerprint: str) -> Iterator[tuple[Path, dict[str, Any]]]:
        """A folder to make a result in, and an answer to fill; both are kept when all went well."""
        folder = Path(tempfile.mkdtemp(prefix="under-way-", dir=self.results))
        answer: dict[str, Any] = {}
        try:
            yield folder, answer
            _write(folder / DONE, answer)
            target = self.results / fingerprint
            if target.exists():
                shutil.rmtree(target)
            folder.rename(target)
        finally:
            shutil.rmtree(folder, ignore_errors=True)

    def clear_away(self, needed: Collection[str]) -> int:
        """Take away results that no line's history needs and that were not used for a month; how many those were."""
        count = 0
        for folder in self.results.iterdir():
            with suppress(OSError):
                if folder.name not in needed and time.time() - folder.stat().st_mtime > KEPT:
                    shutil.rmtree(folder)
                    count += 1
        return count

    def _sweep(self) -> None:
        for folder in self.results.glob("under-way-*"):
            with suppress(OSError):
                if time.time() - folder.stat().st_mtime > OLD:
                    shutil.rmtree(folder)


def deliver(files: Mapping[str, Path], out: Path, before: Mapping[str, str]) -> dict[str, str]:
    """Put a result in its place: files are written whole or not at all, those of an earlier result that are not in this
    one are taken away unless somebody changed them.

    Parameters
    ----------
    files : mapping
        Names in the folder to where they are.
    out : Path
    before : mapping
        What was delivered last: names to marks.

    Returns
    -------
    dict
        Names to marks of what is there now.
    """
    now: dict[str, str] = {}
    for name, path in files.items():
        data = path.read_bytes()
        now[name] = digest_of(data)
        target = out / name
        if target.is_file() and digest_of(target.read_bytes()) == now[name]:
            continue
        target.parent.mkdir(parents=True, exist_ok=True)
        part = target.with_name(f".{target.name}.part")
        part.write_bytes(data)
        part.replace(target)
    for name, digest in before.items():
        target = out / name
        if name not in now and target.is_file() and digest_of(target.read_bytes()) == digest:
            target.unlink()
    return now


def missing(out: Path, delivered: Mapping[str, str]) -> list[str]:
    """Names of delivered files that are not there any more."""
    return [name for name in delivered if not (out / name).is_file()]


def changed(out: Path, delivered: Mapping[str, str]) -> list[str]:
    """Names of delivered files that somebody has changed since."""
    return [
        name
        for name, digest in delivered.items()
        if (out / name).is_file() and digest_of((out / name).read_bytes()) != digest
    ]


def strangers(out: Path, files: Mapping[str, Path], delivered: Mapping[str, str]) -> list[str]:
    """Names of files that are to be delivered where there are others already that no run has put there."""
    return [
        name
        for name, path in files.items()
        if name not in delivered
        and (out / name).exists()
        and ((out / name).is_dir() or (out / name).read_bytes() != path.read_bytes())
    ]


def _read(path: Path) -> dict[str, Any]:
    try:
        found = json.loads(path.read_text(encoding="utf-8"))
    except (OSError, ValueError):
        return {}
    return found if isinstance(found, dict) else {}


def _write(path: Path, value: Any) -> None:
    part = path.with_name(f".{path.name}.{os.getpid()}.part")
    with part.open("w", encoding="utf-8") as handle:
        json.dump(value, handle)
        handle.flush()
        os.fsync(handle.fileno())
    part.replace(path)
