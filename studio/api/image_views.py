"""Views of what is no JSON: geometry, placements, images and downloads."""

from __future__ import annotations

from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.views import APIView

from quilt_core.operations.textures import in_tile
from studio import storage
from studio.actions.access import ANYONE, VIEWER
from studio.actions.arrange.sheets import drawn_size, thumbnail
from studio.arrays import load_layout
from studio.geometry import content_digest, geometry_glb, placements_bytes
from studio.models import Job, Revision
from studio.references import file_of

NEVER_CHANGES = {"Cache-Control": "private, max-age=31536000, immutable"}


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
        and request.query_params.get("v") == content_digest(revision)
    )
    headers = dict(NEVER_CHANGES if named else {"Cache-Control": "private, no-cache"})
    if name:
        headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return HttpResponse(data, content_type=kind, headers=headers)


class Placements(APIView):
    """Placements as float32, 6 per island."""

    roles = {"GET": VIEWER}

    @extend_schema(
        operation_id="get_placements",
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, revision_id: int) -> HttpResponse:
        rows = Revision.objects.select_related("keyframe").defer("state", "keyframe__state")
        revision = get_object_or_404(rows, pk=revision_id)
        return _bytes(
            placements_bytes(revision),
            "application/octet-stream",
            request=request,
            revision=revision,
        )


class Geometry(APIView):
    """Geometry as GLB with an `_ISLAND` vertex attribute."""

    roles = {"GET": VIEWER}

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

    roles = {"GET": VIEWER}

    @extend_schema(operation_id="get_sheet", responses={(200, "image/png"): OpenApiTypes.BINARY})
    def get(self, request: Request, revision_id: int, kind: str) -> HttpResponse:
        from quilt_core.sheet import layout_png, layout_svg, object_colours

        layout = load_layout(
            get_object_or_404(Revision.objects.select_related("atlas"), pk=revision_id)
        )
        number = request.query_params.get("tile")
        tile = next((t for t in layout.tiles if str(t.number) == number), layout.tiles[0])
        placed, _ = in_tile(layout, tile)
        name, colours = f"layout.{tile.number}.{kind}", object_colours(layout.colours)
        if kind == "svg":
            names = layout.object_names()
            drawn = layout_svg(placed, names, colours, tile.width, tile.height)
            return _bytes(drawn, "image/svg+xml", name)
        width, height = drawn_size(tile)
        return _bytes(layout_png(placed, colours, width, height), "image/png", name)


class Thumbnail(APIView):
    """A small image of all tiles of a revision."""

    roles = {"GET": VIEWER}

    @extend_schema(
        operation_id="get_thumbnail", responses={(200, "image/png"): OpenApiTypes.BINARY}
    )
    def get(self, request: Request, revision_id: int) -> HttpResponse:
        revision = get_object_or_404(Revision, pk=revision_id)
        return _bytes(thumbnail(revision), "image/png", request=request, revision=revision)


class JobPreview(APIView):
    """The best layout of a job so far: placements as float32, 6 per island; empty before the
    first."""

    roles = {"GET": VIEWER}

    @extend_schema(
        operation_id="get_job_preview",
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, job_id: int) -> HttpResponse:
        job = get_object_or_404(Job, pk=job_id)
        headers = {"Cache-Control": "no-store"}
        return HttpResponse(
            bytes(job.preview), content_type="application/octet-stream", headers=headers
        )


class Checker(APIView):
    """The checker image."""

    roles = {"GET": ANYONE}

    @extend_schema(operation_id="get_checker", responses={(200, "image/png"): OpenApiTypes.BINARY})
    def get(self, request: Request) -> HttpResponse:
        from quilt_core.sheet import checker

        return _bytes(checker(), "image/png")


class Download(APIView):
    """The zip that a job made: files, carried images, textures."""

    roles = {"GET": VIEWER}

    @extend_schema(
        operation_id="download_export", responses={(200, "application/zip"): OpenApiTypes.BINARY}
    )
    def get(self, request: Request, job_id: int) -> HttpResponse:
        job = get_object_or_404(
            Job,
            pk=job_id,
            kind__in=("export", "merge", "textures", "bake"),
            state=Job.DONE,
        )
        key = file_of(job, "file")
        if key is None:
            raise Http404
        return _bytes(
            storage.get(key),
            "application/zip",
            f"untold-quilt-{job.params['revision']}.zip",
        )
