"""What tests of edit are made of, for others too."""

from __future__ import annotations


def sheet_obj(n=4, name="Sheet"):
    """Squares in a square, and a second object of one square far away."""
    lines = [f"o {name}"]
    lines += [f"v {i} 0 {j}" for j in range(n + 1) for i in range(n + 1)]
    lines += [f"vt {0.1 + 0.1 * i} {0.1 + 0.1 * j}" for j in range(n + 1) for i in range(n + 1)]
    for j in range(n):
        for i in range(n):
            a = 1 + j * (n + 1) + i
            ring = (a, a + 1, a + n + 2, a + n + 1)
            lines.append("f " + " ".join(f"{k}/{k}" for k in ring))
    m = (n + 1) ** 2
    lines += ["o Patch", "v 9 0 0", "v 10 0 0", "v 10 0 1", "v 9 0 1", "vt 0.7 0.7", "vt 0.8 0.7"]
    lines += ["vt 0.8 0.8", "vt 0.7 0.8", "f " + " ".join(f"{m + k}/{m + k}" for k in (1, 2, 3, 4))]
    return "\n".join(lines).encode()
