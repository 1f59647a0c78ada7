"""Views of the API."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

from django.conf import settings
from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from quilt_core.pack.problem import RECIPE_OPTIONS
from studio import storage
from studio.actions.arrange.pack_atlas import settings_from
from studio.actions.arrange.sheets import drawn_size, in_tile, thumbnail
from studio.actions.errors import Conflict, Refused
from studio.actions.even_out.set_member import set_member
from studio.actions.gather.gather_files import first_atlas, gather_files
from studio.actions.gather.unpack import unpack
from studio.actions.history.change import Made, check_idle, edit_atlas
from studio.api import pack_serializers as ps
from studio.api import serializers as s
from studio.api.parse import valid
from studio.arrays import load_geometry, load_layout, members_with_rows
from studio.geometry import content_mark, geometry_glb, placements_bytes
from studio.jobs.run import cancel_job, claim, measure_all, start_measure
from studio.models import Atlas, Job, Project, Revision
from studio.state import read_state

NEVER_CHANGES = {"Cache-Control": "public, max-age=31536000, immutable"}


class Files(APIView):
    """Bring files in."""

    parser_classes = [MultiPartParser]

    @extend_schema(
        operation_id="gather_files",
        request={"multipart/form-data": {"type": "object", "properties": {
            "files": {"type": "array", "items": {"type": "string", "format": "binary"}},
            "metres_per_unit": {"type": "number"},
        }}},
        responses={201: s.UploadOut, 202: s.UploadOut},
    )  # fmt: skip
    def post(self, request: Request, project_id: int) -> Response:
        project = get_object_or_404(Project, pk=project_id)
        atlas = first_atlas(project)
        check_idle(atlas)
        try:
            unit = float(request.data.get("metres_per_unit") or 1.0)
        except ValueError:
            raise Refused(
                "The unit is not a number.",
                "metres_per_unit",
                "Give the length of one OBJ unit in metres.",
            ) from None
        files = unpack((upload.name, upload.read()) for upload in request.FILES.getlist("files"))
        if sum(map(len, files.values())) > settings.INLINE_GATHER_BYTES:
            keys = [[name, storage.put(data)] for name, data in files.items()]
            job = claim("gather", atlas.pk, {"files": keys, "metres_per_unit": unit})
            return Response({"job": s.JobOut(job).data, "revision": None}, status=202)
        revision = gather_files(project.pk, files, unit)
        start_measure(atlas, revision)
        return Response({"job": None, "revision": revision.pk}, status=201)


class Change(APIView):
    """A change of an atlas that is quick enough to be made at once."""

    def change(self, atlas_id: int, seen: int | None, make: Callable[[Revision], Made]) -> Response:
        edit_atlas(atlas_id, seen, make)
        return answer_atlas(atlas_id)


class OneAtlas(Change):
    """An atlas as it is now."""

    @extend_schema(operation_id="get_atlas", responses=s.AtlasOut)
    def get(self, request: Request, atlas_id: int) -> Response:
        return answer_atlas(atlas_id, measure=False)

    @extend_schema(operation_id="change_member", request=s.MemberChange, responses=s.AtlasOut)
    def patch(self, request: Request, atlas_id: int) -> Response:
        given = valid(s.MemberChange, request)
        seen, obj = given.pop("change"), given.pop("object")
        return self.change(atlas_id, seen, lambda head: set_member(head, obj, given))


def answer_atlas(atlas_id: int, measure: bool = True) -> Response:
    rows = Atlas.objects.exclude(head=None).select_related("head__keyframe", "project__head")
    atlas = get_object_or_404(rows, pk=atlas_id)
    if measure:
        start_measure(atlas)
    return Response(s.AtlasOut(atlas).data)


def answer_project(project_id: int) -> Response:
    """The project; the rules may have changed since its layouts were proven."""
    project = Project.objects.select_related("head").get(pk=project_id)
    measure_all(project)
    return Response(s.ProjectOut(project).data)


class LayoutJob(APIView):
    """Start a job on an atlas as it is now."""

    kind = ""
    exclusive = True

    def start(
        self, atlas_id: int, params: dict[str, Any], settings: tuple[str, ...] = ()
    ) -> Response:
        job = claim(self.kind, atlas_id, params, self.exclusive, settings)
        return Response(s.JobOut(job).data, status=202)


class EvenOut(LayoutJob):
    """Scale islands to one density."""

    kind = "even out"

    @extend_schema(operation_id="even_out", request=s.EvenOutIn, responses={202: s.JobOut})
    def post(self, request: Request, atlas_id: int) -> Response:
        params = valid(s.EvenOutIn, request)
        return self.start(
            atlas_id, params, ("house_density",) if params["target"] == "house" else ()
        )


class Pack(LayoutJob):
    """Pack islands into the tile."""

    kind = "pack"

    @extend_schema(operation_id="pack", request=ps.PackIn, responses={202: s.JobOut})
    def post(self, request: Request, atlas_id: int) -> Response:
        params = valid(ps.PackIn, request)
        settings_from(params)
        return self.start(atlas_id, params)


class PackOptions(APIView):
    """The options of packing, as the core declares them."""

    @extend_schema(operation_id="list_pack_options", responses=ps.OptionOut(many=True))
    def get(self, request: Request) -> Response:
        return Response(ps.OptionOut(RECIPE_OPTIONS, many=True).data)


class Export(LayoutJob):
    """Write all files back as a zip."""

    kind = "export"
    exclusive = False

    @extend_schema(operation_id="export", request=s.OnChange, responses={202: s.JobOut})
    def post(self, request: Request, atlas_id: int) -> Response:
        return self.start(atlas_id, valid(s.OnChange, request))


class OneRevision(APIView):
    """A revision with its figures and objects."""

    @extend_schema(operation_id="get_layout", responses=s.LayoutOut)
    def get(self, request: Request, revision_id: int) -> Response:
        revision = get_object_or_404(
            Revision.objects.select_related("atlas__project__head", "keyframe"), pk=revision_id
        )
        state = read_state(revision)
        members = members_with_rows(state.members)
        areas = [
            float(a)
            for member in members
            for a in load_geometry(member.base.geometry)["world_area"][member.row.numbers]
        ]
        warnings = list(
            dict.fromkeys(w for member in members for w in member.object.source.warnings)
        )
        controls = state.controls
        body = {
            "revision": s.RevisionOut(revision).data,
            "controls": {name: controls[name].tolist() for name in controls.dtype.names or ()},
            "figures": revision.figures,
            "objects": s.object_rows(members),
            "world_area": areas,
            "warnings": warnings,
        }
        return Response(body)


def _bytes(
    data: bytes | str,
    kind: str,
    name: str = "",
    request: Request | None = None,
    revision: Revision | None = None,
) -> HttpResponse:
    """An answer that may be kept for ever when its address names its content, else asked for each
    time."""
    named = (
        request is not None
        and revision is not None
        and request.query_params.get("v") == content_mark(revision)
    )
    headers = dict(NEVER_CHANGES if named else {"Cache-Control": "no-cache"})
    if name:
        headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return HttpResponse(data, content_type=kind, headers=headers)


class Placements(APIView):
    """Placements as float32, 6 per island."""

    @extend_schema(
        operation_id="get_placements",
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, revision_id: int) -> HttpResponse:
        revision = get_object_or_404(Revision, pk=revision_id)
        return _bytes(
            placements_bytes(revision),
            "application/octet-stream",
            request=request,
            revision=revision,
        )


class Geometry(APIView):
    """Geometry as GLB with an `_ISLAND` vertex attribute."""

    @extend_schema(
        operation_id="get_geometry", responses={(200, "model/gltf-binary"): OpenApiTypes.BINARY}
    )
    def get(self, request: Request, revision_id: int) -> HttpResponse:
        revision = get_object_or_404(Revision, pk=revision_id)
        return _bytes(
            geometry_glb(revision), "model/gltf-binary", request=request, revision=revision
        )


class Sheet(APIView):
    """Layout sheet of a revision, as png or svg."""

    @extend_schema(operation_id="get_sheet", responses={(200, "image/png"): OpenApiTypes.BINARY})
    def get(self, request: Request, revision_id: int, kind: str) -> HttpResponse:
        from quilt_core.sheet import layout_png, layout_svg

        layout = load_layout(
            get_object_or_404(Revision.objects.select_related("atlas"), pk=revision_id)
        )
        number = request.query_params.get("tile")
        tile = next((t for t in layout.tiles if str(t.number) == number), layout.tiles[0])
        placed = in_tile(layout, tile)
        name = f"layout.{tile.number}.{kind}"
        if kind == "svg":
            names = layout.object_names()
            return _bytes(layout_svg(placed, names, tile.width, tile.height), "image/svg+xml", name)
        width, height = drawn_size(tile)
        return _bytes(layout_png(placed, width, height), "image/png", name)


class Thumbnail(APIView):
    """A small picture of all tiles of a revision."""

    @extend_schema(
        operation_id="get_thumbnail", responses={(200, "image/png"): OpenApiTypes.BINARY}
    )
    def get(self, request: Request, revision_id: int) -> HttpResponse:
        revision = get_object_or_404(Revision, pk=revision_id)
        return _bytes(thumbnail(revision), "image/png", request=request, revision=revision)


class JobPicture(APIView):
    """The best layout of a job so far: placements as float32, 6 per island; empty before the
    first."""

    @extend_schema(
        operation_id="get_job_picture",
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, job_id: int) -> HttpResponse:
        job = get_object_or_404(Job, pk=job_id)
        headers = {"Cache-Control": "no-store"}
        return HttpResponse(
            bytes(job.picture), content_type="application/octet-stream", headers=headers
        )


class Checker(APIView):
    """The checker picture."""

    @extend_schema(operation_id="get_checker", responses={(200, "image/png"): OpenApiTypes.BINARY})
    def get(self, request: Request) -> HttpResponse:
        from quilt_core.sheet import checker

        return _bytes(checker(), "image/png")


class Jobs(APIView):
    """The newest jobs of a project."""

    @extend_schema(operation_id="list_jobs", responses=s.JobOut(many=True))
    def get(self, request: Request, project_id: int) -> Response:
        project = get_object_or_404(Project, pk=project_id)
        return Response(s.JobOut(project.jobs.all()[:20], many=True).data)


class OneJob(APIView):
    """One job."""

    @extend_schema(operation_id="get_job", responses=s.JobOut)
    def get(self, request: Request, job_id: int) -> Response:
        return Response(s.JobOut(get_object_or_404(Job, pk=job_id)).data)


class CancelJob(APIView):
    """Stop a job; its best result so far is kept unless that is not wanted."""

    @extend_schema(operation_id="cancel_job", request=s.CancelIn, responses=s.JobOut)
    def post(self, request: Request, job_id: int) -> Response:
        job = get_object_or_404(Job, pk=job_id)
        stopping = cancel_job(job, valid(s.CancelIn, request)["keep"])
        job.refresh_from_db()
        if not stopping:
            raise Conflict(
                f"The job is over: {job.state}.", job.kind, "Use undo to take its result back."
            )
        return Response(s.JobOut(job).data)


class Download(APIView):
    """The zip that an export job made."""

    @extend_schema(
        operation_id="download_export", responses={(200, "application/zip"): OpenApiTypes.BINARY}
    )
    def get(self, request: Request, job_id: int) -> HttpResponse:
        job = get_object_or_404(Job, pk=job_id, kind="export", state=Job.DONE)
        return _bytes(
            storage.get(job.result["file"]),
            "application/zip",
            f"untold-quilt-{job.params['revision']}.zip",
        )
