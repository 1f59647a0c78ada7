"""Every OBJ and glTF of Debian's `assimp-testmodels`: read, or refused with a clear word; those
with UVs packed and checked.

Open test models of another project, its own error cases among them (package assimp-testmodels).
"""

from pathlib import Path

import numpy as np
import pytest

from quilt_core.check import Rules, check_layout
from quilt_core.errors import QuiltError
from quilt_core.formats import read_scene, write_scene
from quilt_core.formats.load import folder_siblings
from quilt_core.measure import equalize, measure
from quilt_core.pack import PackSettings, pack_islands
from quilt_core.scene import TileSize, concatenate, join_surfaces, read_surface
from quilt_core.scene.placement import identity
from tests.core.corners import object_corner_uvs

ROOT = Path("/usr/share/assimp/models")
FILES = sorted(p for p in ROOT.rglob("*") if p.suffix.lower() in (".obj", ".gltf", ".glb"))
REFUSED = (
    "glTF 1",
    "GLB version 1",
    "0 faces",
    "asks for",
    "is not there",
    "wrong kind",
    "is empty",
    "is not a vertex",
)
SIZE, PADDING = 2048, 8

pytestmark = [
    pytest.mark.skipif(not FILES, reason="assimp-testmodels is not installed"),
    pytest.mark.slow,
]


def known(scene):
    pairs = [read_surface(obj, 0, scene.metres_per_unit, scene.materials) for obj in scene.objects]
    return (
        concatenate([pair[0] for pair in pairs]),
        join_surfaces([pair[1] for pair in pairs], [pair[0].count for pair in pairs]),
        [pair[0].count for pair in pairs],
    )


@pytest.mark.parametrize("path", FILES, ids=[str(p.relative_to(ROOT)) for p in FILES])
@pytest.mark.slow
def test_a_real_file_is_read_packed_and_clean_or_refused_with_a_word(path):
    try:
        scene = read_scene(path.name, path.read_bytes(), folder_siblings(path.parent))
    except QuiltError as error:
        assert error.fix
        assert any(word in str(error) for word in REFUSED), error
        return
    islands, surface, counts = known(scene)
    check_layout(
        islands,
        surface,
        identity(islands.count),
        [TileSize(1001, SIZE, SIZE)],
        [o.name for o in scene.objects],
    )
    if not islands.count:
        return
    even = equalize(islands, identity(islands.count), SIZE, SIZE)
    settings = PackSettings(SIZE, SIZE, padding=PADDING, margin=4, effort="quick")
    *_, (_, found, placed) = pack_islands(islands, even, settings)
    assert placed.all()
    ends = np.cumsum([0, *counts])
    uvs = [
        object_corner_uvs(obj, 0, found[a:b]) if b > a else None
        for obj, a, b in zip(scene.objects, ends[:-1], ends[1:], strict=True)
    ]
    out = write_scene(scene, 0, uvs)
    again = read_scene(
        path.name, out[path.name], lambda name: out.get(name) or folder_siblings(path.parent)(name)
    )
    assert [obj.name for obj in again.objects] == [obj.name for obj in scene.objects]
    islands, surface, back = known(again)
    assert back == counts, "the same islands come back"
    checked = check_layout(
        islands,
        surface,
        identity(islands.count),
        [TileSize(1001, SIZE, SIZE)],
        [o.name for o in again.objects],
        Rules(padding=PADDING, margin=4),
    )
    against = {"overlap", "gap", "margin", "crowded", "straddling", "outside", "far away"}
    assert not against & set(checked.totals)
    figures = measure(islands, identity(islands.count), SIZE, SIZE)
    if not figures.collapsed.all() and islands.count > 1 and np.isfinite(figures.gap.pixels):
        assert figures.gap.pixels >= PADDING - 0.01
    clear = figures.density[~figures.collapsed]
    if len(clear):
        assert clear.min() == pytest.approx(clear.max(), rel=1e-3)
