"""Images over tiles: behind their layout, painted distances of rays, or worn by the model."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.parsers import JSONParser, MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from studio import storage
from studio.actions.access import EDITOR, VIEWER
from studio.actions.arrange.lay_image import lay_image
from studio.actions.errors import Refused
from studio.actions.merge.list_materials import smaller
from studio.api.parse import valid
from studio.models import Atlas, TileImage

SHOWN = 2048
"""Longest side, px, of what a browser gets."""


class TileImageOut(serializers.Serializer[Any]):
    tile = serializers.IntegerField()
    name = serializers.CharField()
    opacity = serializers.FloatField()
    repeats = serializers.FloatField(help_text="of what is worn, over a tile")
    metres = serializers.FloatField(
        allow_null=True, help_text="how long what is worn is at the house density; none where it goes by the UVs"
    )  # fmt: skip
    digest = serializers.CharField(source="sha256", help_text="another one for another texture")


class TileImageIn(serializers.Serializer[Any]):
    file = serializers.FileField()


class TileImageChange(serializers.Serializer[Any]):
    opacity = serializers.FloatField(min_value=0.05, max_value=1.0, required=False)
    repeats = serializers.FloatField(min_value=1 / 1024, max_value=1024, required=False)
    metres = serializers.FloatField(min_value=1e-6, max_value=1e6, allow_null=True, required=False)


PURPOSE = OpenApiParameter("purpose", enum=TileImage.PURPOSES, default=TileImage.BEHIND)


def _purpose(request: Request) -> str:
    asked = request.query_params.get("purpose", TileImage.BEHIND)
    if asked not in TileImage.PURPOSES:
        raise Refused(f"“{asked}”.", "purpose", f"Give {', '.join(TileImage.PURPOSES)}.")
    return asked


class TileImages(APIView):
    """Images over the tiles of an atlas."""

    roles = {"GET": VIEWER}

    @extend_schema(
        operation_id="list_tile_images",
        parameters=[PURPOSE],
        responses=TileImageOut(many=True),
    )
    def get(self, request: Request, atlas_id: int) -> Response:
        atlas = get_object_or_404(Atlas, pk=atlas_id)
        rows = atlas.tile_images.filter(purpose=_purpose(request))
        return Response(TileImageOut(rows, many=True).data)


class OneTileImage(APIView):
    """The image over a tile, for a purpose."""

    roles = {"GET": VIEWER, "POST": EDITOR, "PATCH": EDITOR, "DELETE": EDITOR}

    parser_classes = (MultiPartParser, JSONParser)

    def _row(self, request: Request, atlas_id: int, tile: int) -> TileImage:
        return get_object_or_404(TileImage, atlas=atlas_id, tile=tile, purpose=_purpose(request))

    @extend_schema(
        operation_id="get_tile_image",
        parameters=[PURPOSE],
        responses={(200, "image/png"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, atlas_id: int, tile: int) -> HttpResponse:
        row = self._row(request, atlas_id, tile)
        data = smaller(storage.get(row.sha256), SHOWN)
        if not data:
            raise Http404
        answer = HttpResponse(data, content_type="image/png")
        # Its address tells which image it is.
        answer["Cache-Control"] = "private, max-age=31536000, immutable"
        return answer

    @extend_schema(
        operation_id="lay_image",
        parameters=[PURPOSE],
        request=TileImageIn,
        responses=TileImageOut,
    )
    def post(self, request: Request, atlas_id: int, tile: int) -> Response:
        rows = Atlas.objects.select_related("head__keyframe", "head__atlas__project")
        atlas = get_object_or_404(rows, pk=atlas_id)
        file = valid(TileImageIn, request)["file"]
        return Response(
            TileImageOut(lay_image(atlas, tile, file.name, file.read(), _purpose(request))).data
        )

    @extend_schema(
        operation_id="change_tile_image",
        parameters=[PURPOSE],
        request=TileImageChange,
        responses=TileImageOut,
    )
    def patch(self, request: Request, atlas_id: int, tile: int) -> Response:
        row = self._row(request, atlas_id, tile)
        changed = valid(TileImageChange, request)
        for name, value in changed.items():
            setattr(row, name, value)
        row.save(update_fields=list(changed))
        return Response(TileImageOut(row).data)

    @extend_schema(operation_id="take_tile_image", parameters=[PURPOSE], responses={204: None})
    def delete(self, request: Request, atlas_id: int, tile: int) -> Response:
        self._row(request, atlas_id, tile).delete()
        return Response(status=204)
