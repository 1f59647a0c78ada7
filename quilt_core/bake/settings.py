"""What is baked, and how."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field

from quilt_core.errors import LayoutError

MAPS = {
    "normal": 3, "objectNormal": 3, "occlusion": 1, "curvature": 1, "thickness": 1, "height": 1, "position": 3,
    "id": 3, "colour": 3,
}  # fmt: skip
"""Maps and their channels."""
IDS = ("object", "island", "material")
RAYS_ALONG = ("smooth", "faces", "shell")
SAMPLES = (1, 4, 9, 16)
MATCHES = ("names", "all")
BITS = (8, 16, 32)


@dataclass(frozen=True)
class BakeSettings:
    """How a rehearsal is done.

    Parameters
    ----------
    maps : tuple of str
        Of `MAPS`.
    outward, inward : float
        How far from the coarse surface the fine one is looked for, metres.
    distances : mapping
        Object's name to another outward and inward distance.
    along : str
        Rays along smooth normals, normals of the faces, or toward the surface from a shell mesh.
    match : str
        names: objects meet those of the same name but for the endings; all: everything meets everything.
    low_ending, high_ending : str
        Endings that pairs differ by.
    apart : bool
        Whether pairs are kept from seeing one another: also in occlusion and thickness.
    samples : int
        Of each texel: 1, 4, 9 or 16.
    occlusion_rays : int
        For each sample.
    occlusion_distance : float
        What is farther away hides nothing, metres; 0 for no limit.
    thickness_distance : float
        Way through the solid that is white, metres; 0 for half of the mesh's size.
    curvature : float
        Radius of curvature that is black or white, metres; 0 for the one that clips two of a hundred texels.
    ids : str
        What gets a colour of its own: object, island or material.
    bits : int
        8, 16, or 32 (OpenEXR) for each channel; height and position have 16 at least.
    green_down : bool
        Of tangent normals; glTF has green up.
    smooth : float
        Of fine meshes without normals: edges that are bent by fewer degrees are smooth.
    """

    maps: tuple[str, ...] = ("normal",)
    outward: float = 0.02
    inward: float = 0.02
    distances: Mapping[str, tuple[float, float]] = field(default_factory=dict)
    along: str = "smooth"
    match: str = "names"
    low_ending: str = "_low"
    high_ending: str = "_high"
    apart: bool = True
    samples: int = 1
    occlusion_rays: int = 64
    occlusion_distance: float = 0.0
    thickness_distance: float = 0.0
    curvature: float = 0.0
    ids: str = "material"
    bits: int = 8
    green_down: bool = False
    smooth: float = 45.0

    def __post_init__(self) -> None:
        for label, value, known in (
            ("--along", self.along, RAYS_ALONG), ("--match", self.match, MATCHES), ("--ids", self.ids, IDS),
            ("--samples", self.samples, SAMPLES), ("--bits", self.bits, BITS),
        ):  # fmt: skip
            if value not in known:
                raise LayoutError(
                    f"“{value}”.", label, f"Give one of {', '.join(map(str, known))}."
                )
        unknown = [name for name in self.maps if name not in MAPS]
        if unknown or not self.maps:
            what = f"There is no map “{unknown[0]}”." if unknown else "No map is asked for."
            raise LayoutError(what, "maps", f"Give some of {', '.join(MAPS)}.")
        if not (self.outward >= 0 and self.inward >= 0 and self.outward + self.inward > 0):
            raise LayoutError(
                f"Distances of {self.outward:g} m outward and {self.inward:g} m inward.",
                "distance",
                "Give a length above nothing.",
            )
        if not 1 <= self.occlusion_rays <= 4096:
            raise LayoutError(f"{self.occlusion_rays} rays.", "rays", "Give 1 to 4,096.")

    @property
    def side(self) -> int:
        """Samples along each side of a texel."""
        return {1: 1, 4: 2, 9: 3, 16: 4}[self.samples]
