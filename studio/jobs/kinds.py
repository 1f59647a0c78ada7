"""What each kind of job does."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.conf import settings

from quilt_core.errors import LayoutError
from quilt_core.formats.channels import channel_edit
from studio import storage
from studio.actions.arrange.explain_pack import explain_pack
from studio.actions.arrange.find_candidates import find_candidates
from studio.actions.arrange.fit_here import fit_islands_here
from studio.actions.arrange.pack_atlas import pack_atlas
from studio.actions.arrange.slip_in import slip_in_islands
from studio.actions.arrange.take_in_islands import take_in_islands
from studio.actions.carry_over.carry_over import carry_over
from studio.actions.carry_over.share_plan import packed_coverage
from studio.actions.even_out.even_out import even_out
from studio.actions.even_out.look_around import look_around
from studio.actions.gather.bring_again import bring_again
from studio.actions.gather.gather_files import gather_files
from studio.actions.hand_off.draw_pictures import draw_pictures
from studio.actions.hand_off.export_atlas import export_atlases
from studio.actions.hand_off.write_reports import write_reports
from studio.actions.history.change import Made, finish_job
from studio.actions.mend.copy_layouts import copy_layouts
from studio.actions.mend.copy_parts import copy_parts
from studio.actions.mend.edit_layouts import edit_layouts
from studio.actions.mend.flatten_objects import flatten_objects
from studio.actions.prove.measure_layout import measure_revision
from studio.actions.prove.rehearse import bake_part, forget_case, rehearse
from studio.actions.run.lines import do_line
from studio.jobs.parts import Part, do_parts, first_error
from studio.jobs.reporter import Reporter
from studio.models import Job, Revision, RunLine


class Dropped(Exception):
    """The user cancelled and wants nothing kept."""


def _revision(job: Job) -> Revision:
    return Revision.objects.select_related("atlas__project__head", "keyframe").get(
        pk=job.params["revision"]
    )


def _gather(job: Job, reporter: Reporter) -> dict[str, Any]:
    def report(progress: float, message: str) -> None:
        reporter.report(0.9 * progress, message)
        if reporter.cancelled():
            raise Dropped

    files = {name: storage.get(key) for name, key in job.params["files"]}
    revision = gather_files(job.project_id, files, job.params["metres_per_unit"], report, job.pk)
    reporter.report(0.92, "measuring")
    measure_revision(revision)
    return {"revision": revision.pk}


def _measure(job: Job, reporter: Reporter) -> dict[str, Any]:
    reporter.report(0.1, "measuring")
    revision = _revision(job)
    if _is_passed(job, revision):
        return {"revision": revision.pk, "passed": True}
    measure_revision(revision)
    return {"revision": revision.pk}


def _is_passed(job: Job, revision: Revision) -> bool:
    """Whether a layout has been changed since, and the newer one waits to be measured: people are faster than the worker."""
    if revision.draft or revision.atlas.head_id == revision.pk:
        return False
    newer = Job.objects.filter(kind="measure", atlas=job.atlas_id, state=Job.QUEUED, pk__gt=job.pk)
    return newer.exists()


def _even_out(job: Job, reporter: Reporter) -> dict[str, Any]:
    reporter.report(0.1, "evening out")
    revision = even_out(_revision(job), job.params)
    reporter.report(0.5, "measuring")
    measure_revision(revision)
    return {"revision": revision.pk, "draft": revision.draft}


def _pack(job: Job, reporter: Reporter) -> dict[str, Any]:
    def report(attempt: Any, placements: Any) -> None:
        figures = {
            "coverage": round(attempt.coverage, 6),
            "scale": attempt.scale,
            "step": attempt.step,
            "steps": attempt.steps,
        }
        reporter.report(
            attempt.step / max(attempt.steps, 1),
            f"packing · {attempt.coverage:.1%} full" + ("" if attempt.whole else " so far"),
            figures,
            placements if attempt.placed.any() else None,
        )

    revision = pack_atlas(_revision(job), job.params, report, reporter.cancelled)
    if revision is None:
        raise Dropped
    if settings.EXPLAIN_PACKS and not job.params.get("fixed_scale"):
        from studio.jobs.run import start_job

        start_job("explain", job.project, job.atlas, {"revision": revision.pk})
    return {"revision": revision.pk, "draft": revision.draft}


def _by_hand(job: Job, make: Callable[[Revision], Made | None]) -> dict[str, Any]:
    """Append what was asked for by hand; a few islands, so that it is done in a moment."""
    base = _revision(job)
    made = make(base)
    if made is None:
        raise Dropped
    revision = finish_job(base.atlas_id, base, made, bool(job.params.get("draft")))
    measure_revision(revision)
    return {"revision": revision.pk, "draft": revision.draft, **made.params}


def _slip_in(job: Job, reporter: Reporter) -> dict[str, Any]:
    return _by_hand(
        job, lambda base: slip_in_islands(base, job.params, reporter.report, reporter.cancelled)
    )


def _fit_here(job: Job, reporter: Reporter) -> dict[str, Any]:
    return _by_hand(
        job, lambda base: fit_islands_here(base, job.params, reporter.report, reporter.cancelled)
    )


def _take_in(job: Job, reporter: Reporter) -> dict[str, Any]:
    def report(progress: float, message: str) -> None:
        reporter.report(progress, message)
        if reporter.cancelled():
            raise Dropped

    return _by_hand(job, lambda base: take_in_islands(base, job.params, report))


def _flatten(job: Job, reporter: Reporter) -> dict[str, Any]:
    base = _revision(job)
    made = flatten_objects(base, job.params, reporter.report, reporter.cancelled)
    if made is None:
        raise Dropped
    revision = finish_job(base.atlas_id, base, made, bool(job.params.get("draft")))
    measure_revision(revision)
    return {"revision": revision.pk, "draft": revision.draft, **made.params}


def _copy_layout(job: Job, reporter: Reporter) -> dict[str, Any]:
    return _by_hand(
        job, lambda base: copy_layouts(base, job.params, reporter.report, reporter.cancelled)
    )


def _copy_part(job: Job, reporter: Reporter) -> dict[str, Any]:
    return _by_hand(
        job, lambda base: copy_parts(base, job.params, reporter.report, reporter.cancelled)
    )


def _edit(job: Job, reporter: Reporter) -> dict[str, Any]:
    return _by_hand(
        job, lambda base: edit_layouts(base, job.params, reporter.report, reporter.cancelled)
    )


def _explain(job: Job, reporter: Reporter) -> dict[str, Any]:
    reporter.report(0.1, "asking what sets the density")
    return {"binding": explain_pack(_revision(job), lambda: bool(reporter.cancelled()))}


def _stacks(job: Job, reporter: Reporter) -> dict[str, Any]:
    reporter.report(0.1, "looking for equal shapes")
    return {"candidates": find_candidates(_revision(job), job.params["tolerance"])}


def _carry_over(job: Job, reporter: Reporter) -> dict[str, Any]:
    made = carry_over(_revision(job), job.params, reporter.report, reporter.cancelled)
    if made is None:
        raise Dropped
    return made


def _pictures(job: Job, reporter: Reporter) -> dict[str, Any]:
    def report(progress: float, message: str) -> None:
        reporter.report(progress, message)
        if reporter.cancelled():
            raise Dropped

    return draw_pictures(_revision(job), job.params, report)


def _report(job: Job, reporter: Reporter) -> dict[str, Any]:
    reporter.report(0.1, "writing the proof")
    return write_reports(_revision(job))


def _export(job: Job, reporter: Reporter) -> dict[str, Any]:
    def report(progress: float, message: str) -> None:
        reporter.report(progress, message)
        if reporter.cancelled():
            raise Dropped

    rows = Revision.objects.select_related("atlas__project__head", "keyframe")
    found = rows.in_bulk(job.params["revisions"])
    edits = [channel_edit(**edit) for edit in job.params.get("channels") or ()]
    file, notes = export_atlases([found[pk] for pk in job.params["revisions"]], report, edits)
    return {"file": file, "notes": notes}


def _rehearse(job: Job, reporter: Reporter) -> dict[str, Any]:
    def share_out(tiles: list[Any]) -> tuple[list[Any], bool] | None:
        lanes = [
            [Part("rehearse part", {**job.params, "tiles": [t.number]}, job.atlas_id)]
            for t in tiles
        ]
        return _baked(do_parts(job, reporter, lanes, (0.05, 0.9), "tiles baked"), len(tiles))

    try:
        made = rehearse(_revision(job), job.params, reporter.report, reporter.cancelled, share_out)
    finally:
        forget_case()
    if made is None:
        raise Dropped
    # What the parts had stored is referred to no more, and cleared like all such files.
    job.parts.update(result={"cleared": True})
    return made


def _baked(parts: list[Job], total: int) -> tuple[list[Any], bool]:
    """Tiles of the parts of a bake, in order, and whether these are all of them."""
    from quilt_core.bake.kept import from_bytes

    error = first_error(parts)
    if error:
        raise error
    done = [part for part in parts if part.state == Job.DONE]
    baked = [tile for part in done if part.result["tiles"] for tile in from_bytes(storage.get(part.result["tiles"]))]  # fmt: skip
    return baked, len(done) == total


def _rehearse_part(job: Job, reporter: Reporter) -> dict[str, Any]:
    try:
        made = bake_part(_revision(job), job.params, reporter.report, reporter.cancelled)
    except LayoutError:
        return {"tiles": ""}  # nothing lies in this tile
    finally:
        if not Job.objects.filter(parent=job.parent_id, state=Job.QUEUED).exists():
            forget_case()
    if reporter.cancelled() == "drop":
        raise Dropped
    return {"tiles": storage.put(made)}


def _run_sheet(job: Job, reporter: Reporter) -> dict[str, Any]:
    found = RunLine.objects.filter(pk__in=job.params["lines"], project=job.project_id)
    lanes: dict[int, list[Part]] = {}
    for line in found.order_by("pk"):
        part = Part("run line", {"line": line.pk}, line.atlas_id, claims=True)
        lanes.setdefault(line.atlas_id, []).append(part)
    parts = do_parts(job, reporter, list(lanes.values()), told="lines done")
    if reporter.cancelled() == "drop":
        raise Dropped
    failed = [part for part in parts if part.state == Job.FAILED]
    return {
        "lines": [part.params["line"] for part in parts if part.state == Job.DONE],
        "failed": [{"line": part.params["line"], **(part.error or {})} for part in failed],
        "left": len(found) - len(parts) + sum(part.state == Job.CANCELLED for part in parts),
    }


def _look_around(job: Job, reporter: Reporter) -> dict[str, Any]:
    made = look_around(_revision(job), job.params, reporter.report, reporter.cancelled)
    if made is None:
        raise Dropped
    return made


def _bring_again(job: Job, reporter: Reporter) -> dict[str, Any]:
    made = bring_again(_revision(job), job.params, reporter.report, reporter.cancelled)
    if made is None:
        raise Dropped
    measure_revision(Revision.objects.get(pk=made["revision"]))
    return made


def _run_line(job: Job, reporter: Reporter) -> dict[str, Any]:
    line = RunLine.objects.select_related("atlas__project").filter(pk=job.params["line"]).first()
    made = do_line(line, reporter.report, reporter.cancelled) if line else None
    if made is None:
        raise Dropped
    return made


def _plan_coverage(job: Job, reporter: Reporter) -> dict[str, Any]:
    groups, padding = job.params["groups"], job.params["padding"]
    found = packed_coverage(job.project_id, groups, padding, reporter.report, reporter.cancelled)
    return {"coverage": found}


KINDS: dict[str, Callable[[Job, Reporter], dict[str, Any]]] = {
    "gather": _gather,
    "measure": _measure,
    "even out": _even_out,
    "pack": _pack,
    "explain": _explain,
    "export": _export,
    "report": _report,
    "stacks": _stacks,
    "slip in": _slip_in,
    "fit here": _fit_here,
    "take in": _take_in,
    "flatten": _flatten,
    "copy layout": _copy_layout,
    "copy part": _copy_part,
    "edit": _edit,
    "carry over": _carry_over,
    "plan coverage": _plan_coverage,
    "rehearse": _rehearse,
    "rehearse part": _rehearse_part,
    "bring again": _bring_again,
    "run line": _run_line,
    "run sheet": _run_sheet,
    "look around": _look_around,
    "pictures": _pictures,
}
