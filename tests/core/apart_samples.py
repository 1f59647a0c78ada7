"""What tests of apart are made of, for others too."""

from __future__ import annotations


def obj_of(sizes: list[tuple[float, str]]) -> str:
    """Squares of some sizes, each with a material, as one object."""
    lines, faces = ["o set"], []
    for k, (size, material) in enumerate(sizes):
        x = 0.02 * k
        for u, v in ((0, 0), (1, 0), (1, 1), (0, 1)):
            lines += [f"v {x * 50 + u * size * 10:.6f} {v * size * 10:.6f} 0", f"vt {u * size:.6f} {v * size:.6f}"]  # fmt: skip
        n = 4 * k + 1
        faces += [f"usemtl {material}", "f " + " ".join(f"{n + i}/{n + i}" for i in range(4))]
    return "\n".join(lines + faces) + "\n"
