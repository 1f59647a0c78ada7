"""A mesh without UVs becomes islands that lie flat."""

from __future__ import annotations

import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor, wait
from dataclasses import dataclass, replace

import numpy as np

from quilt_core.scene.mesh import Mesh
from quilt_core.scene.types import BoolArray, FloatArray, IntArray
from quilt_core.scene.weld import welded
from quilt_core.unwrap.both_sides import Mirror, find_mirror, unwrap_both_sides
from quilt_core.unwrap.natural import natural_islands
from quilt_core.unwrap.options import UnwrapSettings
from quilt_core.unwrap.pieces import Pieces, find_pieces
from quilt_core.unwrap.regions import start_islands
from quilt_core.unwrap.result import Unwrapped, measured
from quilt_core.unwrap.seams import fixed_seams
from quilt_core.unwrap.smooth import smoothed
from quilt_core.unwrap.straight import straightened
from quilt_core.unwrap.surface_islands import (
    Limits,
    SurfaceIslands,
    joined_up,
    limits_for,
    near_pieces,
    split_off,
)
from quilt_core.unwrap.whole import rebalanced

TELL_EVERY = 0.25
"""Seconds."""
LANES = 2
"""Orders of joining that are tried at once."""
AT_FULL, IN_TWO = (1.0,), (0.5, 1.0)
"""What part of the stretch is allowed while a lane sews, one after the other."""
FEW_SEAMS = 1.06
"""Stretch from which larger meshes are joined in two stages too: there is more to be gained."""
TWICE = 6000
"""Triangles up to which seams are tried once more after they were straightened."""
SMALL, PER_PIECE = 1500, 3
"""Triangles of a piece that islands are joined from; each is one of its own in small meshes."""
MOST_REGIONS = 12_000
"""Regions that are joined, of the largest meshes."""
RELAXED, RELAX_STEPS, WORTH_IT = 6, 25, 0.003
"""Rounds of relaxing whole islands and joining on, steps of each, and the part of the seams that a round must save for another one."""
ROUNDS_FOR = 10_000
"""Triangles times rounds of looking for fewer seams."""
MOST_ROUNDS = 60
JITTER = 0.3
AGAIN = 3000
"""Triangles up to which parts are joined again, and all seams are tried once more at the end."""
BENT_BOTH_WAYS = 0.6
"""Part of the stretch beyond 1 that islands which are no straight grids may have, in a natural unwrap."""
BOTH_ALIKE = 0.5
"""Balance at which islands are as they were joined: relaxed for both."""
RAISED = (1.3, 1.8, 3.0, 8.0, 40.0)
"""Stretch that is allowed, one after the other, when there shall be one piece."""


@dataclass(frozen=True)
class Stage:
    """How far flattening is.

    Parameters
    ----------
    progress : float
        0 to 1.
    seam : float
        Length of the seams so far, / sqrt(surface); inf before there is a layout.
    """

    progress: float
    seam: float


Tell = Callable[[Stage], bool]
"""Is told how far it is; False ends the work with what there is."""


def unwrap_mesh(
    mesh: Mesh,
    settings: UnwrapSettings | None = None,
    points: FloatArray | None = None,
    tell: Tell | None = None,
) -> Unwrapped:
    """Cut a mesh into islands and flatten them at equal density.

    Pieces of a few triangles are joined together as long as the island stays valid: no face is turned
    over, none lies on another one, the L2 stretch (Sander et al. 2001) stays below the limit. Then
    parts are unpicked and joined in another order, which is kept where it has shorter seams.

    Parameters
    ----------
    mesh : Mesh
    settings : UnwrapSettings, optional
    points : (V, 3) float64, optional
        Positions to flatten instead of the mesh's own, such as those in the world.
    tell : callable, optional

    Returns
    -------
    Unwrapped

    References
    ----------
    Liu, Zhang, Xu, Gotsman, Gortler 2008, A Local/Global Approach to Mesh Parameterization.
    Smith, Schaefer 2015, Bijective Parameterization with Free Boundaries.
    """
    settings = settings or UnwrapSettings()
    started = time.monotonic()
    mesh = welded(mesh, settings.weld)
    pieces = find_pieces(mesh, points)
    if not pieces.count:
        return measured(mesh, pieces, None, time.monotonic() - started)
    if settings.symmetric and (mirror := find_mirror(mesh, points)) is not None:
        made = _mirrored(mesh, points, mirror, settings, tell, started)
        if made is not None:
            return made
    seams = fixed_seams(mesh, pieces, settings)
    open_ = replace(pieces, across=np.where(seams, -1, pieces.across))
    limits = limits_for(settings.stretch)
    tell = tell or (lambda stage: True)
    tell(Stage(0.02, np.inf))
    if settings.seams == "natural":
        work = _natural(open_, settings, tell)
    else:
        work = _sewn(open_, limits, settings, tell)
    if settings.balance != BOTH_ALIKE:
        work = rebalanced(work, settings.balance)
    tell(Stage(1.0, _seam(work)))
    return measured(mesh, pieces, work, time.monotonic() - started)


