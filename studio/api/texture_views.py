"""Views of carrying over."""

from __future__ import annotations

import json

from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.parsers import JSONParser, MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from quilt_core.textures.roles import guess_role
from studio import storage
from studio.actions.access import EDITOR, VIEWER
from studio.actions.hand_off.merged import TextureState, texture_state
from studio.actions.merge.give_textures import (
    as_they_came,
    change_role,
    give_texture,
    give_textures,
)
from studio.actions.merge.list_materials import (
    list_materials,
    small_image,
    smaller,
)
from studio.actions.merge.painted_model import painted_bytes, painted_digest
from studio.actions.merge.profiles import profiles_of, save_profile
from studio.api import texture_serializers as c
from studio.api.parse import valid
from studio.models import Atlas, Job, Project, Revision, SavedProfile, Source

MIME = {"jpg": "image/jpeg", "webp": "image/webp"}


class Materials(APIView):
    """The material shelf of an atlas: materials, what merging would change, what does not belong
    together."""

    roles = {"GET": VIEWER}

    @extend_schema(operation_id="get_materials", parameters=[c.ShelfQuery], responses=c.ShelfOut)
    def get(self, request: Request, atlas_id: int) -> Response:
        query = c.ShelfQuery(data=request.query_params)
        query.is_valid(raise_exception=True)
        size = query.validated_data["size"]
        return Response(c.ShelfOut(list_materials(_head(atlas_id), (size, size))).data)


