"""What tests of update are made of, for others too."""

from __future__ import annotations


def obj_file(*boxes: tuple[str, float, float]) -> bytes:
    """An OBJ of strips of three quads: name, place and size; UVs lie apart for each quad."""
    rows, first = [], 1
    for name, x, size in boxes:
        rows.append(f"o {name}")
        for k in range(4):
            rows += [f"v {x + k * size} 0 0", f"v {x + k * size} {size} 0"]
        for k in range(3):
            u = 0.3 * k + 0.02
            rows += [f"vt {u} 0.1", f"vt {u + 0.2} 0.1", f"vt {u + 0.2} 0.3", f"vt {u} 0.3"]
        for k in range(3):
            a, t = first + 2 * k, (first - 1) // 8 * 12 + 4 * k + 1
            rows.append(f"f {a}/{t} {a + 2}/{t + 1} {a + 3}/{t + 2} {a + 1}/{t + 3}")
        first += 8
    return "\n".join(rows).encode()
