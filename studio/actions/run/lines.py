"""Lines of the run sheet: remembered from what was done by hand, edited, and done."""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from typing import Any

from django.db import transaction
from django.utils import timezone

from quilt_core.errors import QuiltError
from quilt_core.operations.export import Export
from quilt_core.operations.operation import Progress, Stopped
from quilt_core.operations.registry import operation
from quilt_core.operations.steps import STEPS, checked_steps
from quilt_core.operations.unwrap import NothingToDo
from quilt_core.options import options_of, settings_from
from studio.actions.carry_over.merge_textures import merge_textures
from studio.actions.errors import Refused
from studio.actions.hand_off.draw_textures import draw_textures
from studio.actions.hand_off.export_atlas import export_atlases
from studio.actions.hand_off.write_reports import write_reports
from studio.actions.history.change import Made, chain, finish_job
from studio.actions.operate import operate
from studio.actions.prove.bake_maps import bake_maps
from studio.actions.prove.measure_layout import measure_revision
from studio.actions.run.facts import facts_of, mark_of, reasons
from studio.models import Atlas, Change, Job, Project, Revision, RunLine
from studio.references import refer
from studio.state import SAME_AS, read_state

MOST_LINES = 500
MOST_RUNS = 20
"""Results of a line that are kept."""
FILE_KEYS = ("file", "carried", "maps", "textures", "report")
"""What a run may have made: stored files."""
RUN_KEYS = ("when", "because", "before", "after", "seconds", "revision", "earlier", "mark", *FILE_KEYS)  # fmt: skip


def remember(atlas: Atlas, name: str) -> RunLine:
    """Make a line of what was done to an atlas by hand: the last of each kind of step, in working order."""
    project = Project.objects.select_related("head").get(pk=atlas.project_id)
    found: dict[str, dict[str, Any]] = {}
    changes = Change.objects.in_bulk(chain(project))
    seen = {
        revision for change in changes.values() for pk, revision in change.atlases if pk == atlas.pk
    }
    for revision in Revision.objects.filter(pk__in=seen, verb__in=STEPS).order_by("pk"):
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


def add_line(atlas: Atlas, name: str, steps: Sequence[Mapping[str, Any]]) -> RunLine:
    """A new line at the end of the project's run sheet."""
    if not name.strip():
        raise Refused("The line has no name.", "name", "Give it one.")
    if RunLine.objects.filter(project=atlas.project_id).count() >= MOST_LINES:
        raise Refused(f"There are {MOST_LINES} lines.", "run sheet", "Take one out first.")
    return RunLine.objects.create(
        project_id=atlas.project_id,
        atlas=atlas,
        name=name.strip()[:120],
        steps=checked_steps(steps),
    )


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
    """Do a line on its atlas as it is; where a step fails, or the user stops it, the layout is put back, and the earlier result
    stays.

    Returns what came of it.

    Raises
    ------
    QuiltError
    Stopped
    """
    atlas = Atlas.objects.select_related("head", "project__head").get(pk=line.atlas_id)
    if atlas.head is None:
        raise Refused(
            "The atlas has been deleted.", line.name, "Undo brings it back, or take the line out."
        )
    because = reasons(line, facts_of(atlas))
    first = Revision.objects.select_related("atlas__project__head", "keyframe").get(
        pk=atlas.head.pk
    )
    measure_revision(first)
    before = _figures(first)
    started = time.monotonic()
    results: dict[str, Any] = {}
    try:
        for k, step in enumerate(line.steps):
            part = progress.part(k / len(line.steps), 1 / len(line.steps), step["do"])
            _do_step(step, _head(atlas.pk), results, part)
            progress.check()
    except Stopped:
        _put_back(atlas.pk, first, line)
        raise
    except QuiltError as error:
        _put_back(atlas.pk, first, line)
        line.made = {
            **line.made,
            "error": f"{error.what} {error.cure}".strip(),
            "tried": line.steps,
            "because": because,
        }
        line.save(update_fields=["made"])
        raise
    head = _head(atlas.pk)
    measure_revision(head)
    atlas.refresh_from_db()
    earlier = [row for row in runs_of(line) if row["revision"] != head.pk][: MOST_RUNS - 1]
    facts = facts_of(atlas)
    line.made = {
        "when": timezone.now().isoformat(), "facts": facts, "mark": mark_of(facts, line.steps), "steps": line.steps, "because": because,
        "before": before, "after": _figures(head), "seconds": round(time.monotonic() - started, 2),
        "revision": head.pk, "earlier": first.pk, "past": earlier, **results,
    }  # fmt: skip
    with transaction.atomic():
        line.save(update_fields=["made"])
        runs = (line.made, *earlier)
        refer(line, {(name, row[name]) for row in runs for name in FILE_KEYS if row.get(name)})
    return {"line": line.pk, "revision": head.pk, **results}


