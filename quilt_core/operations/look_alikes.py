"""Look-alikes: objects of one topology, whatever their place, size or side."""

from __future__ import annotations

from dataclasses import dataclass

from quilt_core.document.document import Document
from quilt_core.operations.bases import object_of
from quilt_core.operations.operation import Progress, figure


@dataclass(frozen=True)
class LookAlikes:
    """Settings of looking for look-alikes: there are none."""


@dataclass(frozen=True)
class LookAlikeRow:
    """Objects that are alike."""

    objects: list[str] = figure("what they are called")
    ids: list[int] = figure("their numbers in the document")
    faces: int = figure("of each")
    laid_out: list[int] = figure(
        "of them, those that have islands; one of them can give its layout to the others"
    )


@dataclass(frozen=True)
class LookAlikesFound:
    """Groups of at least two objects, those with the most faces first."""

    groups: list[LookAlikeRow] = figure("groups of objects")

    @property
    def ok(self) -> bool:
        """It has no findings."""
        return True


def run(document: Document, settings: LookAlikes, progress: Progress) -> LookAlikesFound:
    """Look for objects of equal topology."""
    from quilt_core.unwrap.alike import topology_mark

    layout = document.layout
    names = layout.object_names()
    found: dict[bytes, list[int]] = {}
    faces: dict[bytes, int] = {}
    for k, member in enumerate(layout.members):
        progress.check()
        progress.report(k / len(layout.members), f"looking at {names[k]}")
        mesh = object_of(document, member).mesh
        if mesh.face_count:
            mark = topology_mark(mesh)
            found.setdefault(mark, []).append(k)
            faces[mark] = mesh.face_count
    rows = []
    for mark, places in found.items():
        if len(places) < 2:
            continue
        ids = [int(layout.members[k].row.object) for k in places]
        laid = [int(layout.members[k].row.object) for k in places if layout.members[k].row.islands]
        rows.append(LookAlikeRow([names[k] for k in places], ids, faces[mark], laid))
    return LookAlikesFound(sorted(rows, key=lambda row: -row.faces * len(row.ids)))


def tell(result: LookAlikesFound) -> list[str]:
    """The result in words."""
    return [
        f"{len(row.ids)} of {row.faces:,} faces: {', '.join(row.objects)}" for row in result.groups
    ] or ["no two objects are alike"]
