"""Bits that tell of single islands, for every room and door; the browser gets them generated.

``python -m quilt_core.scene.flags > web/src/editor/flags.generated.ts``
"""

from __future__ import annotations

CONTROLS = {"lock_place": 1, "lock_rotation": 2, "lock_size": 4, "may_flip": 8, "leave_out": 16}
"""What the artist says of an island, by the names of the settings."""
LOCK_PLACE, LOCK_ROTATION, LOCK_SIZE, MAY_FLIP, LEAVE_OUT = CONTROLS.values()

MEASURED = {"mirrored": 1, "overlapping": 2, "outside": 4, "collapsed": 8, "side_table": 16}
"""What was measured of an island in its layout."""
MIRRORED, OVERLAPPING, OUTSIDE, COLLAPSED, SIDE_TABLE = MEASURED.values()


def for_the_browser() -> str:
    """The same as TypeScript."""
    lines = ["// Made by quilt_core/scene/flags.py; a test compares it."]
    for name, about, bits in (
        ("CONTROLS", "What the artist says of an island.", CONTROLS),
        ("MEASURED", "What was measured of an island in its layout.", MEASURED),
    ):
        rows = "".join(f"  {key}: {bit},\n" for key, bit in bits.items())
        lines.append(f"\n/** {about} */\nexport const {name} = {{\n{rows}}} as const;")
    return "\n".join(lines)


if __name__ == "__main__":
    print(for_the_browser())
