"""Mesh files that go into an operation, and where what stands for them comes out."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

from quilt_core.run.outputs import common_parent


@dataclass(frozen=True)
class Input:
    """A mesh file that goes in.

    Parameters
    ----------
    path : Path
    place : str
        Below the folder of the output, with slashes: what stands for it goes there.
    """

    path: Path
    place: str


def inputs_of(paths: Sequence[Path]) -> list[Input]:
    """Files as inputs, by their paths: they keep their folders below the one that holds all of them, and their order does
    not matter."""
    paths = sorted(dict.fromkeys(paths), key=lambda path: path.as_posix())
    if not paths:
        return []
    root = common_parent(paths)
    return [
        Input(path, (path.resolve().parent.relative_to(root) / path.name).as_posix())
        for path in paths
    ]
