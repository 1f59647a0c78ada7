"""The objects of the diorama, each a list of islands, with the faults they have on purpose."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np

from demo.islands import Island, band, box, cutout, disk, gear, plate, ring, strip

TAU = 2 * np.pi


@dataclass(frozen=True, eq=False)
class Prop:
    """An object of the demo.

    `scale` multiplies the size of single islands in the layout (uneven density), `away` moves islands
    out of the tile, `pile` puts islands on top of their neighbour, `wide` draws islands wider than
    they are (stretch), `faceted` shades all edges hard, also those inside islands, `flat` False
    leaves out all UVs.
    """

    name: str
    islands: list[Island]
    place: tuple[float, float, float] = (0, 0, 0)
    scale: dict[int, float] = field(default_factory=dict)
    away: dict[int, tuple[float, float]] = field(default_factory=dict)
    pile: tuple[int, ...] = ()
    wide: dict[int, float] = field(default_factory=dict)
    faceted: bool = False
    flat: bool = True
    fill: float = 0.9


def tower() -> Prop:
    islands = [
        band(
            2.6 - 0.22 * k,
            2.38 - 0.22 * k,
            1.6 * k,
            1.6 * k + 1.6,
            s * TAU / 3,
            (s + 1) * TAU / 3,
            10,
        )
        for k in range(3)
        for s in range(3)
    ]
    islands += [disk(2.9, 28, 0, down=True), band(2.9, 2.6, 0, 0.0001, 0, TAU, 28)]
    islands += [
        plate(0.8, 1.7).moved(z=2.62),
        *[plate(0.45, 0.7).moved(y=2.2, z=2.35).moved(turn=a) for a in (2.1, 4.2)],
    ]
    return Prop("Tower wall", islands[:10] + islands[11:], scale={9: 0.4})


def lantern_room() -> Prop:
    walls = [plate(0.82, 1.2, 2, 2).moved(z=1.0).moved(turn=k * TAU / 8, y=5.1) for k in range(8)]
    sills = [plate(0.82, 0.12).moved(z=1.04).moved(turn=k * TAU / 8, y=5.0) for k in range(8)]
    roof = [band(1.35, 0.08, 6.3, 7.2, h * TAU / 2, (h + 1) * TAU / 2, 12) for h in range(2)]
    return Prop(
        "Lantern room",
        [
            *roof,
            ring(0.2, 1.12, y=5.05),
            *walls,
            *sills,
            disk(0.3, 16, 7.25),
            band(0.1, 0.1, 7.2, 7.6, sides=8),
        ],
        scale={0: 1.5, 11: 2.2},
        away={3: (2.4, 0.3)},
    )


def gallery_rail() -> Prop:
    posts = [
        band(0.035, 0.035, 4.85, 5.75, sides=6).moved(x=1.85 * np.cos(a), z=1.85 * np.sin(a))
        for a in np.linspace(0, TAU, 14, endpoint=False)
    ]
    hoops = [ring(1.8, 1.9, sides=28, y=y) for y in (5.3, 5.75)]
    deck = [ring(1.15, 2.0, s * TAU / 2, (s + 1) * TAU / 2, 14, 4.85) for s in range(2)]
    return Prop(
        "Gallery rail", [*deck, *hoops, *posts], fill=1.0, scale=dict.fromkeys(range(2, 18), 2.6)
    )


def spiral_stair() -> Prop:
    treads = [
        ring(0.22, 1.05, a, a + 0.42, 5, 0.28 * (k + 1)) for k, a in enumerate(np.arange(14) * 0.4)
    ]
    risers = [
        plate(0.82, 0.26)
        .moved(z=0)
        .moved(turn=0)
        .tilted(1, a)
        .moved(x=0.63 * np.cos(a), z=-0.63 * np.sin(a), y=0.28 * k + 0.02)
        for k, a in enumerate(np.arange(14) * 0.4)
    ]
    return Prop(
        "Spiral stair",
        [*treads, *risers, band(0.2, 0.2, 0, 4.6, sides=10)],
        (4.6, 0, -0.5),
        scale={28: 0.5},
        pile=(15, 16),
    )


def lens_carriage() -> Prop:
    rings = [ring(0.28 + 0.16 * k, 0.4 + 0.16 * k, sides=26, y=0.6 + 0.12 * k) for k in range(4)]
    prisms = [
        cutout([(0, 0), (0.3, 0.05), (0.34, 0.6), (0.12, 0.72), (-0.04, 0.4)])
        .moved(z=0.62)
        .moved(turn=a, y=0.7)
        for a in np.linspace(0, TAU, 8, endpoint=False)
    ]
    return Prop(
        "Lens carriage",
        [
            *rings,
            *prisms,
            disk(0.24, 18, 0.62),
            band(0.75, 0.55, 0, 0.55, sides=20),
            gear(0.5, 0.2, 16).tilted(0, -np.pi / 2).moved(y=0.56),
        ],
        (-4.4, 0, 0.6),
        scale={0: 0.45},
    )


def fog_bell() -> Prop:
    bands = [
        band(0.7, 0.52, 0.3, 0.6),
        band(0.52, 0.44, 0.6, 1.0),
        band(0.44, 0.3, 1.0, 1.2),
        band(0.3, 0.06, 1.2, 1.28),
    ]
    yoke = box(1.7, 0.14, 0.2)
    legs = [c.moved(x=x) for x in (-0.8, 0.8) for c in box(0.14, 1.45, 0.2)]
    return Prop(
        "Fog bell",
        [
            *bands,
            *[c.moved(y=1.45) for c in yoke],
            *legs,
            ring(0.58, 0.7, sides=24, y=0.3),
            band(0.1, 0.1, 0.15, 0.45, sides=10),
        ],
        (-3.4, 0, 3.0),
        scale={2: 0.5, 3: 0.5},
    )


def signal_winch() -> Prop:
    bracket = [(0, 0), (0.9, 0), (0.9, 0.18), (0.25, 0.25), (0.2, 0.9), (0, 0.9)]
    sides = [cutout(bracket).moved(x=-0.4, z=z) for z in (0.3, -0.3)]
    drum = [
        band(0.2, 0.2, -0.28, 0.28, sides=18).tilted(0, np.pi / 2).moved(y=0.6),
        disk(0.2, 18).tilted(0, np.pi / 2).moved(y=0.6, z=0.29),
    ]
    crank = [
        cutout([(0, 0), (0.5, 0), (0.5, 0.34), (0.42, 0.34), (0.42, 0.09), (0, 0.09)]).moved(
            y=0.55, z=0.42
        )
    ]
    wheels = [
        gear(r, r * 0.45, n).moved(x=x, y=0.6, z=0.36)
        for r, n, x in ((0.34, 14, 0.0), (0.2, 9, 0.5), (0.14, 8, 0.78))
    ]
    return Prop(
        "Signal winch",
        [
            *sides,
            *drum,
            *crank,
            *wheels,
            *[c.moved(y=-0.12) for c in box(1.4, 0.12, 0.9)],
            strip(
                0.05,
                np.column_stack([np.linspace(0, 1.4, 30), np.full(30, 0.8), np.zeros(30)]),
                np.array([0, 0, 1.0]),
                0.05,
            ),
        ],
        (3.2, 0.12, 3.2),
        scale={0: 1.6, 1: 1.6},
    )


def oil_drum(number: int, x: float, z: float, flaw: int) -> Prop:
    islands = [
        band(0.3, 0.3, 0.3 * k, 0.3 * k + 0.3, h * TAU / 2, (h + 1) * TAU / 2, 9)
        for k in range(3)
        for h in range(2)
    ]
    islands += [
        disk(0.3, 18, 0.9),
        disk(0.3, 18, 0, down=True),
        ring(0.03, 0.07, sides=10, y=0.91).moved(x=0.15),
    ]
    return Prop(
        f"Oil drum {number}",
        islands,
        (x, 0, z),
        scale={0: 0.35} if flaw == 1 else {},
        away={7: (-3.2, 1.4)} if flaw == 2 else {},
        fill=1.0 if flaw != 3 else 0.35,
    )


def shutter(side: str, x: float) -> Prop:
    slats = [plate(0.7, 0.09).tilted(0, -0.5).moved(y=0.12 + 0.12 * k) for k in range(10)]
    frame = cutout([(-0.45, 0), (-0.35, 0), (-0.35, 1.4), (0.45, 1.4), (0.45, 1.5), (-0.45, 1.5)])
    hinge = cutout([(0, 0), (0.24, 0.02), (0.3, 0.07), (0.24, 0.12), (0, 0.14)])
    islands = [
        frame,
        cutout([(0.35, 0), (0.45, 0), (0.45, 1.4), (0.35, 1.4)]),
        plate(0.7, 0.1),
        *slats,
        hinge.moved(x=0.45, y=0.3),
        hinge.moved(x=0.45, y=1.1),
    ]
    if side == "right":
        flip = np.array([-1.0, 1.0, 1.0])
        islands = [Island(c.points * flip, c.flat, [f[::-1] for f in c.faces]) for c in islands]
    return Prop(f"Shutter, {side}", islands, (x, 0.1, 3.9))


def rope_coil() -> Prop:
    islands = []
    for k in range(5):
        t = np.linspace(k * TAU * 1.2, (k + 1) * TAU * 1.2, 60)
        r = 0.42 - 0.01 * t / TAU
        path = np.column_stack([r * np.cos(t), 0.05 + 0.012 * t, r * np.sin(t)])
        islands.append(strip(0.09, path, np.array([0.0, 1.0, 0.0]), 0.04 if k % 2 else 0.0))
    return Prop("Rope coil", islands, (1.4, 0, 4.2), scale={4: 2.2})


def notice_board() -> Prop:
    sheets = [
        plate(0.6, 0.4, 3, 2).moved(x=-0.35, y=1.15, z=0.06),
        plate(0.42, 0.55, 2, 3).mirrored().moved(x=0.32, y=1.05, z=0.06),
    ]
    board = [
        plate(1.5, 0.9).moved(y=0.95, z=0.05),
        plate(1.5, 0.9).moved(turn=np.pi).moved(y=0.95, z=-0.05),
    ]
    posts = [c.moved(x=x) for x in (-0.7, 0.7) for c in box(0.12, 2.0, 0.1)]
    return Prop(
        "Notice board",
        [*sheets, *board, *posts, cutout([(-0.85, 0), (0.85, 0), (0, 0.35)]).moved(y=1.95)],
        (-1.2, 0, 4.6),
        scale={1: 1.7},
        wide={2: 2.4},
        pile=(0,),
    )


def storm_lamp(fine: bool) -> Prop:
    n = 24 if fine else 8
    islands = [
        band(0.22, 0.22, 0, 0.14, sides=n),
        band(0.22, 0.12, 0.14, 0.22, sides=n),
        band(0.14, 0.18, 0.22, 0.42, sides=n),
        band(0.18, 0.12, 0.42, 0.6, sides=n),
        band(0.16, 0.05, 0.6, 0.74, sides=n),
        disk(0.22, n, 0, down=True),
    ]
    if fine:
        islands += [
            ring(0.1, 0.13, sides=20).tilted(0, np.pi / 2).moved(y=0.82),
            *[
                band(0.012, 0.012, 0.2, 0.62, sides=6).moved(x=0.2 * np.cos(a), z=0.2 * np.sin(a))
                for a in (0.5, 2.6, 4.7)
            ],
        ]
    return Prop(
        f"Storm lamp, {'high' if fine else 'low'}",
        islands,
        (2.4, 0, 4.9) if fine else (3.0, 0, 4.9),
    )


def mooring_stone() -> Prop:
    return Prop(
        "Mooring stone",
        [band(0.5, 0.42, 0, 0.5, sides=9), band(0.42, 0.2, 0.5, 0.62, sides=9), disk(0.2, 9, 0.62)],
        (4.9, 0, 2.4),
        flat=False,
    )


def quay_crates() -> Prop:
    islands = []
    for x, y, z, s in ((0, 0, 0, 0.7), (0.8, 0, 0.1, 0.55), (0.2, 0.7, 0.05, 0.5)):
        islands += [c.moved(x=x, y=y, z=z) for c in box(s, s, s)]
    return Prop("Quay crates", islands, (-4.6, 0, 2.1), pile=(4,), faceted=True)


LIGHTHOUSE = (tower, lantern_room, gallery_rail, spiral_stair, lens_carriage)


def yard() -> list[Prop]:
    """Everything that stands around the tower."""
    return [
        fog_bell(),
        signal_winch(),
        oil_drum(1, 4.3, 0.9, 0),
        oil_drum(2, 4.9, 1.4, 1),
        oil_drum(3, 4.2, 1.7, 2),
        shutter("left", -2.6),
        shutter("right", -1.6),
        rope_coil(),
        notice_board(),
        quay_crates(),
        mooring_stone(),
    ]


def lamps() -> list[Prop]:
    """The storm lamp twice, fine and coarse, for a test bake."""
    return [storm_lamp(True), storm_lamp(False)]
