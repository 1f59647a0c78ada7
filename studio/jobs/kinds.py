"""What each kind of job does."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Callable
from typing import Any

import msgspec
from django.conf import settings

from quilt_core.errors import LayoutError
from quilt_core.operations.export import Export
from quilt_core.operations.operation import Stopped
from quilt_core.operations.registry import operation
from quilt_core.options import settings_from
from studio import storage
from studio.actions.arrange.explain_limit import explain_limit
from studio.actions.arrange.sheets import thumbnail
from studio.actions.check.bake_maps import bake_maps, bake_part, forget_case
from studio.actions.check.measure_layout import measure_revision
from studio.actions.gather.gather_files import gather_files
from studio.actions.gather.update_file import update_file
from studio.actions.hand_off.draw_textures import draw_textures
from studio.actions.hand_off.export_atlas import export_atlases
from studio.actions.hand_off.write_reports import write_reports
from studio.actions.history.change import finish_job
from studio.actions.merge.merge_textures import merge_textures
from studio.actions.merge.share_plan import packed_coverage
from studio.actions.operate import operate
from studio.actions.run.lines import do_line
from studio.actions.run.targets import lanes, targets
from studio.jobs.params import (
    BakePartParams,
    CoverageParams,
    FilesParams,
    LineParams,
    OperationParams,
    Params,
    SheetParams,
    UpdateParams,
)
from studio.jobs.parts import Part, do_parts, first_error
from studio.jobs.queue import start_job
from studio.jobs.reporter import Reporter
from studio.models import FileReference, Job, Revision, RunLine


def _revision(asked: Params) -> Revision:
    rows = Revision.objects.select_related("atlas__project__head", "keyframe")
    return rows.get(pk=asked.revision)


def _gather(job: Job, asked: FilesParams, reporter: Reporter) -> dict[str, Any]:
    def report(progress: float, message: str) -> None:
        reporter.report(0.9 * progress, message)
        if reporter.stop():
            raise Stopped

    files = {name: storage.get(key) for name, key in asked.files}
    revision = gather_files(job.project_id, files, asked.metres_per_unit or 1.0, report, job.pk)
    reporter.report(0.92, "measuring")
    measure_revision(revision)
    return {"revision": revision.pk}


def _measure(job: Job, asked: Params, reporter: Reporter) -> dict[str, Any]:
    reporter.report(0.1, "measuring")
    revision = _revision(asked)
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


def _change_layout(job: Job, asked: OperationParams, reporter: Reporter) -> dict[str, Any]:
    """Any operation that changes a layout: run it, append what it made, measure that."""
    base = _revision(asked)
    done = operate(base, job.kind, asked.settings, reporter)
    facts = {}
    if job.kind == "pack":
        (one,) = done.result.atlases
        facts = {"seconds": round(one.seconds, 2), "tidy_cost": one.tidy_cost}
    if job.kind == "copy-layout":
        _follow(done.result, base)
    revision = finish_job(base.atlas_id, base, done.made(**facts), asked.draft)
    measure_revision(revision)
    if job.kind == "pack":
        _after_pack(job, revision)
    return {"revision": revision.pk, "draft": revision.draft, **done.values}


def _ask(job: Job, asked: OperationParams, reporter: Reporter) -> dict[str, Any]:
    """Any operation that changes nothing: what it tells."""
    revision = _revision(asked)
    done = operate(revision, job.kind, asked.settings, reporter)
    return {"revision": revision.pk, **done.values}


def _follow(result: Any, base: Revision) -> None:
    """Copies follow the object whose layout they got."""
    layout = result.document.layout
    *copies, source = [layout.members[k] for k in result.together[0]]
    for copied in copies:
        if copied.base.pk is None and source.base.pk is not None:
            copied.base.copied_from = source.object


def _after_pack(job: Job, revision: Revision) -> None:
    if revision.draft:
        # Its image is drawn here, not while a browser waits for the contact sheet.
        thumbnail(revision)
        return  # of several that are tried few are kept: what limits it is asked when one wants to know
    if settings.EXPLAIN_PACKS and revision.params["density"] not in ("fixed", "house"):
        start_job("limit", job.project, job.atlas, {"revision": revision.pk})


def _limit(job: Job, asked: Params, reporter: Reporter) -> dict[str, Any]:
    return {"limit": explain_limit(_revision(asked), reporter)}


def _merge(job: Job, asked: OperationParams, reporter: Reporter) -> dict[str, Any]:
    others = asked.revisions if asked.whole else ()
    return merge_textures(_revision(asked), asked.settings, others, reporter)


def _textures(job: Job, asked: OperationParams, reporter: Reporter) -> dict[str, Any]:
    return draw_textures(_revision(asked), asked.settings, reporter)


def _look(job: Job, asked: OperationParams, reporter: Reporter) -> dict[str, Any]:
    revision = _revision(asked)
    done = operate(revision, job.kind, asked.settings, reporter)
    members = [[m.row.object, m.row.islands] for m in done.document.layout.members]
    return {"revision": revision.pk, "members": members, **done.values}


def _report(job: Job, asked: Params, reporter: Reporter) -> dict[str, Any]:
    reporter.report(0.1, "writing the report")
    return write_reports(_revision(asked))


def _export(job: Job, asked: OperationParams, reporter: Reporter) -> dict[str, Any]:
    def report(progress: float, message: str) -> None:
        reporter.report(progress, message)
        if reporter.stop():
            raise Stopped

    rows = Revision.objects.select_related("atlas__project__head", "keyframe")
    found = rows.in_bulk(asked.revisions)
    settings = settings_from(Export, asked.settings)
    file, notes = export_atlases([found[pk] for pk in asked.revisions], report, settings)
    return {"file": file, "notes": notes}


def _bake(job: Job, asked: OperationParams, reporter: Reporter) -> dict[str, Any]:
    def share_out(tiles: list[Any]) -> tuple[list[Any], bool]:
        lanes = [
            [Part("bake part", {**job.params, "tiles": [t.number]}, job.atlas_id)] for t in tiles
        ]
        return _baked(do_parts(job, reporter, lanes, (0.05, 0.9), "tiles baked"), len(tiles))

    try:
        made = bake_maps(_revision(asked), asked.settings, reporter, share_out)
    finally:
        forget_case()
    # What the parts had stored is referred to no more, and cleared like all such files.
    FileReference.objects.filter(job__parent=job).delete()
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


def _bake_part(job: Job, asked: BakePartParams, reporter: Reporter) -> dict[str, Any]:
    try:
        made = bake_part(_revision(asked), asked.settings, asked.tiles, reporter)
    except LayoutError:
        return {"tiles": ""}  # nothing lies in this tile
    finally:
        if not Job.objects.filter(parent=job.parent_id, state=Job.QUEUED).exists():
            forget_case()
    reporter.check()
    return {"tiles": storage.put(made)}


def _run_sheet(job: Job, asked: SheetParams, reporter: Reporter) -> dict[str, Any]:
    found = RunLine.objects.filter(pk__in=asked.lines, project=job.project_id)
    meant = targets(list(found))
    beside = [
        [
            Part("run line", {"line": line.pk}, first, True, [atlas.pk for atlas in meant[line.pk]])
            for line in lane
            for first in [next((atlas.pk for atlas in meant[line.pk]), None)]
        ]
        for lane in lanes(list(found.order_by("pk")))
    ]
    parts = do_parts(job, reporter, beside, told="lines done")
    if reporter.stop() == "drop":
        raise Stopped
    failed = [part for part in parts if part.state == Job.FAILED]
    return {
        "lines": [part.params["line"] for part in parts if part.state == Job.DONE],
        "failed": [{"line": part.params["line"], **(part.error or {})} for part in failed],
        "left": len(found) - len(parts) + sum(part.state == Job.CANCELLED for part in parts),
    }


def _update(job: Job, asked: UpdateParams, reporter: Reporter) -> dict[str, Any]:
    made = update_file(
        _revision(asked),
        asked.source,
        dict(asked.files),
        asked.folder,
        asked.metres_per_unit,
        reporter,
    )
    measure_revision(Revision.objects.get(pk=made["revision"]))
    return made


def _run_line(job: Job, asked: LineParams, reporter: Reporter) -> dict[str, Any]:
    line = RunLine.objects.filter(pk=asked.line).first()
    if line is None:
        raise Stopped
    return do_line(line, reporter)


def _plan_coverage(job: Job, asked: CoverageParams, reporter: Reporter) -> dict[str, Any]:
    groups, padding = asked.groups, asked.padding
    found = packed_coverage(job.project_id, groups, padding, reporter.report, reporter.stop)
    return {"coverage": found}


Work = Callable[[Job, Any, Reporter], dict[str, Any]]
JOB_KINDS: dict[str, tuple[type[msgspec.Struct], Work]] = {
    "gather": (FilesParams, _gather),
    "update": (UpdateParams, _update),
    "measure": (Params, _measure),
    "limit": (Params, _limit),
    "channels": (OperationParams, _ask),
    "export": (OperationParams, _export),
    "report": (Params, _report),
    "merge": (OperationParams, _merge),
    "textures": (OperationParams, _textures),
    "visibility": (OperationParams, _look),
    "detail": (OperationParams, _look),
    "bake": (OperationParams, _bake),
    "bake part": (BakePartParams, _bake_part),
    "plan coverage": (CoverageParams, _plan_coverage),
    "run line": (LineParams, _run_line),
    "run sheet": (SheetParams, _run_sheet),
}
"""What is more than an operation: files that are kept, parts, further rows. Each with what it is asked for."""


def do_job(job: Job, reporter: Reporter) -> dict[str, Any]:
    """Do what a job asks for; its result.

    Raises
    ------
    QuiltError
    """
    params, work = work_of(job.kind)
    return work(job, msgspec.convert(job.params, params), reporter)


def work_of(kind: str) -> tuple[type[msgspec.Struct], Work]:
    """What a kind of job is asked for, and does: any operation, but for what is more than that."""
    if kind in JOB_KINDS:
        return JOB_KINDS[kind]
    changes = operation(kind).changes
    if changes == "layout":
        return OperationParams, _change_layout
    return OperationParams, _ask if changes == "nothing" else _make_files


def _make_files(job: Job, asked: OperationParams, reporter: Reporter) -> dict[str, Any]:
    """Any operation that makes files: as an archive, with what it tells."""
    revision = _revision(asked)
    done = operate(revision, job.kind, asked.settings, reporter)
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, data in sorted(getattr(done.result, "images", {}).items()):
            archive.writestr(name, data)
        for files in getattr(done.result, "files", {}).values():
            for name, data in sorted(files.items()):
                archive.writestr(name, data)
    return {"revision": revision.pk, "file": storage.put(out.getvalue()), **done.values}
