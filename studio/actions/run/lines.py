"""Lines of the run sheet: remembered from what was done by hand, edited, and done."""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from typing import Any

from django.db import transaction

from quilt_core.errors import QuiltError
from quilt_core.operations.operation import Progress, Stopped
from quilt_core.operations.registry import operation
from quilt_core.operations.steps import STEPS, checked_steps, repeatable
from quilt_core.options import options_of
from quilt_core.run.walk import do_steps
from studio.actions.check.measure_layout import measure_revision
from studio.actions.errors import Refused
from studio.actions.history.change import Made, chain, finish_job
from studio.actions.run.facts import digest_of, facts_of_all, joined, survey
from studio.actions.run.line_steps import LineWork, head_of
from studio.actions.run.targets import target
from studio.models import Atlas, Change, Job, Project, Revision, RunLayout, RunLine, RunResult
from studio.references import refer
from studio.state import SAME_AS, read_state

MOST_LINES = 500
MOST_RUNS = 20
"""Results of a line that are kept."""


def remember(atlas: Atlas, name: str) -> RunLine:
    """Make a line of what was done to an atlas by hand: the last of each kind of step, in working order."""
    project = Project.objects.select_related("head").get(pk=atlas.project_id)
    found: dict[str, dict[str, Any]] = {}
    changes = Change.objects.in_bulk(chain(project))
    seen = {
        revision for change in changes.values() for pk, revision in change.atlases if pk == atlas.pk
    }
    again = [step for step in STEPS if repeatable(step)]
    for revision in Revision.objects.filter(pk__in=seen, verb__in=again).order_by("pk"):
        found[revision.verb] = _settings(revision.verb, revision.params)
    for kind in ("merge", "bake", "export"):
        job = Job.objects.filter(atlas=atlas, kind=kind, state=Job.DONE).order_by("-pk").first()
        if job and not job.params["settings"].get("preview"):
            found[kind] = _settings(kind, job.params["settings"])
    if not found:
        raise Refused(
            "Nothing was done to this atlas yet that could be repeated.", atlas.name,
            "Even it out, pack it or merge textures first.",
        )  # fmt: skip
    found.setdefault("check", {})
    steps = [{"do": do, "settings": found[do]} for do in STEPS if do in found]
    return add_line(atlas, name, steps)


@transaction.atomic
def add_line(atlas: Atlas, name: str, steps: Sequence[Mapping[str, Any]]) -> RunLine:
    """A new line at the end of the project's run sheet."""
    if not name.strip():
        raise Refused("The line has no name.", "name", "Give it one.")
    if RunLine.objects.filter(project=atlas.project_id).count() >= MOST_LINES:
        raise Refused(f"There are {MOST_LINES} lines.", "run sheet", "Take one out first.")
    line = RunLine.objects.create(
        project_id=atlas.project_id, name=name.strip()[:120], steps=checked_steps(steps)
    )
    line.atlases.add(atlas)
    return line


def _settings(do: str, given: Mapping[str, Any]) -> dict[str, Any]:
    """Settings as a line keeps them: those that are not the usual ones."""
    known = {one.name: one for one in options_of(operation(do).settings)}
    return {
        name: value
        for name, value in given.items()
        if name in known
        and not known[name].passing
        and (known[name].needed or value != known[name].plain(known[name].default))
    }


def do_line(line: RunLine, progress: Progress) -> dict[str, Any]:
    """Do a line on its atlases as they are; where a step fails, or the user stops it, the layouts are put back, and the earlier
    result stays.

    Returns what came of it.

    Raises
    ------
    QuiltError
    Stopped
    """
    atlases = target(line)
    because = survey(line, [*facts_of_all(atlases).values()]).because
    first = [head_of(atlas.pk) for atlas in atlases]
    for head in first:
        measure_revision(head)
    before = [_figures(head) for head in first]
    started = time.monotonic()
    work = LineWork(line, [atlas.pk for atlas in atlases])
    try:
        walk = do_steps([step["do"] for step in line.steps], work.do, progress)
    except Stopped:
        _put_back(first, line)
        raise
    if walk.error is not None:
        _put_back(first, line)
        line.tried = _digest(atlases, line)[0]
        line.error = f"{walk.error.what} {walk.error.fix}".strip()
        line.save(update_fields=["tried", "error"])
        raise Refused(walk.error.what, walk.error.where, walk.error.fix)
    heads = [head_of(atlas.pk) for atlas in atlases]
    for head in heads:
        measure_revision(head)
    after = [_figures(head) for head in heads]
    rows = list(zip(first, heads, before, after, strict=True))
    result = _keep(line, atlases, because, rows, round(time.monotonic() - started, 2), work.files)
    return {"line": line.pk, "run": result.pk, **work.files}


