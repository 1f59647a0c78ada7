"""A search ends when the caller wants it to, in every phase, and keeps what it has."""

import threading
import time

import numpy as np
import pytest

from quilt_core.measure import measure
from quilt_core.pack import PackSettings, pack_islands
from quilt_core.pack import compaction as compaction_module
from quilt_core.pack.compaction import compact
from quilt_core.scene.placement import identity
from tests.core.compaction_samples import attempt_of, problem_of
from tests.core.shapes import island_set_of, random_polygons

pytestmark = pytest.mark.slow

RULES = PackSettings(512, 512, padding=3.0, margin=2.0, effort="standard")


def islands(count=14):
    return island_set_of(random_polygons(np.random.default_rng(4), count))


@pytest.mark.parametrize("answers", [1, 2, 5, 12, 30])
def test_stopped_after_any_number_of_answers_the_best_is_whole(answers):
    found, seen = islands(), 0

    def stop():
        return seen >= answers

    for attempt, placements, placed in pack_islands(found, identity(found.count), RULES, stop):
        seen += 1
    assert attempt.done
    assert placed.all()
    figures = measure(found, placements, 512, 512, 3.0)
    assert figures.gap.pixels >= 3.0
    assert figures.margin_px >= 2.0
    assert not len(figures.overlaps.pairs)


def test_a_time_limit_ends_with_a_whole_layout():
    found = islands(30)
    rules = PackSettings(512, 512, padding=3.0, effort="thorough", seconds=0.8)
    attempt, placements, placed = list(pack_islands(found, identity(30), rules))[-1]
    assert attempt.done
    assert placed.all()
    assert measure(found, placements, 512, 512).gap.pixels >= 3.0


def test_a_running_program_is_left_to_itself(monkeypatch):
    polygons = random_polygons(np.random.default_rng(2), 2)
    problem = problem_of(polygons, RULES)
    release, entered = threading.Event(), threading.Event()

    def slow(*args, **kwargs):
        entered.set()
        release.wait(20)
        raise AssertionError("its answer is of no use any more")

    class Stop(Exception):
        pass

    def check():
        if entered.is_set():
            raise Stop

    monkeypatch.setattr(compaction_module, "linprog", slow)
    low = [(5.0, 5.0), (300.0, 300.0)]
    started = time.monotonic()
    with pytest.raises(Stop):
        list(compact(problem, RULES, attempt_of(problem, 100.0, low), 3, check))
    assert not release.is_set()
    assert time.monotonic() - started < 15, "it did not wait for the solver"
    release.set()


def test_progress_never_goes_back_and_ends_at_the_end():
    found = islands(10)
    steps = [(a.step, a.steps) for a, _, _ in pack_islands(found, identity(10), RULES)]
    assert all(b[0] >= a[0] for a, b in zip(steps, steps[1:], strict=False))
    assert len({total for _, total in steps}) == 1
    assert steps[-1][0] == steps[-1][1]
