"""Atlases as the core's documents: what operations work on."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any

from quilt_core.document.document import Document
from quilt_core.document.layout import Layout as CoreLayout
from quilt_core.document.state import State
from quilt_core.scene import Scene
from quilt_core.scene.lengths import PER_METRE
from quilt_core.scene.model import Siblings
from studio import storage
from studio.actions.gather.share_out import present_objects
from studio.actions.merge.list_materials import changes_of, siblings_of
from studio.actions.scenes import scene_of
from studio.arrays import Member, load_layout
from studio.models import Revision, Source


@dataclass(frozen=True, eq=False)
class StoredSource:
    """A mesh file of a project."""

    row: Source
    to_images: str = ""

    @property
    def key(self) -> int:
        """Its id."""
        return self.row.pk

    @property
    def name(self) -> str:
        """Its path among the files that came with it."""
        return self.row.name

    @property
    def path_in_group(self) -> str:
        """The same, with what tells apart files that came at other times."""
        return f"{self.row.folder}/{self.row.name}"

    @property
    def data(self) -> bytes:
        """Its bytes."""
        return storage.get(self.row.sha256)

    @property
    def unit(self) -> float:
        """Metres per unit."""
        return self.row.metres_per_unit

    @property
    def uv_tolerance(self) -> float:
        """Largest difference of UVs that are one point, in tiles."""
        return self.row.uv_tolerance

    @property
    def changes(self) -> Sequence[Any]:
        """Textures that its materials were given."""
        return changes_of(self.row)

    def scene(self) -> Scene:
        """What it holds."""
        return scene_of(self.row)

    def siblings(self) -> Siblings:
        """Reader of the files beside it."""
        return siblings_of(self.row)


def document_of(
    revisions: Sequence[Revision],
    images: Mapping[tuple[str, int], Callable[[], bytes]] | None = None,
    everything: bool = False,
    settings: Mapping[str, Any] | None = None,
) -> Document:
    """Some atlases of a project.

    Parameters
    ----------
    revisions : sequence of Revision
        States of the atlases that are meant.
    images : mapping, optional
        That lie over tiles; see `Document`.
    everything : bool
        Whether all files of the project are sources, and not those of the atlases alone: where what else stands in the scene
        counts.
    settings : mapping, optional
        Of the project, where these are not the present ones.
    """
    project = revisions[0].atlas.project
    settings = project.settings if settings is None else settings
    layouts = [load_layout(revision) for revision in revisions]
    rows = {m.object.source_id: m.object.source for layout in layouts for m in layout.members}
    standing = None
    if everything:
        present = list(present_objects(project).select_related("source"))
        rows |= {obj.source_id: obj.source for obj in present}
        standing = frozenset((obj.source_id, obj.number) for obj in present)
    return Document(
        layouts,
        {key: StoredSource(row) for key, row in rows.items()},
        house_density=settings["house_density"],
        tolerance=settings["tolerance"],
        least_density=settings.get("least_density"),
        most_density=settings.get("most_density"),
        density_unit=settings.get("density_unit", PER_METRE),
        rules=settings["rules"],
        arranged=True,
        name=settings["name"],
        images=images or {},
        standing=standing,
    )


def saved(layout: CoreLayout) -> State:
    """The state of a layout whose new base layouts have rows; call it when the work is done, so that work that is given up
    leaves none."""
    rows = []
    for member in layout.members:
        assert isinstance(member, Member)
        if member.base.pk is None:
            member.base.save()
        rows.append(replace(member.row, base=member.base.pk))
    return replace(layout.state, members=tuple(rows))
