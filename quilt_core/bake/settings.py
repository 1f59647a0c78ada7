"""What is baked, and how."""

from __future__ import annotations

from dataclasses import dataclass

from quilt_core.errors import LayoutError
from quilt_core.options import check_options, option

MAPS = {
    "normal": 3, "objectNormal": 3, "occlusion": 1, "curvature": 1, "thickness": 1, "height": 1, "position": 3,
    "id": 3, "colour": 3,
}  # fmt: skip
"""Maps and their channels."""
IDS = ("object", "island", "material")
RAYS_ALONG = ("smooth", "faces", "cage")
SAMPLES = (1, 4, 9, 16)
BY_NAME, NAMED, EVERY, ITSELF = "by-name", "named", "every", "itself"
PAIRS = (BY_NAME, NAMED, EVERY, ITSELF)
BITS = (8, 16, 32)
USUAL_DISTANCE = 0.02
"""Part of the size of the largest low poly object that rays look outward and inward, where nothing is said."""


@dataclass(frozen=True)
class BakeSettings:
    """How a test bake is done.

    Raises
    ------
    LayoutError
        When a value is out of its bounds.
    """

    maps: tuple[str, ...] = option(("normal", "occlusion"), "what is baked", choices=tuple(MAPS))
    distance: float | None = option(
        None,
        "how far rays look outward and inward; without it 2 % of the largest low poly object",
        unit="m",
        low=0,
        high=1e6,
    )
    outward: float | None = option(None, "outward only", unit="m", low=0, high=1e6)
    inward: float | None = option(None, "inward only", unit="m", low=0, high=1e6)
    distances: dict[str, float] = option(
        {},
        "another distance for objects by their names, outward and inward",
        unit="m",
        low=1e-9,
        high=1e6,
        shape="NAME=METRES",
    )
    along: str = option(
        "smooth",
        "rays along smooth normals, along normals of faces, or from a cage",
        choices=RAYS_ALONG,
    )
    pairs: str = option(
        BY_NAME,
        "objects meet those of the same name but for the endings, others themselves (by-name); only those with a partner are "
        "baked (named); everything meets everything (every); each object meets itself (itself)",
        choices=PAIRS,
    )
    low_ending: str = option("_low", "of names of low poly objects")
    high_ending: str = option("_high", "of names of high poly objects")
    together: bool = option(False, "pairs meet the rays of one another, also in occlusion")
    samples: int = option(1, "of each texel", choices=SAMPLES)
    rays: int = option(64, "of occlusion and thickness, for each sample", low=1, high=4096)
    occlusion_distance: float = option(
        0.0, "what is farther away hides nothing; 0 for no limit", unit="m", low=0, high=1e6
    )
    thickness_distance: float = option(
        0.0,
        "way through the solid that is white; 0 for half of the size",
        unit="m",
        low=0,
        high=1e6,
    )
    curvature: float = option(
        0.0,
        "radius that is black or white; 0 for the one that clips 2 % of the surface",
        unit="m",
        low=0,
        high=1e6,
    )
    ids: str = option("material", "what gets a colour of its own", choices=IDS)
    bits: int = option(
        8, "of each channel; height and position have 16 at least, 32 is OpenEXR", choices=BITS
    )
    green_down: bool = option(
        False, "green of tangent-space normals points down; in glTF it points up"
    )
    smooth: float = option(
        45.0,
        "high poly meshes without normals are smooth over edges bent by less",
        unit="degrees",
        low=0,
        high=180,
    )

    def __post_init__(self) -> None:
        check_options(self)
        if not self.maps:
            raise LayoutError("No map is asked for.", "maps", f"Give some of {', '.join(MAPS)}.")
        both = [self.distance if one is None else one for one in (self.outward, self.inward)]
        if None not in both and not sum(one or 0.0 for one in both) > 0:
            raise LayoutError(
                "Rays look no way at all.", "distance", "Give a length above nothing."
            )

    def lengths(self, size: float) -> tuple[float, float]:
        """How far rays look outward and inward, metres, onto objects the largest of which is that large."""
        usual = USUAL_DISTANCE * size if self.distance is None else self.distance
        outward = usual if self.outward is None else self.outward
        return outward, usual if self.inward is None else self.inward

    @property
    def by_name(self) -> bool:
        """Whether names tell what meets what."""
        return self.pairs in (BY_NAME, NAMED)

    @property
    def side(self) -> int:
        """Samples along each side of a texel."""
        return {1: 1, 4: 2, 9: 3, 16: 4}[self.samples]
