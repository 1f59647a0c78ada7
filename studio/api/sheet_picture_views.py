"""Pictures behind the layout of tiles."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.parsers import JSONParser, MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from studio import storage
from studio.actions.arrange.lay_picture import lay_picture
from studio.actions.carry_over.list_materials import smaller
from studio.api.parse import valid
from studio.models import Atlas, SheetPicture

SHOWN = 2048
"""Longest side, px, of what a browser gets."""


class SheetPictureOut(serializers.Serializer[Any]):
    tile = serializers.IntegerField()
    name = serializers.CharField()
    opacity = serializers.FloatField()
    mark = serializers.CharField(source="sha256", help_text="another one for another picture")


class SheetPictureIn(serializers.Serializer[Any]):
    file = serializers.FileField()


class OpacityIn(serializers.Serializer[Any]):
    opacity = serializers.FloatField(min_value=0.05, max_value=1.0)


class SheetPictures(APIView):
    """Pictures behind the tiles of an atlas."""

    @extend_schema(operation_id="list_sheet_pictures", responses=SheetPictureOut(many=True))
    def get(self, request: Request, atlas_id: int) -> Response:
        rows = get_object_or_404(Atlas, pk=atlas_id).sheet_pictures.all()
        return Response(SheetPictureOut(rows, many=True).data)


class OneSheetPicture(APIView):
    """The picture behind a tile."""

    parser_classes = (MultiPartParser, JSONParser)

    @extend_schema(
        operation_id="get_sheet_picture", responses={(200, "image/png"): OpenApiTypes.BINARY}
    )
    def get(self, request: Request, atlas_id: int, tile: int) -> HttpResponse:
        row = get_object_or_404(SheetPicture, atlas=atlas_id, tile=tile)
        data = smaller(storage.get(row.sha256), SHOWN)
        if not data:
            raise Http404
        answer = HttpResponse(data, content_type="image/png")
        # Its address tells which picture it is.
        answer["Cache-Control"] = "private, max-age=31536000, immutable"
        return answer

    @extend_schema(operation_id="lay_picture", request=SheetPictureIn, responses=SheetPictureOut)
    def post(self, request: Request, atlas_id: int, tile: int) -> Response:
        rows = Atlas.objects.select_related("head__keyframe", "head__atlas__project")
        atlas = get_object_or_404(rows, pk=atlas_id)
        file = valid(SheetPictureIn, request)["file"]
        return Response(SheetPictureOut(lay_picture(atlas, tile, file.name, file.read())).data)

    @extend_schema(operation_id="fade_sheet_picture", request=OpacityIn, responses=SheetPictureOut)
    def patch(self, request: Request, atlas_id: int, tile: int) -> Response:
        row = get_object_or_404(SheetPicture, atlas=atlas_id, tile=tile)
        row.opacity = valid(OpacityIn, request)["opacity"]
        row.save(update_fields=["opacity"])
        return Response(SheetPictureOut(row).data)

    @extend_schema(operation_id="take_sheet_picture", responses={204: None})
    def delete(self, request: Request, atlas_id: int, tile: int) -> Response:
        get_object_or_404(SheetPicture, atlas=atlas_id, tile=tile).delete()
        return Response(status=204)
