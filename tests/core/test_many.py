"""The search for thousands of pieces, and what is known of a set before it is packed."""

import threading
from concurrent.futures import ThreadPoolExecutor

import numpy as np
import pytest
import shapely

from quilt_core.pack import PackSettings, TileSize
from quilt_core.pack.bounds import fineness, longest_edges, scale_bound
from quilt_core.pack.controls import no_controls
from quilt_core.pack.efforts import PLANS, plan_for
from quilt_core.pack.many import grow_many
from quilt_core.pack.problem import Attempt
from quilt_core.pack.turns import Turns
from quilt_core.scene.flags import LOCK_SIZE
from tests.core.fitting_samples import problem_of

pytestmark = pytest.mark.slow

RULES = PackSettings(1000, 1000, 0.0, 0.0)


class Scripted:
    """A placer at which everything fits up to a scale, and above it the less the larger it is."""

    def __init__(self, problem, limit):
        self.problem, self.limit, self.tried, self.prepared = problem, limit, [], []
        self.at_work, self.loosened = threading.Event(), 0

    def prepare(self, scale, check):
        check()
        self.prepared.append(scale)

    def loosen(self):
        self.loosened += 1

    def so_far(self):
        self.at_work.set()
        n = self.problem.count
        none = np.zeros(n)
        return Attempt(
            1.0,
            Turns.plain(none),
            np.zeros((n, 2)),
            none.astype(int),
            none > 0,
            0.0,
            0,
            0,
            whole=False,
        )

    def place(self, order, scale, check, **_):
        assert scale == self.prepared[-1]
        check()
        self.tried.append(scale)
        total = self.problem.areas.sum()
        left = 0.0 if scale <= self.limit else total * (1 - (self.limit / scale) ** 2)
        n = self.problem.count
        none = np.zeros(n)
        return Attempt(
            scale, Turns.plain(none), np.zeros((n, 2)), none.astype(int), none == 0, 0.0, 0, 0
        ), left


class Slow(Scripted):
    """One that goes on only once somebody looked at its work."""

    def place(self, *args, **kwargs):
        assert self.tried or self.at_work.wait(20)
        return super().place(*args, **kwargs)


def news(limit, rounds, check=lambda: None, kind=Scripted):
    problem = problem_of([shapely.box(0, 0, 1, 1)] * 40, RULES)
    bound = scale_bound(problem, RULES)
    placers = (kind(problem, limit * bound), Scripted(problem, limit * bound))
    with ThreadPoolExecutor(2) as pool:
        found = list(grow_many(problem, RULES, placers, pool, np.arange(40), rounds, check))
    return found, [s / bound for p in placers for s in p.tried], bound


def grow(limit, rounds, check=lambda: None):
    told, tried, bound = news(limit, rounds, check)
    return [n.found.scale / bound for n in told if n.found is not None], tried


def test_a_pass_at_work_shows_what_it_has_until_there_is_a_layout():
    told, _, _ = news(0.7, 3, kind=Slow)
    whole = [n.found is not None and n.found.whole for n in told]
    partial = [n.found is not None and not n.found.whole for n in told]
    assert partial[0]
    assert not any(partial[whole.index(True) :]), "a texture of less never follows a whole layout"
    shares = [n.share for n in told]
    assert shares == sorted(shares)
    assert 0 < shares[-1] < 1


@pytest.mark.parametrize("limit", [0.3, 0.55, 0.69, 0.72, 0.8, 0.95])
def test_the_largest_scale_is_approached_from_below(limit):
    found, tried = grow(limit, 4)
    assert found == sorted(found)
    assert all(scale <= limit for scale in found)
    assert found[-1] > 0.9 * limit
    assert len(tried) >= 8, "both lanes work in every round"


def test_more_rounds_are_taken_until_something_fits():
    found, tried = grow(0.05, 1)
    assert len(found) == 1
    assert found[0] <= 0.05
    assert len(tried) > 2


def test_both_scales_differ_in_every_round():
    _, tried = grow(0.7, 3)
    half = len(tried) // 2
    assert all(a != b for a, b in zip(tried[:half], tried[half:], strict=True))


def test_a_caller_who_wants_to_stop_is_heard():
    calls = []

    def check():
        calls.append(1)
        if len(calls) > 3:
            raise KeyboardInterrupt

    with pytest.raises(KeyboardInterrupt):
        grow(0.7, 50, check)


def test_a_set_can_not_get_larger_than_its_area_or_its_longest_edge():
    squares = problem_of([shapely.box(0, 0, 10, 10)] * 4, RULES)
    assert scale_bound(squares, RULES) == pytest.approx(50)
    needle = problem_of([shapely.box(0, 0, 100, 0.1)], RULES)
    assert scale_bound(needle, RULES) == pytest.approx(np.hypot(1000, 1000) / 100)
    assert longest_edges(needle).tolist() == [100]


def test_margins_and_pieces_that_keep_their_size_take_room_away():
    assert scale_bound(
        problem_of([shapely.box(0, 0, 10, 10)], RULES), PackSettings(1000, 1000, 0.0, 100.0)
    ) == pytest.approx(80)
    controls = no_controls(2)
    controls.flags[0] = LOCK_SIZE
    mixed = problem_of([shapely.box(0, 0, 800, 800), shapely.box(0, 0, 10, 10)], RULES, controls)
    assert scale_bound(mixed, RULES) == pytest.approx(60)
    controls.flags[:] = LOCK_SIZE
    assert scale_bound(problem_of([shapely.box(0, 0, 8, 8)] * 2, RULES, controls), RULES) == 1.0


def test_grids_are_finer_for_more_pieces_and_for_long_tiles():
    one = shapely.box(0, 0, 1, 1)
    few, hundreds = (problem_of([one] * n, RULES) for n in (5, 900))
    assert fineness(few, RULES, 256) == 256
    assert fineness(hundreds, RULES, 256) == 1024
    long = PackSettings(tiles=(TileSize(1001, 4096, 64),))
    assert fineness(few, long, 256) >= 16 * 64


def test_thousands_get_a_grid_by_their_number():
    problem = problem_of([shapely.box(0, 0, 1, 1)] * 2500, RULES)
    assert fineness(problem, RULES, 512) == 24 * 50
    assert fineness(problem, RULES, 1024) == 2048, (
        "never coarser than twice what the effort asks for"
    )


@pytest.mark.parametrize("effort", ["quick", "standard", "thorough"])
def test_plans_ask_for_less_the_more_pieces_there_are(effort):
    plans = [plan_for(effort, n) for n in (10, 150, 300, 700, 3000, 100_000)]
    for name in ("steps", "moves", "compactions"):
        values = [getattr(plan, name) for plan in plans[2:]]
        assert values == sorted(values, reverse=True), name
    assert plans[0] == PLANS[effort]
    assert all(plan.guesses >= 2 for plan in plans)
    assert plans[-1].polish == ()
