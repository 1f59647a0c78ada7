"""What the efforts mean: how much is tried, by the number of pieces."""

from __future__ import annotations

from dataclasses import dataclass, replace

from quilt_core.pack.settings import Effort


@dataclass(frozen=True)
class Plan:
    """What an effort means.

    Parameters
    ----------
    explore : int
        Cells of the grid to try orders on.
    guesses, steps : int
        Scales tried for the plain orders, and changes of the order.
    moves : int
        Moves of the separation.
    polish : tuple of int
        Finer grids that the best order is placed on.
    compactions : int
        Linear programs to solve before and after the separation.
    """

    explore: int
    guesses: int
    steps: int
    moves: int
    polish: tuple[int, ...]
    compactions: int


PLANS = {
    "quick": Plan(512, 5, 3, 0, (1024,), 0),
    "standard": Plan(1024, 7, 60, 6000, (2048,), 12),
    "thorough": Plan(1024, 7, 400, 80000, (2048, 4096), 40),
}
POLISH_STEPS = {"quick": 2, "standard": 5, "thorough": 7}
SHARES = {"explore": 0.15, "polish": 0.18, "compact": 0.25, "separate": 0.94, "refine": 1.0}
"""Parts of a time limit at which each phase ends."""
SHARES_OF_ORDERS = {"explore": 0.8, "polish": 0.85, "compact": 1.0, "separate": 1.0, "refine": 1.0}
"""The same where pieces are not separated."""
MANY = 400
HURRIED = 100
"""With more pieces than this, quick effort does not look twice for places of one size."""
FEWER_TURNS = 2000
"""With more pieces than this, half turns are left out: they change little."""
STEPS_OF_MORE = 6000
"""Changes of the order at standard effort, over the number of pieces, when these are not
separated."""
FEW_ISLANDS = 170
"""Separation pays up to so many pieces; with more the time is better spent on orders."""
ORDERS_OF_MORE = 1000
"""Changes of the order at thorough effort with more pieces than these."""
COMPACTED, MOST_COMPACTED = 260, 1000
"""With more pieces than the first fewer linear programs are solved; with more than the second they
take too long."""


def plan_for(effort: Effort, count: int) -> Plan:
    """The plan of an effort: with many pieces a step takes longer, and fewer are taken."""
    plan = PLANS[effort]
    if count > FEW_ISLANDS:
        steps = {
            "quick": plan.steps,
            "standard": STEPS_OF_MORE // count,
            "thorough": ORDERS_OF_MORE,
        }[effort]
        plan = replace(plan, steps=steps, moves=0)
    if count > COMPACTED:
        rounds = plan.compactions * COMPACTED**2 // count**2 if count <= MOST_COMPACTED else 0
        plan = replace(plan, compactions=rounds)
    if count <= MANY:
        return plan
    return replace(
        plan,
        guesses=4 if count <= FEWER_TURNS or effort != "quick" else 2,
        steps={"quick": 0, "standard": plan.steps, "thorough": plan.steps * MANY // count}[effort],
        polish=plan.polish if effort != "quick" and count < 5 * MANY else (),
    )
