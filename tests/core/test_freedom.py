"""More freedom never packs worse: free turns no worse than quarter ones, these no worse than half ones, flips no worse than none."""

import itertools
from pathlib import Path

import numpy as np
import pytest

from quilt_core.formats.load import folder_siblings, read_scene
from quilt_core.pack import PackSettings, pack_islands
from quilt_core.pack.freedom import less_free
from quilt_core.pack.settings import ROTATIONS
from quilt_core.scene.island_set import concatenate, island_set
from quilt_core.scene.placement import identity
from tests.core.examples import LONG
from tests.core.shapes import island_set_of, random_polygons

pytestmark = pytest.mark.usefixtures("every_search")
ROOT = Path("/usr/share/assimp/models")


def scale_of(islands, **how):
    settings = PackSettings(1024, 1024, padding=4, effort="quick", **how)
    *_, (attempt, _, placed) = pack_islands(islands, identity(islands.count), settings)
    assert attempt.done and placed.all() and attempt.step <= attempt.steps
    return attempt.scale


def real(path):
    """Islands of a file of Debian's assimp-testmodels."""
    file = ROOT / path
    if not file.exists():
        pytest.skip("assimp-testmodels is not installed")
    scene = read_scene(file.name, file.read_bytes(), folder_siblings(file.parent))
    parts = [island_set(o, 0, scene.metres_per_unit) for o in scene.objects]
    return concatenate([part for part in parts if part.count])


SETS = {
    "made": lambda: island_set_of(random_polygons(np.random.default_rng(11), 8)),
    "spider": lambda: real("OBJ/spider.obj"),
    "regr01": lambda: real("OBJ/regr01.obj"),
}


@pytest.mark.parametrize("name", SETS if LONG else ("made", "regr01"))
@pytest.mark.slow
def test_each_step_of_freedom_is_at_least_as_good_as_the_one_before(name):
    islands = SETS[name]()
    turns = [scale_of(islands, rotate=turn) for turn in ROTATIONS]
    flips = [scale_of(islands, rotate=turn, mirror=True) for turn in ROTATIONS[:3]]
    for rising in (turns, flips):
        assert all(more >= less for less, more in itertools.pairwise(rising)), (turns, flips)
    assert all(more >= less for less, more in zip(turns, flips, strict=False)), (turns, flips)


def test_what_has_less_freedom_is_a_part_of_what_has_more():
    most = less_free(PackSettings(rotate="free", mirror=True))
    assert len(most) == 7
    for settings in most:
        assert set(map(repr, less_free(settings))) <= set(map(repr, most))
    assert less_free(PackSettings(rotate="none")) == []


def test_a_stopped_search_tries_no_more():
    islands = island_set_of(random_polygons(np.random.default_rng(2), 12))
    found = []
    for tries in (True, False):
        rules = PackSettings(512, 512, padding=2, effort="quick", rotate="free", less_free=tries)
        *_, (last, _, _) = pack_islands(islands, identity(12), rules, stop=lambda: True)
        found.append((last.scale, last.done))
    assert found[0] == found[1]
