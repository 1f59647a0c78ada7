"""The exact place in a hole that leaves no room, against places known by construction and Shapely's distances."""

from __future__ import annotations

import numpy as np
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from shapely import affinity

from quilt_core.place.tight import EXACT, tight_move
from tests.core.examples import examples

SIZE = np.array([1000.0, 1000.0])


def edges_of(shape) -> np.ndarray:
    rings = [np.array(ring.coords) for part in getattr(shape, "geoms", [shape]) for ring in (part.exterior, *part.interiors)]  # fmt: skip
    return np.concatenate([np.stack([ring[:-1], ring[1:]], axis=1) for ring in rings])


def moved(own, others, padding=8.0, margin=4.0, reach=6.0):
    return tight_move(edges_of(own), edges_of(others), SIZE, padding, margin, reach)


@settings(max_examples=examples(60))
@given(st.integers(3, 9), st.floats(0, 360), st.floats(-2, 2), st.floats(-2, 2))
def test_a_polygon_goes_back_into_the_hole_that_is_the_padding_larger(sides, turn, dx, dy):
    angle = 2 * np.pi * np.arange(sides) / sides
    own = affinity.rotate(
        shapely.Polygon(np.c_[500 + 60 * np.cos(angle), 500 + 60 * np.sin(angle)]), turn
    )
    around = shapely.box(300, 300, 700, 700).difference(own.buffer(8, join_style="mitre"))
    move = moved(affinity.translate(own, dx, dy), around)
    assert move is not None
    # All sides touch: there is one place only.
    assert np.abs(move + (dx, dy)).max() < 1e-6
    assert affinity.translate(own, *(move + (dx, dy))).distance(around) >= 8 - 1e-6


def test_what_is_larger_than_the_hole_finds_no_place():
    around = shapely.box(300, 300, 700, 700).difference(shapely.box(442, 442, 558, 558))
    assert moved(shapely.box(450, 450, 550, 550), around) is not None
    assert moved(shapely.box(450, 450, 550.001, 550), around) is None


def test_the_edge_of_the_tile_keeps_its_margin():
    far = shapely.box(800, 800, 900, 900)
    move = moved(shapely.box(2, 500, 102, 600), far)
    assert move is not None and move[0] >= 2 - EXACT


def test_what_crosses_another_or_would_have_to_go_far_is_left():
    assert moved(shapely.box(400, 400, 500, 500), shapely.box(450, 450, 600, 600)) is None
    assert moved(shapely.box(400, 400, 500, 500), shapely.box(501, 300, 600, 700), reach=3.0) is None  # fmt: skip
    assert moved(shapely.box(400, 400, 500, 500), shapely.box(505, 300, 600, 700)) is not None
