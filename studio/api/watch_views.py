"""Views of the watched folder of a project."""

from __future__ import annotations

from typing import Any

from django.shortcuts import get_object_or_404
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from studio.actions.access import EDITOR
from studio.actions.gather.watch_folder import watch
from studio.api.parse import valid
from studio.jobs.watch import look
from studio.models import Project, WatchedFolder


class WatchIn(serializers.Serializer[Any]):
    path = serializers.CharField(max_length=1000, help_text="whole path on the server's machine")
    run_lines = serializers.BooleanField(default=False)


class WatchOut(serializers.Serializer[Any]):
    path = serializers.CharField()
    run_lines = serializers.BooleanField()
    watched = serializers.IntegerField(help_text="files of the project that lie there")
    waiting = serializers.ListField(child=serializers.CharField(), help_text="newer ones")
    started = serializers.CharField(allow_blank=True)
    wrong = serializers.CharField(allow_blank=True)
    change = serializers.IntegerField(help_text="the project's newest step")


def _told(row: WatchedFolder) -> dict[str, Any]:
    head = Project.objects.values_list("head", flat=True).get(pk=row.project_id)
    return {"path": row.path, "run_lines": row.run_lines, "change": head}


class Watch(APIView):
    """The folder that a project watches."""

    roles = {"POST": EDITOR, "PUT": EDITOR, "DELETE": EDITOR}

    @extend_schema(
        operation_id="look_into_folder", request=None, responses={200: WatchOut, 204: None}
    )
    def post(self, request: Request, project_id: int) -> Response:
        """Look into it, and start what is to be done."""
        row = (
            WatchedFolder.objects.filter(project=project_id).select_related("project__head").first()
        )
        if row is None:
            return Response(status=204)
        found = look(row)
        return Response(WatchOut({**_told(row), **found}).data)

    @extend_schema(operation_id="watch_folder", request=WatchIn, responses=WatchOut)
    def put(self, request: Request, project_id: int) -> Response:
        project = get_object_or_404(Project.objects.select_related("head"), pk=project_id)
        given = valid(WatchIn, request)
        row = watch(project, given["path"].strip(), given["run_lines"])
        nothing = {"waiting": [], "started": "", "wrong": ""}
        shown = {**_told(row), "watched": len(row.seen), **nothing}
        return Response(WatchOut(shown).data)

    @extend_schema(operation_id="end_watch", responses={204: None})
    def delete(self, request: Request, project_id: int) -> Response:
        get_object_or_404(WatchedFolder, project=project_id).delete()
        return Response(status=204)
