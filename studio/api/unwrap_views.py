"""Views of mending."""

from __future__ import annotations

from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from studio.actions.access import EDITOR, VIEWER
from studio.actions.unwrap.cut_link import cut_link
from studio.api import serializers as s
from studio.api import unwrap_serializers as m
from studio.api.parse import valid
from studio.api.views import Change
from studio.geometry import corners_bytes, seams_of
from studio.models import MeshObject


class SeamsOf(APIView):
    """Seams of a UV channel of the file, as edges."""

    roles = {"GET": VIEWER}

    @extend_schema(operation_id="get_seams", parameters=[m.SeamsQuery], responses=m.SeamsOut)
    def get(self, request: Request, object_id: int) -> Response:
        query = m.SeamsQuery(data=request.query_params)
        query.is_valid(raise_exception=True)
        obj = get_object_or_404(MeshObject.objects.select_related("source"), pk=object_id)
        return Response({"edges": seams_of(obj, query.validated_data["channel"])})


class CutLink(Change):
    """An object follows the one whose layout it got no more."""

    roles = {"POST": EDITOR}

    @extend_schema(operation_id="cut_link", request=m.CutLinkIn, responses=s.AtlasOut)
    def post(self, request: Request, atlas_id: int) -> Response:
        params = valid(m.CutLinkIn, request)
        return self.change(
            atlas_id, params["change"], lambda head: cut_link(head, params["object"])
        )


class CornersOf(APIView):
    """Which corners of the file each triangle of an object has, as int32: the number of triangles,
    three corners each, then the face of each, then its group in the file where it has several."""

    roles = {"GET": VIEWER}

    @extend_schema(operation_id="get_corners", responses={(200, "application/octet-stream"): bytes})
    def get(self, request: Request, object_id: int) -> HttpResponse:
        obj = get_object_or_404(MeshObject.objects.select_related("source"), pk=object_id)
        answer = HttpResponse(corners_bytes(obj), content_type="application/octet-stream")
        # An object's mesh never changes.
        answer["Cache-Control"] = "private, max-age=31536000, immutable"
        return answer
