"""Views of the API."""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
import orjson
from django.conf import settings
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from studio import storage
from studio.actions.access import EDITOR, VIEWER
from studio.actions.errors import Refused
from studio.actions.even_out.set_member import set_member
from studio.actions.gather.gather_files import first_atlas, gather_files
from studio.actions.gather.unpack import unpack
from studio.actions.history.change import STATES, Made, check_idle, edit_atlas
from studio.api import serializers as s
from studio.api.object_rows import object_rows
from studio.api.parse import valid
from studio.arrays import load_geometry, members_with_rows
from studio.jobs.queue import claim, measure_all, start_measure
from studio.models import Atlas, Project, Revision
from studio.state import read_state


class Files(APIView):
    """Bring files in."""

    roles = {"POST": EDITOR}

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
            unit = float(request.POST.get("metres_per_unit") or 1.0)
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


def read_unit(given: str | None) -> float | None:
    """Metres per unit, where they are said."""
    try:
        unit = float(given) if given else None
    except ValueError:
        unit = math.nan
    if unit is not None and not 1e-9 < unit < 1e9:
        raise Refused(
            f"The unit “{given}” cannot be.",
            "metres_per_unit", "Give the length of one unit in metres, for example 0.001.",
        )  # fmt: skip
    return unit


class UpdateFile(APIView):
    """Bring a newer version of a file in."""

    roles = {"POST": EDITOR}

    parser_classes = [MultiPartParser]

    @extend_schema(
        operation_id="update",
        request={"multipart/form-data": {"type": "object", "properties": {
            "files": {"type": "array", "items": {"type": "string", "format": "binary"}},
            "source": {"type": "integer"}, "change": {"type": "integer"},
            "metres_per_unit": {"type": "number", "description": "unit of the file; without it as the older one"},
        }}},
        responses={202: s.JobOut},
    )  # fmt: skip
    def post(self, request: Request, atlas_id: int) -> Response:
        try:
            source, seen = (int(request.POST.get(name) or 0) for name in ("source", "change"))
        except ValueError:
            raise Refused("The file is not told by its number.", "source", "Give its id.") from None
        files = unpack((upload.name, upload.read()) for upload in request.FILES.getlist("files"))
        unit = read_unit(request.POST.get("metres_per_unit"))
        if not files and unit is None:
            raise Refused(
                "No files were sent.", "files", "Give the newer version, or another unit."
            )
        keys = [[name, storage.put(data)] for name, data in files.items()]
        params = {"files": keys, "source": source, "change": seen or None, "metres_per_unit": unit}
        return Response(s.JobOut(claim("update", atlas_id, params)).data, status=202)


class Change(APIView):
    """A change of an atlas that is quick enough to be made at once."""

    def change(self, atlas_id: int, seen: int | None, make: Callable[[Revision], Made]) -> Response:
        edit_atlas(atlas_id, seen, make)
        return answer_atlas(atlas_id)


class OneAtlas(Change):
    """An atlas as it is now."""

    roles = {"GET": VIEWER, "PATCH": EDITOR}

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
    atlas = get_object_or_404(rows.defer(*STATES), pk=atlas_id)
    if measure:
        start_measure(atlas)
    return Response(s.AtlasOut(atlas).data)


def answer_project(project_id: int) -> Response:
    """The project; the rules may have changed since its layouts were checked."""
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


class OneRevision(APIView):
    """A revision with its figures and objects."""

    roles = {"GET": VIEWER}

    @extend_schema(operation_id="get_layout", responses=s.LayoutOut)
    def get(self, request: Request, revision_id: int) -> Response:
        revision = get_object_or_404(
            Revision.objects.select_related(
                "atlas__project__head", "keyframe", "measurement"
            ).defer("state", "keyframe__state", "measurement__checked"),
            pk=revision_id,
        )
        state = read_state(revision)
        members = members_with_rows(state.members)
        areas = [
            load_geometry(member.base.geometry)["world_area"][member.row.numbers]
            for member in members
        ]
        warnings = list(
            dict.fromkeys(w for member in members for w in member.object.source.warnings)
        )
        controls = state.controls
        body = {
            "revision": s.RevisionOut(revision).data,
            "controls": {
                name: np.ascontiguousarray(controls[name]) for name in controls.dtype.names or ()
            },
            "figures": orjson.Fragment(kept) if (kept := revision.figures_json) else None,
            "objects": object_rows(members),
            "world_area": np.concatenate([np.zeros(0), *areas]),
            "warnings": warnings,
        }
        return Response(body)
