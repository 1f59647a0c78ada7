"""What can be wrong with a layout, why it matters and what fixes it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from quilt_core.plugins import installed

SEVERITIES = ("error", "warning", "hint", "off")


@dataclass(frozen=True)
class Kind:
    """A kind of finding.

    Parameters
    ----------
    title : str
        Plural, for a list.
    severity : str
        Unless the project's rules say otherwise.
    why : str
        What goes wrong when nothing is done.
    advice : str
        What can be done.
    fix : str
        Name of the action that fixes it at a click; empty where there is none.
    """

    title: str
    severity: str
    why: str
    advice: str
    fix: str = ""


@dataclass(frozen=True)
class AddedCheck:
    """A check of another package.

    Parameters
    ----------
    name : str
    kinds : mapping
        Kinds of findings that it makes, by the names that rules and options call them.
    run : callable
        ``run(case)``: looks at a `quilt_core.check.case.Case` and writes down what it finds there.
    """

    name: str
    kinds: Mapping[str, Kind]
    run: Callable[[Any], None]


FINDING_KINDS: dict[str, Kind] = {
    "overlap": Kind(
        "Overlapping islands",
        "error",
        "Both are painted and baked into the same texels.",
        "Lay one into free space; or mark them as a stack if they are meant to share.",
        "spread",
    ),
    "fold": Kind(
        "Islands folded over themselves",
        "error",
        "Several faces of the island share texels.",
        "Cut the island where it folds, or unwrap its object again.",
        "unwrap",
    ),
    "two-sided": Kind(
        "Islands of two-sided sheets",
        "hint",
        "Front and back of the sheet share their texels.",
        "Nothing, if both sides may look the same; else unwrap the back apart.",
    ),
    "loose stack": Kind(
        "Stacks that no longer lie together",
        "error",
        "They are marked to share texels, but do not cover one another.",
        "Stack them again, or take them off the stack.",
        "stack",
    ),
    "crowded": Kind(
        "Spots with too many faces",
        "error",
        "So many faces lie on one spot that not every pair was compared.",
        "Spread them, or mark them as a stack.",
    ),
    "gap": Kind(
        "Gaps below the padding",
        "error",
        "Neighbours bleed into one another at the mip levels where the gap has closed.",
        "Move them apart: one of them is laid into free space.",
        "spread",
    ),
    "margin": Kind(
        "Too near to the tile's edge",
        "error",
        "The opposite edge bleeds in where the texture repeats or is halved.",
        "Lay the island into free space farther in.",
        "spread",
    ),
    "straddling": Kind(
        "Islands across a tile's edge",
        "error",
        "The part beyond the edge is baked into another tile, or nowhere.",
        "Move the island into the tile.",
        "move in",
    ),
    "outside": Kind(
        "Islands in no tile",
        "error",
        "They get no texels of their own.",
        "Move the island into the tile by whole tiles, or leave its object out.",
        "move in",
    ),
    "far away": Kind(
        "Islands far away",
        "error",
        "They lie more than a tile's length from every tile.",
        "Move the island into the tile.",
        "move in",
    ),
    "parked": Kind(
        "Parked islands",
        "hint",
        "Exactly one or more tiles over from a twin: it shares its texels and is not baked twice.",
        "Nothing, if it is meant; else mark both as a stack.",
        "stack",
    ),
    "side table": Kind(
        "On the side table",
        "error",
        "They have no place in a tile yet.",
        "Pack them into free space, or add a tile.",
        "spread",
    ),
    "mirrored": Kind(
        "Mirrored islands",
        "warning",
        "Text and bolts read backwards; tangent-space normals may show a seam.",
        "Mirror the island back.",
        "mirror",
    ),
    "turned faces": Kind(
        "Faces turned against their island",
        "error",
        "They lie face down in the layout, so normals bake inside out there.",
        "Flip the faces in the mesh, or unwrap the island again.",
    ),
    "collapsed": Kind(
        "Islands and faces without area in the layout",
        "warning",
        "They get no texels: a single colour is drawn over the whole face.",
        "Unwrap their object again.",
        "unwrap",
    ),
    "tiny": Kind(
        "Islands thinner than a quarter texel",
        "hint",
        "No texel lies inside them: they get the colour of their surroundings.",
        "Join them to a neighbour where the mesh is unwrapped.",
    ),
    "near seam": Kind(
        "Islands that are nearly joined",
        "hint",
        "Edges are split by less than a quarter of a texel, so the island falls into pieces without need.",
        "Join the two sides where the mesh is unwrapped.",
    ),
    "no surface": Kind(
        "Faces without area in space",
        "hint",
        "They are never visible, but they disturb normals and bakes.",
        "Remove them from the mesh.",
    ),
    "sliver": Kind(
        "Slivers",
        "hint",
        "Very long, thin triangles in the layout: they catch few texels and shimmer.",
        "Merge them with a neighbour where the mesh is made.",
    ),
    "broken": Kind(
        "Faces with values that are no numbers",
        "error",
        "A vertex or UV of theirs is not a number, so no one can tell where they lie.",
        "Remove the broken vertices where the mesh was made and bring the file in again.",
    ),
    "without UVs": Kind(
        "Objects with faces without UVs",
        "error",
        "These faces have no place in any texture.",
        "Unwrap them, or leave the object out of the atlas.",
        "unwrap",
    ),
    "duplicate faces": Kind(
        "Faces lying in one another",
        "error",
        "Two faces at the same place flicker, and rays of a bake hit either.",
        "Remove one of each pair from the mesh.",
    ),
    "duplicate vertices": Kind(
        "Duplicate vertices",
        "hint",
        "Vertices that nothing tells apart: they split smooth shading and islands without need.",
        "Weld them where the mesh is made.",
    ),
    "non-manifold": Kind(
        "Edges of more than two faces",
        "warning",
        "An inner face or a fin: an unwrap cannot lay all sides of the edge together, and rays of a bake start inside.",
        "Remove the inner face where the mesh is made, or part it from the edge.",
    ),
    "winding": Kind(
        "Faces wound against their neighbours",
        "warning",
        "They face inwards: they are drawn black or not at all, and normals bake inside out.",
        "Turn the faces over where the mesh is made.",
    ),
    "hole": Kind(
        "Open borders",
        "hint",
        "Nothing closes the mesh there: rays of a bake go through, and one sees into it. The rim of a sheet is one, too.",
        "Nothing, if it is a sheet; else fill the hole, or weld its two sides, where the mesh is made.",
    ),
    "loose vertices": Kind(
        "Vertices that nothing uses",
        "hint",
        "They are not drawn, but they take memory and make the object's box larger than it looks.",
        "Remove them where the mesh is made.",
    ),
    "uneven scale": Kind(
        "Scale that differs along the axes",
        "hint",
        "The scale is left in the object's transform. Densities here count it in; a program that does not will see others.",
        "Apply the scale to the mesh where it is made, before its file is written.",
    ),
    "odd size": Kind(
        "Objects far larger or smaller than the others",
        "hint",
        "Density is px per metre: in a wrong unit an object gets far too many texels, or hardly any.",
        "Give its file the unit that it was made in, in Gather, if it is no hill among bolts.",
    ),
    "stretch": Kind(
        "Stretched islands",
        "warning",
        "Texels are longer in one direction than in the other, or larger in one part of the island.",
        "Unwrap its object again, or cut the island.",
        "unwrap",
    ),
    "below density": Kind(
        "Coarser than the house band",
        "warning",
        "They will look blurred beside the rest.",
        "Give them the house density, or a weight below 1 if it is meant.",
        "house density",
    ),
    "over-detailed": Kind(
        "Finer than the house band",
        "warning",
        "They take texels from all others and look over-detailed beside them.",
        "Give them the house density, or a weight above 1 if it is meant.",
        "house density",
    ),
    "hard edge": Kind(
        "Hard edges inside an island",
        "error",
        "The shading breaks there, but the texels go on: a normal bake shows a line.",
        "Cut the island along the edge, or shade the edge smooth.",
    ),
    "smooth border": Kind(
        "Island borders that are shaded smooth",
        "hint",
        "Not a fault: a normal bake may show a faint seam along them.",
        "Shade the edge hard where the form allows it, or move the seam where it does not show.",
    ),
    "material gap": Kind(
        "Materials too near to one another",
        "warning",
        "Colours of one material bleed into the other as the texture gets smaller.",
        "Lay one of them into free space, or pack with a larger padding.",
        "spread",
    ),
    "shared block": Kind(
        "Blocks that two islands share",
        "error",
        "A compressed block has few colours for all of its texels: those of one island stain the other.",
        "Pack with a block size: islands then keep as far apart as its diagonal.",
        "spread",
    ),
    "mixed materials": Kind(
        "Islands of several materials",
        "warning",
        "Inside the island the materials have no gap at all.",
        "Cut the island along the border of the materials.",
    ),
    "missed rays": Kind(
        "Rays that met nothing",
        "error",
        "The high poly mesh lies farther away than the ray distance: these texels stay flat.",
        "Give a larger ray distance, or bring the two meshes nearer to one another.",
    ),
    "back hit": Kind(
        "Rays that met the back of a face",
        "warning",
        "Normals are turned inside out there: the high poly face is turned over, or the ray began behind it.",
        "Turn the faces of the high poly mesh over, or let rays begin farther out.",
    ),
    "other part": Kind(
        "Rays that met another object's part",
        "warning",
        "Details of a neighbour are baked into this object.",
        "Keep the pairs apart, or give a smaller ray distance.",
    ),
    "skewed": Kind(
        "Skewed details",
        "hint",
        "Rays meet the surface at a slant: details are shifted and stretched there.",
        "Add edges that hold the form, or shoot along the normals of the faces.",
    ),
    "visible seam": Kind(
        "Seams that show after baking",
        "warning",
        "The map says different things on both sides of the seam: a line shows on the model.",
        "Shade the edge hard where the form breaks; else give the island more texels or padding there.",
    ),
    "bled": Kind(
        "Texels that mix with a neighbour",
        "hint",
        "At this mip level texels of the island take in what belongs to its neighbour.",
        "Pack with a larger padding.",
    ),
    "no samples": Kind(
        "Islands that no sample fell on",
        "warning",
        "They are smaller than a texel: what shows on them is their neighbours' colour.",
        "Give them a larger weight, or bake at a larger size.",
    ),
}

ADDED = installed("checks", AddedCheck, FINDING_KINDS, lambda one: one.kinds)
"""Checks of packages that are installed beside the program; they come after its own."""
for _check in ADDED.values():
    FINDING_KINDS.update(_check.kinds)
"""In the order in which they are worked through."""


@dataclass(frozen=True)
class Finding:
    """One thing that was found.

    Parameters
    ----------
    kind : str
        A key of `FINDING_KINDS`.
    severity : str
        error, warning or hint.
    object : str
        Empty where no single object is meant.
    island : int
        Number within the object, from 1; 0 for the object as a whole.
    amount : float
    unit : str
        Unit of the amount.
    text : str
        What was found, with its figures.
    other_object, other_island
        The second island where two are involved.
    islands : tuple of int
        The same islands by their number in the set, from 0.
    spots : tuple of (u, v)
        Where to look, as UVs.
    faces, other_faces : tuple of int
        Some of the faces it is about, by their number in their object, from 0; of overlaps the
        largest.
    tile : int
        Number of the tile that the first island lies in; 0 for none.
    fix : str
        Name of the action that fixes it at a click.
    ignored : str
        Why it does not count; empty when it does.
    known_as : str
        Its `key`, where objects have ids that do not change as names do.
    """

    kind: str
    severity: str
    object: str
    island: int
    amount: float
    unit: str
    text: str = ""
    other_object: str = ""
    other_island: int = 0
    islands: tuple[int, ...] = ()
    spots: tuple[tuple[float, float], ...] = ()
    faces: tuple[int, ...] = ()
    other_faces: tuple[int, ...] = ()
    tile: int = 0
    fix: str = ""
    ignored: str = ""
    known_as: str = ""

    @property
    def key(self) -> str:
        """Name under which it can be ignored: stays the same while the fault does.

        Examples
        --------
        >>> Finding("mirrored", "warning", "Crate", 3, 1.0, "island").key
        'mirrored / Crate : 3'
        """
        if self.known_as:
            return self.known_as
        key = f"{self.kind} / {self.object} : {self.island}" if self.object else self.kind
        return f"{key} / {self.other_object} : {self.other_island}" if self.other_object else key
