"""Real meshes with UVs, from an open package: handheld controllers without a maker's name.

The package is fetched from the npm registry once (93 MB, MIT licence) and only these files are
kept.
"""

from __future__ import annotations

import subprocess
import tarfile
import tempfile
from pathlib import Path

import shapely

from benchmarks.shapes import island_polygons
from quilt_core.formats import read_scene
from quilt_core.scene import IslandSet, concatenate, island_set

PACKAGE = "@webxr-input-profiles/assets@1.0.20"
FOLDER = Path(__file__).resolve().parents[1] / ".setup" / "handhelds"


def fetch() -> list[Path]:
    """The files, fetched when they are not there yet."""
    if not FOLDER.exists():
        with tempfile.TemporaryDirectory() as scratch:
            subprocess.run(
                ["npm", "pack", "--silent", PACKAGE],
                cwd=scratch,
                check=True,
                stdout=subprocess.DEVNULL,
            )
            (archive,) = Path(scratch).glob("*.tgz")
            FOLDER.mkdir(parents=True)
            with tarfile.open(archive) as packed:
                for entry in packed:
                    parts = Path(entry.name).parts
                    if (
                        entry.isfile()
                        and parts[-2].startswith("generic-")
                        and parts[-1] in ("left.glb", "none.glb")
                    ):
                        data = packed.extractfile(entry)
                        assert data is not None
                        (FOLDER / f"{parts[-2]}-{parts[-1]}").write_bytes(data.read())
    return sorted(FOLDER.glob("*.glb"))


def handheld_islands() -> IslandSet:
    """Islands of all objects."""
    scenes = [read_scene(path.name, path.read_bytes()) for path in fetch()]
    return concatenate([island_set(o, 0, 1.0) for scene in scenes for o in scene.objects])


def handhelds() -> list[shapely.Polygon]:
    """Their islands at one density, as polygons in metres."""
    return island_polygons(handheld_islands())