def runs_of(line: RunLine) -> list[dict[str, Any]]:
    """Results of a line that can be stepped through, the last one first: when, because, before, after, seconds, revision,
    earlier (the revision before), and file, carried and maps where there are any."""
    made = line.made
    if not made.get("when"):
        return []
    return [{key: made.get(key) for key in RUN_KEYS}, *made.get("past", [])]


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
    known = {row[key] for row in runs_of(line) for key in ("revision", "earlier")}
    if revision not in known or line.atlas_id != head.atlas_id:
        raise Refused("The line has no such result.", line.name, "Look at its results again.")
    if revision == shown_as(head):
        raise Refused("The layout is that one already.", line.name, "Nothing is to be done.")
    found = Revision.objects.select_related("keyframe").get(pk=revision)
    params = {SAME_AS: revision}
    return Made(
        "put back", read_state(found), f"a result of “{line.name}”", params, measured_as=found
    )


def _head(atlas: int) -> Revision:
    rows = Revision.objects.select_related("atlas__project__head", "keyframe")
    return rows.get(pk=Atlas.objects.values_list("head", flat=True).get(pk=atlas) or 0)


def _put_back(atlas: int, first: Revision, line: RunLine) -> None:
    """The layout as it was before a line that failed."""
    head = _head(atlas)
    if head.pk != first.pk:
        # All that was found about that layout holds.
        known = Revision.objects.select_related("keyframe").get(pk=first.pk)
        said, params = f"“{line.name}” failed", {SAME_AS: shown_as(known)}
        finish_job(atlas, head, Made("put back", read_state(known), said, params, measured_as=known))  # fmt: skip


def _do_step(
    step: Mapping[str, Any],
    head: Revision,
    results: dict[str, Any],
    progress: Progress,
) -> None:
    """One step.

    Raises
    ------
    QuiltError
    """
    do, settings = step["do"], dict(step["settings"])
    if operation(do).changes == "layout":
        try:
            done = operate(head, do, settings, progress)
        except NothingToDo:
            return  # all of them have UVs
        finish_job(head.atlas_id, head, done.made())
    elif do == "merge":
        results["carried"] = merge_textures(head, settings, (), progress).get("file", "")
    elif do == "bake":
        _baked(bake_maps(head, settings, progress), results)
    elif do == "textures":
        results["textures"] = draw_textures(head, settings, progress)["file"]
    elif do == "report":
        results["report"] = write_reports(head)["html"]
    elif do == "check":
        _check(head)
    elif do == "export":
        asked = settings_from(Export, settings)
        results["file"] = export_atlases([head], progress.report, asked)[0]
    else:
        operate(head, do, settings, progress)


def _baked(found: Mapping[str, Any], results: dict[str, Any]) -> None:
    results["maps"] = found["file"]
    errors = [f for f in found["findings"] if f["severity"] == "error"]
    if errors:
        raise Refused(
            f"The test bake has {len(errors)} errors; the first: {errors[0]['kind']}, {errors[0]['text']}.",
            errors[0]["object"],
            "Look at Check, Test bake.",
        )


def _check(head: Revision) -> None:
    measure_revision(head)
    proof = Revision.objects.get(pk=head.pk).proof or {}
    if not proof.get("ready", False):
        raise Refused(
            f"It breaks the house rules: {', '.join(proof.get('against', [])) or 'not checked'}.", head.name,
            "Look at Check; fix the errors, or change the rules.",
        )  # fmt: skip


def _figures(revision: Revision) -> dict[str, Any]:
    revision = Revision.objects.get(pk=revision.pk)
    figures, proof = revision.figures or {}, revision.proof or {}
    return {
        "coverage": figures.get("coverage"), "density": (figures.get("density") or {}).get("mean"),
        "gap_px": figures.get("gap_px"), "errors": proof.get("errors"), "warnings": proof.get("warnings"),
    }  # fmt: skip
