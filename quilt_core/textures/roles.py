"""What a texture shows, by the end of its name.

The endings are common practice, from memory.
"""

from __future__ import annotations

import re
from pathlib import PurePosixPath

ENDINGS = {
    "baseColor": ("basecolor", "basecolour", "color", "colour", "albedo", "diffuse", "diff", "col", "bc"),
    "normal": ("normal", "normals", "normalmap", "normalgl", "nrm", "norm", "nor", "n"),
    "normalGreenDown": ("normaldx", "normaldown"),
    "roughness": ("roughness", "rough", "rgh", "r"),
    "metal": ("metal", "metallic", "metalness", "mtl", "m"),
    "occlusion": ("occlusion", "ambientocclusion", "ao", "occ"),
    "emissive": ("emissive", "emission", "emit", "glow", "e"),
    "opacity": ("opacity", "alpha", "transparency"),
    "metallicRoughness": ("metallicroughness", "roughnessmetallic"),
    "occlusionRoughnessMetallic": ("orm", "occlusionroughnessmetallic", "occlusionroughnessmetal"),
    "height": ("height", "displacement", "disp", "h"),
    "curvature": ("curvature", "curv", "cavity"),
    "objectNormal": ("objectnormal", "normalobject", "objectspacenormal", "osnormal"),
    "id": ("id", "ids", "matid", "colorid", "colourid"),
}  # fmt: skip
"""Roles and the last words of names that tell them."""
FREE = ("height", "curvature", "objectNormal", "id")
"""Roles that no material of a file refers to: their textures are carried over and lie beside the files."""
ROLES = tuple(ENDINGS)


def guess_role(name: str) -> tuple[str, str]:
    """The role that a file's name tells, none if it does not, and what comes before it.

    Examples
    --------
    >>> guess_role("textures/oil_drum_Base_Color.1001.png")
    ('baseColor', 'oil_drum')
    >>> guess_role("crateORM.tga")
    ('occlusionRoughnessMetallic', 'crate')
    >>> guess_role("notes.png")
    ('', 'notes')
    """
    stem = PurePosixPath(name.replace("\\", "/")).stem
    stem = re.sub(r"[._-](1\d{3}|<UDIM>)$", "", stem)  # the number of a tile
    parts = re.split(r"[_.\- ]+", re.sub(r"(?<=[a-z0-9])(?=[A-Z])", "_", stem))
    for words in (3, 2, 1):
        if len(parts) <= words:
            continue
        ending = "".join(parts[-words:]).lower()
        for role, known in ENDINGS.items():
            if ending in known:
                return role, "_".join(parts[:-words])
    return "", "_".join(parts)
