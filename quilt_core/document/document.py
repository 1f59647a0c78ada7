"""A project as it goes through every door."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Protocol

from quilt_core.document.layout import Layout
from quilt_core.document.state import State
from quilt_core.scene.lengths import PER_METRE
from quilt_core.scene.model import Scene, Siblings


class Source(Protocol):
    """A mesh file."""

    @property
    def key(self) -> int:
        """What it is known by in the document."""

    @property
    def name(self) -> str:
        """Its path among the files that came with it."""

    @property
    def path_in_group(self) -> str:
        """The same, with what tells apart files that came at other times."""

    @property
    def data(self) -> bytes:
        """Its bytes."""

    @property
    def unit(self) -> float:
        """Metres per unit, where the format has none of its own."""

    @property
    def uv_tolerance(self) -> float:
        """Largest difference of UVs that are one point, in tiles."""

    @property
    def to_images(self) -> str:
        """How its folder finds that of new textures, with a slash at the end; "" for the same."""

    @property
    def changes(self) -> Sequence[Any]:
        """Textures that its materials were given (`TextureChange`)."""

    def scene(self) -> Scene:
        """What it holds."""

    def siblings(self) -> Siblings:
        """Reader of the files beside it."""


@dataclass(frozen=True, eq=False)
class Document:
    """What an operation works on.

    Parameters
    ----------
    layouts : sequence of Layout
        Atlases that are meant, in order.
    sources : mapping of int to Source
        Mesh files by their keys.
    house_density : float, optional
        px per metre; None where nobody has said.
    tolerance : float
        Half-width of the house band as a part of the density.
    least_density, most_density : float, optional
        Ends of the house band in px per metre, where they are said themselves.
    density_unit : str
        That densities are told in.
    rules : mapping
        Rules of checking, as `quilt_core.check.rules` reads them.
    arranged : bool
        Whether sizes of islands are the artist's, and not just those of files.
    name : str
        Of the project; "" for files.
    about : mapping
        What else is told of the layouts in reports, in words.
    images : mapping
        Images that lie over tiles, by purpose and tile number: what is painted, or drawn behind layouts.
    beside : mapping
        Further sources by what they are for, such as high poly meshes.
    others : mapping
        Further documents by what they are for, such as one that this is compared with.
    standing : frozenset of (source, number), optional
        Objects that stand in the scene, in an atlas or not; all of the sources without it.
    """

    layouts: Sequence[Layout]
    sources: Mapping[int, Source] = field(default_factory=dict)
    house_density: float | None = None
    tolerance: float = 0.05
    least_density: float | None = None
    most_density: float | None = None
    density_unit: str = PER_METRE
    rules: Mapping[str, Any] = field(default_factory=dict)
    arranged: bool = False
    name: str = ""
    about: Mapping[str, str] = field(default_factory=dict)
    images: Mapping[tuple[str, int], Callable[[], bytes]] = field(default_factory=dict)
    beside: Mapping[str, Sequence[Source]] = field(default_factory=dict)
    others: Mapping[str, Document] = field(default_factory=dict)
    standing: frozenset[tuple[int, int]] | None = None

    @property
    def layout(self) -> Layout:
        """The first atlas."""
        return self.layouts[0]

    def having(self, states: Sequence[State]) -> Document:
        """The document with other states of its atlases, whose members are the same in the same order."""
        made = [layout.having(state) for layout, state in zip(self.layouts, states, strict=True)]
        return replace(self, layouts=made)
