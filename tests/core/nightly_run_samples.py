"""What tests of nightly run are made of, for others too."""

from __future__ import annotations

import numpy as np


def tube(sides: int, radius: float, name: str) -> str:
    """An OBJ of a tube without ends, with UVs."""
    turn = np.linspace(0, 2 * np.pi, sides + 1)
    rows = [f"o {name}"]
    for y in (0, 1):
        rows += [f"v {radius * np.cos(a):.6f} {y} {radius * np.sin(a):.6f}" for a in turn]
        rows += [f"vt {k / sides:.6f} {y * 0.2:.6f}" for k in range(sides + 1)]
    n = sides + 1
    rows += [
        f"f {k + n + 1}/{k + n + 1} {k + n + 2}/{k + n + 2} {k + 2}/{k + 2} {k + 1}/{k + 1}"
        for k in range(sides)
    ]
    return "\n".join(rows) + "\n"
