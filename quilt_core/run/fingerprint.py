"""Fingerprints: equal for work that gives the same result."""

from __future__ import annotations

import hashlib
import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from functools import cache
from importlib import metadata
from pathlib import Path
from typing import Any

import quilt_core
from quilt_core.run.sheet import Step

LIBRARIES = ("numpy", "scipy", "numba", "opencv-python-headless", "Pillow", "shapely", "embreex", "OpenEXR", "DracoPy", "mapbox-earcut")  # fmt: skip


@dataclass(frozen=True)
class InputFile:
    """A file that goes into a line.

    Parameters
    ----------
    name : str
        Relative to the sheet; it is told to people and counts for nothing.
    digest : str
        Of its bytes.
    siblings : mapping
        Files that it reads, by the names that it has for them, to the marks of their bytes.
    """

    name: str
    digest: str
    siblings: Mapping[str, str]

    @property
    def fingerprint(self) -> str:
        """Of its content and that of all it reads."""
        return _digest([self.digest, sorted(self.siblings.items())])


@cache
def code_version() -> str:
    """Another one whenever the code that computes, or a library that it computes with, is another."""
    out = hashlib.sha256()
    root = Path(quilt_core.__file__).parent
    for path in sorted(root.rglob("*.py")):
        out.update(path.relative_to(root).as_posix().encode())
        out.update(path.read_bytes())
    for name in LIBRARIES:
        try:
            out.update(f"{name} {metadata.version(name)}".encode())
        except metadata.PackageNotFoundError:
            out.update(name.encode())
    return out.hexdigest()[:16]


def input_fingerprint(files: Sequence[InputFile], sources: Sequence[str]) -> str:
    """Of all that goes into a line: not its files' names, dates or order.

    Parameters
    ----------
    files : sequence of InputFile
    sources : sequence of str
        Fingerprints of the lines that come in.
    """
    return _digest([sorted(file.fingerprint for file in files), sorted(sources)])


def step_fingerprint(before: str, step: Step, aside: Mapping[str, str], version: str) -> str:
    """Of a step's result.

    Parameters
    ----------
    before : str
        Of what it takes.
    step : Step
    aside : mapping
        Files that its settings name to the marks of their bytes.
    version : str
        Of the code.
    """
    settings: dict[str, Any] = {}
    for key, value in step.settings.items():
        # What a file is called is no matter: its content is.
        names = value if isinstance(value, list) else [value]
        settings[key] = [aside[n] for n in names] if all(n in aside for n in names) else value
    about = [str(step.target)] if step.target else []
    return _digest([before, step.do, settings, version, *about])


def _digest(value: Any) -> str:
    return hashlib.sha256(json.dumps(value, sort_keys=True).encode()).hexdigest()