def _sewn(pieces: Pieces, limits: Limits, settings: UnwrapSettings, tell: Tell) -> SurfaceIslands:
    """Islands joined from pieces of a few triangles, with as few seams as the limits allow."""
    regions = pieces.count // (PER_PIECE if pieces.count > SMALL else 1)
    base = start_islands(pieces, limits, min(regions, MOST_REGIONS))
    work, go_on = _joined_while_told(base, limits, settings.seed, tell)
    if go_on:
        work = _relaxed_on(work, limits, tell)
    if settings.seams == "one" and go_on:
        # One piece may bend what is sharp.
        blunt = replace(work.pieces, sharp=np.zeros_like(work.pieces.sharp))
        work = _one_piece(replace(work, pieces=blunt), tell)
    elif go_on:
        work = _fewer_seams(work, base, limits, settings, tell)
        work = smoothed(work, limits)
        if pieces.count <= AGAIN:
            work = straightened(joined_up(work, limits), limits)
    return work


def _natural(pieces: Pieces, settings: UnwrapSettings, tell: Tell) -> SurfaceIslands:
    """Islands as the shape suggests them; what is bent both ways is joined with less stretch than a straight grid may have."""
    limits = limits_for(1 + BENT_BOTH_WAYS * (settings.stretch - 1))
    done = 0.0
    stopped = False

    def told(part: float, seam: float = np.inf) -> bool:
        nonlocal stopped
        stopped = stopped or not tell(Stage(0.05 + 0.9 * min(done + part, 1.0), seam))
        return not stopped

    def sewn(bent: Pieces) -> SurfaceIslands:
        share = bent.count / pieces.count
        return _sewn(bent, limits, settings, lambda stage: told(share * stage.progress, stage.seam))

    def finished(part: float) -> None:
        nonlocal done
        done = part
        told(0.0)

    return natural_islands(pieces, settings.stretch, sewn, finished)


def _mirrored(
    mesh: Mesh,
    points: FloatArray | None,
    mirror: Mirror,
    settings: UnwrapSettings,
    tell: Tell | None,
    started: float,
) -> Unwrapped | None:
    """One side flattened, and the other as its mirror image."""
    here = np.asarray(mesh.positions if points is None else points, np.float64)
    own = replace(settings, symmetric=False, balance=BOTH_ALIKE)
    limits = limits_for(settings.stretch)
    work = unwrap_both_sides(
        mesh, here, mirror, limits, lambda half: unwrap_mesh(half, own, here, tell)
    )
    if work is None:
        return None
    if settings.balance != BOTH_ALIKE:
        work = rebalanced(work, settings.balance)
    made = measured(mesh, work.pieces, work, time.monotonic() - started)
    return replace(made, symmetric=True)


