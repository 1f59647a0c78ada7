"""Read the files named on the command line into one set of islands."""

from __future__ import annotations

import argparse
import sys
import time
from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np

from quilt_core.errors import QuiltError
from quilt_core.formats import read_scene
from quilt_core.formats.load import folder_siblings
from quilt_core.scene import (
    IslandSet,
    Scene,
    SceneObject,
    Surface,
    concatenate,
    island_set,
    join_surfaces,
    read_surface,
)
from quilt_core.scene.naming import unique_names


@dataclass(frozen=True, eq=False)
class Gathered:
    """Scenes of all files and the islands of all their objects, in order."""

    paths: tuple[Path, ...]
    scenes: tuple[Scene, ...]
    islands: IslandSet
    surface: Surface | None = None

    @property
    def objects(self) -> list[tuple[Scene, SceneObject]]:
        """Every object with its scene."""
        return [(scene, obj) for scene in self.scenes for obj in scene.objects]

    @property
    def names(self) -> list[str]:
        """Object names, with the file in front, and a number behind, where a name is not unique."""
        rows = self.objects
        return unique_names([obj.name for _, obj in rows], [scene.name for scene, _ in rows])


REPORT_EVERY = 0.5
"""Seconds between two words of progress."""


class NothingToDo(QuiltError):
    """Nothing in the files is to be changed: wrong when it was asked for by hand, fine in a run sheet."""


def say(text: str) -> None:
    """Progress, to stderr."""
    print(text, file=sys.stderr, flush=True)


def teller() -> Callable[[float, str], bool]:
    """Says on stderr how far work is, now and then."""
    last = time.monotonic()

    def tell(progress: float, what: str) -> bool:
        nonlocal last
        if time.monotonic() - last > REPORT_EVERY:
            last = time.monotonic()
            say(f"{what}: {progress:.0%}")
        return True

    return tell


def read_path(path: Path, metres_per_unit: float) -> Scene:
    """Read one file with the files beside it."""
    say(f"reading {path}")
    try:
        data = path.read_bytes()
    except OSError as error:
        raise QuiltError(
            f"It cannot be read ({error.strerror}).", str(path), "Check the path."
        ) from None
    return read_scene(path.name, data, folder_siblings(path.parent), metres_per_unit)


def gather(options: argparse.Namespace, surfaces: bool = False) -> Gathered:
    """Read the files and find their islands in the channel asked for, and the surfaces behind them
    if wanted."""
    paths, channel, metres_per_unit = options.files, options.channel, options.unit
    if channel < 1:
        raise QuiltError(f"UV channel {channel}.", "--channel", "Channels count from 1.")
    scenes: list[Scene] = []
    sets: list[IslandSet] = []
    found: list[Surface] = []
    for path in paths:
        scene = read_path(path, metres_per_unit)
        for warning in scene.warnings:
            say(f"note: {warning}")
        for obj in scene.objects:
            if surfaces or any(m.picture and m.picture[0] != m.picture[1] for m in scene.materials):
                islands, surface = read_surface(
                    obj, channel - 1, scene.metres_per_unit, scene.materials, options.uv_tolerance
                )
                found.append(surface)
            else:
                islands = island_set(
                    obj, channel - 1, scene.metres_per_unit, tolerance=options.uv_tolerance
                )
            if options.proportion is not None:
                islands = replace(islands, proportion=np.full(islands.count, options.proportion))
            sets.append(islands)
        scenes.append(scene)
    joined = join_surfaces(found, [s.count for s in sets]) if surfaces else None
    return Gathered(tuple(paths), tuple(scenes), concatenate(sets), joined)
