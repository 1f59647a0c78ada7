"""A project as a file, out and in."""

from __future__ import annotations

import tempfile
from typing import Any

from django.http import FileResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework import serializers
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from quilt_core.document.project.file import SUFFIX
from studio.actions.access import ACCOUNT, VIEWER
from studio.actions.run.sheet_file import file_name
from studio.api import serializers as s
from studio.api.parse import valid
from studio.models import Project
from studio.transfer import export_project, import_project, may_export


class ProjectFileIn(serializers.Serializer[Any]):
    file = serializers.FileField()


class ProjectFile(APIView):
    """The project with its history as a file."""

    roles = {"GET": VIEWER}

    @extend_schema(
        operation_id="export_project", responses={(200, "application/zip"): OpenApiTypes.BINARY}
    )
    def get(self, request: Request, project_id: int) -> FileResponse:
        project = get_object_or_404(Project.objects.select_related("head"), pk=project_id)
        may_export(project)
        out = tempfile.TemporaryFile()  # noqa: SIM115 (the answer closes it)
        export_project(project, out)
        out.seek(0)
        name = file_name(project)
        return FileResponse(
            out, as_attachment=True, filename=f"{name}{SUFFIX}", content_type="application/zip"
        )


class ImportProject(APIView):
    """Bring a project in from a file."""

    roles = {"POST": ACCOUNT}

    parser_classes = (MultiPartParser,)

    @extend_schema(
        operation_id="import_project", request=ProjectFileIn, responses={201: s.ProjectOut}
    )
    def post(self, request: Request) -> Response:
        file = valid(ProjectFileIn, request)["file"]
        project = import_project(file, file.name)
        return Response(s.ProjectOut(project).data, status=201)