def _joined_while_told(
    base: SurfaceIslands, limits: Limits, seed: int, tell: Tell
) -> tuple[SurfaceIslands, bool]:
    """Sew in two orders at once, in threads, and tell how far it is; the one with shorter seams, and
    whether to go on after that."""
    stop, told = np.zeros(1, bool), np.zeros((LANES, 2), np.int64)
    parts = max(int(base.label.max()), 1)
    staged = SMALL if limits.stretch < FEW_SEAMS else TWICE
    stages = (AT_FULL, IN_TWO if base.pieces.count <= staged else AT_FULL)
    with ThreadPoolExecutor(LANES) as pool:
        lanes = [
            pool.submit(_lane, base, limits, stages[k], seed + 1000 * k, stop, told[k])
            for k in range(LANES)
        ]
        while wait(lanes, TELL_EVERY).not_done:
            done = min(float(told[:, 0].min()) / parts, 1.0)
            if not tell(Stage(0.05 + 0.65 * done, np.inf)):
                stop[0] = True
    return min((lane.result() for lane in lanes), key=lambda work: work.seam), not stop[0]


def _lane(
    base: SurfaceIslands,
    limits: Limits,
    stages: tuple[float, ...],
    seed: int,
    stop: BoolArray,
    told: IntArray,
) -> SurfaceIslands:
    """Sew and straighten, with more and more of the stretch that is allowed; then once more, where
    the mesh is small enough."""
    work = base
    for part in stages:
        some = limits_for(1 + part * (limits.stretch - 1))
        jitter = JITTER if work is base else 0.0
        work = straightened(joined_up(work, some, jitter, seed, stop, told), some, stop)
    if base.pieces.count > TWICE:
        return work
    return straightened(joined_up(work, limits, 0.0, seed, stop, told), limits, stop)


def _relaxed_on(work: SurfaceIslands, limits: Limits, tell: Tell) -> SurfaceIslands:
    """Relax each island as a whole, which makes room for more: join and straighten again, as long as that gains something."""
    for number in range(RELAXED):
        if not tell(Stage(0.7 + 0.05 * number / RELAXED, _seam(work))):
            break
        before = work.seam
        relaxed = rebalanced(work, BOTH_ALIKE, RELAX_STEPS)
        work = straightened(joined_up(relaxed, limits), limits)
        if work.seam > (1 - WORTH_IT) * before:
            break
    return work


def _fewer_seams(
    work: SurfaceIslands,
    base: SurfaceIslands,
    limits: Limits,
    settings: UnwrapSettings,
    tell: Tell,
) -> SurfaceIslands:
    """Open a part and join it again in another order, as often as the size of the mesh allows, or for the seconds that are
    given. Rounds are counted, so that a mesh gives the same layout however busy the machine is."""
    pieces = work.pieces
    rounds = min(MOST_ROUNDS, ROUNDS_FOR // pieces.count) if pieces.count <= AGAIN else 0
    given, end = settings.seconds, np.inf
    if given is not None:
        rounds, end = 1_000_000, time.monotonic() + given
    rng = np.random.default_rng(settings.seed)
    for number in range(rounds):
        cut = np.flatnonzero(~work.joined & (pieces.across >= 0))
        if not len(cut) or time.monotonic() > end:
            break
        done = number / rounds if given is None else 1 - (end - time.monotonic()) / max(given, 1e-9)
        if not tell(Stage(0.75 + 0.25 * done, _seam(work))):
            break
        spot = int(rng.choice(cut, p=pieces.length[cut] / pieces.length[cut].sum())) // 3
        share = float(np.exp(rng.uniform(np.log(0.02), np.log(0.4))))
        loose = split_off(work, base, near_pieces(base, spot, share))
        found = straightened(joined_up(loose, limits, JITTER, settings.seed + number + 1), limits)
        if found.seam <= work.seam:
            work = found
    return work


def _one_piece(work: SurfaceIslands, tell: Tell) -> SurfaceIslands:
    """Sew on with more and more stretch allowed."""
    for number, stretch in enumerate(RAISED):
        if not tell(Stage(0.7 + 0.3 * number / len(RAISED), _seam(work))):
            break
        limits = limits_for(stretch)
        work = smoothed(joined_up(work, limits), limits)
    return work


def _seam(work: SurfaceIslands) -> float:
    return float(work.seam / np.sqrt(max(work.pieces.area.sum(), 1e-300)))
