"""What a project's textures are when it is handed off: merged for the layouts of now, or painted for others."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any

from quilt_core.operations.painted import painted_elsewhere
from studio.actions.merge.list_materials import material_facts
from studio.actions.merge.painted_model import painted_digest
from studio.arrays import Layout, load_layout
from studio.models import Job, Revision, Source

RECENT = 20
"""Merges that are looked at, the last ones."""


@dataclass(frozen=True, eq=False)
class Misfit:
    """An atlas with objects that are painted for another layout."""

    revision: Revision
    objects: list[str]


@dataclass(frozen=True, eq=False)
class TextureState:
    """What textures there are for some layouts.

    Parameters
    ----------
    merges : list of Job
        Whose files and textures are of these layouts.
    misfits : list of Misfit
        What none of them covers.
    why : str
        Why a merge that there was is of no use any more.
    """

    merges: list[Job] = field(default_factory=list)
    misfits: list[Misfit] = field(default_factory=list)
    why: str = ""


def texture_state(
    revisions: Sequence[Revision], to_channel: int | None = None, edits: Any = None
) -> TextureState:
    """Look for merges of these layouts, and for objects whose textures would not fit.

    Parameters
    ----------
    revisions : sequence of Revision
        Of all atlases that are handed off.
    to_channel : int, optional
        UV channel that is written to, from 1.
    edits : list, optional
        Edits of UV channels as requests have them: merged files have had theirs.
    """
    layouts = {row.pk: load_layout(row) for row in revisions}
    of = {pk: {m.source for m in layout.members} for pk, layout in layouts.items()}
    out = TextureState()
    left = dict(layouts)
    project = revisions[0].atlas.project_id
    jobs = Job.objects.filter(project=project, kind="merge", state=Job.DONE).order_by("-pk")
    why = ""
    for job in [job for job in jobs[:RECENT] if not job.result.get("preview")]:
        covered = {int(pk) for pk in job.result.get("painted", {})}
        if not covered and job.result.get("revision") in left:
            why = why or "they were merged by an earlier version of this program"
        if not covered & set(left):
            continue
        reason = (
            "they were merged into the channel of the layout"
            if to_channel is not None
            else _unfit(job, covered, layouts, of, left, edits)
        )
        if reason:
            why = why or reason
            continue
        out.merges.append(job)
        for pk in covered:
            del left[pk]
    for row in revisions:
        if row.pk in left:
            found = _painted(left[row.pk], to_channel)
            if found:
                out.misfits.append(Misfit(row, found))
    return TextureState(out.merges, out.misfits, _older(jobs, out, why))


def _unfit(
    job: Job,
    covered: set[int],
    layouts: dict[int, Layout],
    of: dict[int, set[int]],
    left: dict[int, Layout],
    edits: Any,
) -> str:
    """Why a merge is not of these layouts; "" when it is."""
    if not covered <= set(left):
        return "an atlas that was merged with this one has changed since"
    digests = job.result["painted"]
    if any(painted_digest(layouts[pk].revision) != digests[str(pk)] for pk in covered):
        return "files or textures have changed since"
    if (job.params.get("settings", {}).get("edits") or []) != (edits or []):
        return "the edits of UV channels are others now"
    mine = set().union(*(of[pk] for pk in covered))
    if any(mine & sources for pk, sources in of.items() if pk not in covered):
        return "objects of the same files lie in other atlases: merge all atlases at once"
    return ""


def _older(jobs: Any, state: TextureState, why: str) -> str:
    if not state.misfits:
        return ""
    atlases = {misfit.revision.atlas_id for misfit in state.misfits}
    before = any(job.atlas_id in atlases and not job.result.get("preview") for job in jobs[:RECENT])
    return why or ("the layout has changed since the textures were merged" if before else "")


def _painted(layout: Layout, to_channel: int | None) -> list[str]:
    sources: dict[int, Source] = {m.source: m.object.source for m in layout.members}
    return painted_elsewhere(layout, lambda key: material_facts(sources[key]), to_channel)