def _digest(atlases: Sequence[Atlas], line: RunLine) -> tuple[str, dict[str, Any]]:
    """Digest of what a line depends on now, and that itself."""
    now = Atlas.objects.select_related("head__keyframe", "project__head")
    facts = joined(
        [*facts_of_all(now.filter(pk__in=[atlas.pk for atlas in atlases]).order_by("pk")).values()]
    )
    return digest_of(facts, line.steps), facts


@transaction.atomic
def _keep(
    line: RunLine,
    atlases: Sequence[Atlas],
    because: list[str],
    rows: list[tuple[Revision, Revision, Any, Any]],
    seconds: float,
    files: Mapping[str, str],
) -> RunResult:
    """Keep what a line has made; a result with the same layouts gives way."""
    digest, facts = _digest(atlases, line)
    line.tried, line.error, line.made_from = digest, "", {"facts": facts, "steps": line.steps}
    line.save(update_fields=["tried", "error", "made_from"])
    made = {head.pk for _, head, _, _ in rows}
    for old in line.results.prefetch_related("layouts"):
        if {row.revision_id for row in old.layouts.all()} == made:
            old.delete()
    result = RunResult.objects.create(line=line, digest=digest, because=because, seconds=seconds)
    RunLayout.objects.bulk_create(
        RunLayout(result=result, earlier=earlier, revision=head, before=before, after=after)
        for earlier, head, before, after in rows
    )
    refer(result, set(files.items()), fresh=True)
    for old in line.results.all()[MOST_RUNS:]:
        old.delete()
    return result


def shown_as(head: Revision) -> int:
    """The revision whose layout this one is: another one where it was put back."""
    return int(head.params.get(SAME_AS, head.pk)) if head.verb == "put back" else head.pk


def put_back(line: RunLine, head: Revision, revision: int) -> Made:
    """The layout that a line has made, or that was there before it.

    Raises
    ------
    Refused
        When it is none of the line's, or the layout is that already.
    """
    rows = RunLayout.objects.filter(result__line=line).values_list("earlier", "revision")
    known = {pk for row in rows for pk in row}
    found = Revision.objects.select_related("keyframe").filter(pk=revision).first()
    if revision not in known or found is None or found.atlas_id != head.atlas_id:
        raise Refused("The line has no such result.", line.name, "Look at its results again.")
    if revision == shown_as(head):
        raise Refused("The layout is that one already.", line.name, "Nothing is to be done.")
    params = {SAME_AS: revision}
    return Made(
        "put back", read_state(found), f"a result of “{line.name}”", params, measured_as=found
    )


def _put_back(first: Sequence[Revision], line: RunLine) -> None:
    """The layouts as they were before a line that failed."""
    for before in first:
        head = head_of(before.atlas_id)
        if head.pk != before.pk:
            # All that was found about that layout holds.
            known = Revision.objects.select_related("keyframe").get(pk=before.pk)
            said, params = f"“{line.name}” failed", {SAME_AS: shown_as(known)}
            back = Made("put back", read_state(known), said, params, measured_as=known)
            finish_job(before.atlas_id, head, back)


def _figures(revision: Revision) -> dict[str, Any]:
    revision = Revision.objects.get(pk=revision.pk)
    figures, checked = revision.figures or {}, revision.checked or {}
    return {
        "coverage": figures.get("coverage"), "density": (figures.get("density") or {}).get("mean"),
        "gap_px": figures.get("gap_px"), "errors": checked.get("errors"), "warnings": checked.get("warnings"), "against": checked.get("against") or [],
    }  # fmt: skip


def add_target(
    line: RunLine, atlases: Sequence[Atlas], objects: Sequence[str], channel: int | None
) -> None:
    """Say what a line is about: atlases, or objects and a channel.

    Raises
    ------
    QuiltError
        When it would be about nothing, or about both.
    """
    if bool(atlases) == bool(objects or channel):
        raise QuiltError(
            "It is about nothing." if not atlases else "It is about atlases, and about objects or a channel.",
            line.name, "Name atlases, or else objects and a channel.",
        )  # fmt: skip
    line.objects_named, line.channel = list(objects), channel
    line.save()
    line.atlases.set(atlases)
