"""Views about which objects lie in which atlas, and in which UV channel."""

from __future__ import annotations

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from studio.actions.access import EDITOR, VIEWER
from studio.actions.gather import share_out
from studio.actions.gather.set_channel import set_channel
from studio.api import atlas_serializers as q
from studio.api import serializers as s
from studio.api.parse import valid
from studio.api.views import Change, answer_project
from studio.models import Atlas, Project, Revision
from studio.state import read_state


def _project_of(atlas_id: int) -> int:
    return int(get_object_or_404(Atlas, pk=atlas_id).project_id)


class Atlases(APIView):
    """Make an atlas."""

    roles = {"POST": EDITOR}

    @extend_schema(operation_id="new_atlas", request=q.NewAtlasIn, responses={201: q.NewAtlasOut})
    def post(self, request: Request, project_id: int) -> Response:
        given = valid(q.NewAtlasIn, request)
        named = (project_id, given["change"], given["name"], given["objects"])
        if given["again"]:
            _, made = share_out.second_layout(*named, given.get("size"))
        else:
            islands = (given["source"], given["islands"]) if given["islands"] else None
            _, made = share_out.new_atlas(*named, given["channel"], islands)
        return Response({"project": answer_project(project_id).data, "atlas": made}, status=201)


class LooseObjects(APIView):
    """Objects that lie in no atlas."""

    roles = {"GET": VIEWER}

    @extend_schema(operation_id="list_loose_objects", responses=q.LooseObjectOut(many=True))
    def get(self, request: Request, project_id: int) -> Response:
        project = get_object_or_404(Project.objects.select_related("head"), pk=project_id)
        heads = Revision.objects.filter(
            pk__in=[r for _, r in project.head.atlases] if project.head else []
        )
        states = [read_state(head) for head in heads.select_related("keyframe")]
        rows = [
            {
                "id": obj.pk,
                "name": obj.name,
                "file": obj.source.name,
                "islands": islands,
                "whole": whole,
            }
            for obj, islands, whole in share_out.loose_objects(project, states)
        ]
        return Response(rows)


class MoveObjects(APIView):
    """Put objects into an atlas."""

    roles = {"POST": EDITOR}

    @extend_schema(operation_id="move_objects", request=q.ObjectsIn, responses=s.ProjectOut)
    def post(self, request: Request, atlas_id: int) -> Response:
        given, project = valid(q.ObjectsIn, request), _project_of(atlas_id)
        share_out.move_objects(
            project, atlas_id, given["change"], given["objects"], given["channel"]
        )
        return answer_project(project)


class MoveIslands(APIView):
    """Put islands of one atlas into another; objects are parted where needed."""

    roles = {"POST": EDITOR}

    @extend_schema(operation_id="move_islands", request=q.IslandsIn, responses=s.ProjectOut)
    def post(self, request: Request, atlas_id: int) -> Response:
        given, project = valid(q.IslandsIn, request), _project_of(atlas_id)
        share_out.move_islands(
            project, atlas_id, given["change"], given["source"], given["islands"]
        )
        return answer_project(project)


class ReleaseIslands(APIView):
    """Take islands out of an atlas; they stay in the project."""

    roles = {"POST": EDITOR}

    @extend_schema(
        operation_id="release_islands", request=q.ReleaseIslandsIn, responses=s.ProjectOut
    )
    def post(self, request: Request, atlas_id: int) -> Response:
        given, project = valid(q.ReleaseIslandsIn, request), _project_of(atlas_id)
        share_out.release_islands(project, atlas_id, given["change"], given["islands"])
        return answer_project(project)


class ReleaseObjects(APIView):
    """Take objects out of an atlas; they stay in the project."""

    roles = {"POST": EDITOR}

    @extend_schema(operation_id="release_objects", request=q.ObjectsIn, responses=s.ProjectOut)
    def post(self, request: Request, atlas_id: int) -> Response:
        given, project = valid(q.ObjectsIn, request), _project_of(atlas_id)
        share_out.release_objects(project, atlas_id, given["change"], given["objects"])
        return answer_project(project)


class AtlasName(APIView):
    """Give an atlas another name."""

    roles = {"PUT": EDITOR}

    @extend_schema(operation_id="rename_atlas", request=q.AtlasName, responses=s.ProjectOut)
    def put(self, request: Request, atlas_id: int) -> Response:
        given, project = valid(q.AtlasName, request), _project_of(atlas_id)
        share_out.rename_atlas(project, atlas_id, given["change"], given["name"])
        return answer_project(project)


class DeleteAtlas(APIView):
    """Take an atlas away; undo brings it back."""

    roles = {"POST": EDITOR}

    @extend_schema(operation_id="delete_atlas", request=s.OnChange, responses=s.ProjectOut)
    def post(self, request: Request, atlas_id: int) -> Response:
        given, project = valid(s.OnChange, request), _project_of(atlas_id)
        share_out.delete_atlas(project, atlas_id, given["change"])
        return answer_project(project)


class Channel(Change):
    """The UV channel that objects are laid out from and written to."""

    roles = {"POST": EDITOR}

    @extend_schema(operation_id="set_channel", request=q.ChannelIn, responses=s.AtlasOut)
    def post(self, request: Request, atlas_id: int) -> Response:
        given = valid(q.ChannelIn, request)
        return self.change(
            atlas_id,
            given["change"],
            lambda head: set_channel(head, given["objects"], given["source"], given["target"]),
        )
