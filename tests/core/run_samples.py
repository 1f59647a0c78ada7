"""What tests of run are made of, for others too."""

from __future__ import annotations


def quad(size: float = 1.0, uv: float = 0.4, name: str = "Plate", mtl: str = "") -> str:
    head = f"mtllib {mtl}\n" if mtl else ""
    use = "usemtl wood\n" if mtl else ""
    return (
        f"{head}o {name}\nv 0 0 0\nv {size} 0 0\nv {size} {size} 0\nv 0 {size} 0\n"
        f"vt 0 0\nvt {uv} 0\nvt {uv} {uv}\nvt 0 {uv}\n{use}f 1/1 2/2 3/3 4/4\n"
    )
