"""Read the files named on the command line into one set of islands."""

from __future__ import annotations

import sys
from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

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
        times = Counter(obj.name for _, obj in self.objects)
        seen: Counter[str] = Counter()
        out = []
        for scene, obj in self.objects:
            name = obj.name if times[obj.name] == 1 else f"{scene.name}/{obj.name}"
            seen[name] += 1
            out.append(name if seen[name] == 1 else f"{name} ({seen[name]})")
        return out


def say(text: str) -> None:
    """Progress, to stderr."""
    print(text, file=sys.stderr, flush=True)


def gather(paths: Sequence[Path], channel: int, metres_per_unit: float, surfaces: bool = False) -> Gathered:
    """Read files and find their islands in a channel counted from 1, and the surfaces behind them if wanted."""
    if channel < 1:
        raise QuiltError(f"UV channel {channel}.", "--channel", "Channels count from 1.")
    scenes: list[Scene] = []
    sets: list[IslandSet] = []
    found: list[Surface] = []
    for path in paths:
        say(f"reading {path}")
        try:
            data = path.read_bytes()
        except OSError as error:
            raise QuiltError(f"It cannot be read ({error.strerror}).", str(path), "Check the path.") from None
        scene = read_scene(path.name, data, folder_siblings(path.parent), metres_per_unit)
        for warning in scene.warnings:
            say(f"note: {warning}")
        for obj in scene.objects:
            if surfaces:
                islands, surface = read_surface(obj, channel - 1, scene.metres_per_unit, scene.materials)
                found.append(surface)
            else:
                islands = island_set(obj, channel - 1, scene.metres_per_unit)
            sets.append(islands)
        scenes.append(scene)
    joined = join_surfaces(found, [s.count for s in sets]) if surfaces else None
    return Gathered(tuple(paths), tuple(scenes), concatenate(sets), joined)
