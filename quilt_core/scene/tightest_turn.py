"""The turn that gives an outline its tightest upright box."""

from __future__ import annotations

import numpy as np

from quilt_core.scene.types import FloatArray


def tightest_turn(points: FloatArray) -> float:
    """Smallest turn that makes the bounding box of points as small as it gets.

    Parameters
    ----------
    points : (N, 2) float64

    Returns
    -------
    float
        Radians, within an eighth of a full turn to either side; 0 for points on a line or when the
        box gets no smaller.

    References
    ----------
    Freeman and Shapira 1975: the smallest enclosing rectangle has a side on an edge of the hull.

    Examples
    --------
    >>> diamond = np.array([(1.0, 0.0), (0.0, 1.0), (-1.0, 0.0), (0.0, -1.0)])
    >>> round(float(np.degrees(abs(tightest_turn(diamond)))), 6)
    45.0
    """
    # Imported here: it takes a second, for which nobody who starts the server should wait.
    from scipy.spatial import ConvexHull, QhullError

    try:
        hull = points[ConvexHull(points).vertices]
    except (QhullError, ValueError):
        return 0.0
    along = np.roll(hull, -1, axis=0) - hull
    angles = -np.arctan2(along[:, 1], along[:, 0])
    # Quarter turns change nothing about the size: take the smallest turn.
    angles = np.concatenate([[0.0], (angles + np.pi / 4) % (np.pi / 2) - np.pi / 4])
    c, s = np.cos(angles)[:, None], np.sin(angles)[:, None]
    x, y = c * hull[:, 0] - s * hull[:, 1], s * hull[:, 0] + c * hull[:, 1]
    size = np.ptp(x, axis=1) * np.ptp(y, axis=1)
    best = int(np.argmin(size))
    return float(angles[best]) if size[best] < size[0] * (1 - 1e-9) else 0.0