class MergedTexture(APIView):
    """An image that was carried over, whole or made smaller."""

    roles = {"GET": VIEWER}

    @extend_schema(
        operation_id="get_merged_texture",
        parameters=[c.MergedQuery],
        responses={(200, "image/png"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, job_id: int, name: str) -> HttpResponse:
        query = c.MergedQuery(data=request.query_params)
        query.is_valid(raise_exception=True)
        job = get_object_or_404(Job, pk=job_id, kind__in=("merge", "bake"))
        # Work that goes on has coarse images among its figures.
        key = (job.result if job.state == Job.DONE else job.figures or {}).get(f"image {name}")
        if key is None:
            raise Http404
        data = storage.get(key)
        size = query.validated_data.get("size")
        if size:
            data = smaller(data, size)
        kind = "image/png" if size else MIME.get(name.rpartition(".")[2], "image/png")
        answer = HttpResponse(data, content_type=kind)
        # What a job has made never changes.
        kept = "max-age=31536000, immutable" if job.state == Job.DONE else "no-store"
        answer["Cache-Control"] = f"private, {kept}"
        return answer


class HandOffTextures(APIView):
    """Which textures a hand off would have: merged ones that fit, or such as are painted for another layout."""

    roles = {"GET": VIEWER}

    @extend_schema(
        operation_id="get_hand_off_textures",
        parameters=[c.HandOffAsked],
        responses=c.HandOffTexturesOut,
    )
    def get(self, request: Request, project_id: int) -> Response:
        query = c.HandOffAsked(data=request.query_params)
        query.is_valid(raise_exception=True)
        project = get_object_or_404(Project.objects.select_related("head"), pk=project_id)
        heads = Revision.objects.select_related("atlas__project__head", "keyframe").in_bulk(
            [pk for _, pk in project.head.atlases] if project.head else []
        )
        edits = json.loads(query.validated_data["edits"])
        channel = query.validated_data.get("to_channel")
        state = texture_state(list(heads.values()), channel, edits) if heads else TextureState()
        return Response(c.HandOffTexturesOut(state).data)


class MaterialTexture(APIView):
    """An image of a file's materials, made small."""

    roles = {"GET": VIEWER}

    @extend_schema(
        operation_id="get_material_image",
        parameters=[c.ThumbQuery],
        responses={(200, "image/png"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, source_id: int, number: int) -> HttpResponse:
        source = get_object_or_404(Source, pk=source_id, is_mesh=True)
        query = c.ThumbQuery(data=request.query_params)
        query.is_valid(raise_exception=True)
        data = small_image(source, number, query.validated_data["size"])
        if data is None:
            raise Http404
        answer = HttpResponse(data, content_type="image/png")
        # Its address tells what its materials were given.
        answer["Cache-Control"] = "private, max-age=31536000, immutable"
        return answer


class PaintedModel(APIView):
    """How the objects of a layout are painted in their own files."""

    roles = {"GET": VIEWER}

    @extend_schema(
        operation_id="get_painted_model",
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, revision_id: int) -> HttpResponse:
        rows = Revision.objects.select_related("keyframe", "atlas__project")
        revision = get_object_or_404(rows, pk=revision_id)
        answer = HttpResponse(painted_bytes(revision), content_type="application/octet-stream")
        answer["Cache-Control"] = "private, no-cache"
        answer["ETag"] = f'"{painted_digest(revision)}"'
        return answer


class GiveTextures(APIView):
    """Drop images on the shelf: they go where their names say."""

    roles = {"POST": EDITOR, "DELETE": EDITOR}

    parser_classes = (MultiPartParser,)

    @extend_schema(operation_id="give_textures", request=c.GiveTexturesIn, responses=c.GivenOut)
    def post(self, request: Request, atlas_id: int) -> Response:
        head = _head(atlas_id)
        files = {f.name: f.read() for f in request.FILES.getlist("files")}
        return Response(give_textures(head, files))

    @extend_schema(operation_id="take_textures_back", responses={204: None})
    def delete(self, request: Request, atlas_id: int) -> Response:
        as_they_came(_head(atlas_id))
        return Response(status=204)


class GiveTexture(APIView):
    """Give a material of a file an image, or let one of its images show something else."""

    roles = {"POST": EDITOR, "PATCH": EDITOR}

    parser_classes = (MultiPartParser, JSONParser)

    @extend_schema(operation_id="give_texture", request=c.GiveTextureIn, responses={204: None})
    def post(self, request: Request, source_id: int, material: int) -> Response:
        source = get_object_or_404(Source, pk=source_id, is_mesh=True)
        given = valid(c.GiveTextureIn, request)
        file = given["file"]
        role = given["role"] or guess_role(file.name)[0] or "baseColor"
        give_texture(source, material, role, given["uv_channel"], file.name, file.read())
        return Response(status=204)

    @extend_schema(operation_id="change_role", request=c.RoleIn, responses={204: None})
    def patch(self, request: Request, source_id: int, material: int) -> Response:
        source = get_object_or_404(Source, pk=source_id, is_mesh=True)
        given = valid(c.RoleIn, request)
        change_role(source, material, given["role"], given["to"])
        return Response(status=204)


def _head(atlas_id: int) -> Revision:
    rows = Atlas.objects.select_related("head__keyframe", "head__atlas__project")
    atlas = get_object_or_404(rows, pk=atlas_id)
    if atlas.head is None:
        raise Http404
    return atlas.head


class Profiles(APIView):
    """What engines want their images like: profiles that are always there, and those of a project."""

    roles = {"GET": VIEWER, "POST": EDITOR}

    @extend_schema(operation_id="list_profiles", responses=c.ProfilesOut)
    def get(self, request: Request, project_id: int) -> Response:
        return Response(profiles_of(get_object_or_404(Project, pk=project_id)))

    @extend_schema(operation_id="save_profile", request=c.ProfileIn, responses=c.ProfilesOut)
    def post(self, request: Request, project_id: int) -> Response:
        project = get_object_or_404(Project, pk=project_id)
        save_profile(project, valid(c.ProfileIn, request)["profile"])
        return Response(profiles_of(project))


class OneProfile(APIView):
    """Throw a profile away."""

    roles = {"DELETE": EDITOR}

    @extend_schema(operation_id="drop_profile", responses={204: None})
    def delete(self, request: Request, profile_id: int) -> Response:
        get_object_or_404(SavedProfile, pk=profile_id).delete()
        return Response(status=204)
