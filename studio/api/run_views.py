"""Views of the run sheet."""

from __future__ import annotations

from typing import Any

from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema
from rest_framework import serializers
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from quilt_core.operations.steps import STEPS, checked_steps
from studio import storage
from studio.actions.run.facts import surveyed
from studio.actions.run.lines import (
    MOST_LINES,
    put_back,
    remember,
    runs_of,
    shown_as,
)
from studio.actions.run.sheet_file import as_toml, read_lines
from studio.api import serializers as s
from studio.api.parse import valid
from studio.api.views import Change
from studio.jobs.run import claim, run_lines
from studio.models import Atlas, Project, RunLine

RESULTS = {"files": "file", "carried": "carried", "maps": "maps", "textures": "textures"}


class RunStep(serializers.Serializer[Any]):
    do = serializers.ChoiceField(choices=STEPS)
    settings = serializers.DictField(default=dict)


class LineFigures(serializers.Serializer[Any]):
    coverage = serializers.FloatField(allow_null=True)
    density = serializers.FloatField(allow_null=True)
    gap_px = serializers.FloatField(allow_null=True)
    errors = serializers.IntegerField(allow_null=True)
    warnings = serializers.IntegerField(allow_null=True)


class LineRun(serializers.Serializer[Any]):
    """A result of a line."""

    when = serializers.CharField()
    because = serializers.ListField(child=serializers.CharField())
    before = LineFigures(allow_null=True)
    after = LineFigures(allow_null=True)
    seconds = serializers.FloatField(allow_null=True)
    revision = serializers.IntegerField(help_text="the layout that it made")
    earlier = serializers.IntegerField(help_text="the layout before")
    results = serializers.ListField(child=serializers.ChoiceField(choices=tuple(RESULTS)))


class PutBackIn(s.OnChange):
    revision = serializers.IntegerField()


class RunLineOut(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    atlas = serializers.IntegerField()
    steps = RunStep(many=True)
    hold = serializers.BooleanField()
    state = serializers.ChoiceField(choices=("current", "out of date", "failed", "held"))
    because = serializers.ListField(child=serializers.CharField())
    runs = LineRun(many=True, help_text="the last one first")
    present = serializers.IntegerField(allow_null=True, help_text="the atlas's layout now")


class RunLineIn(serializers.Serializer[Any]):
    name = serializers.CharField(max_length=120, required=False)
    steps = RunStep(many=True, required=False)
    hold = serializers.BooleanField(required=False)


class RunLinesIn(serializers.Serializer[Any]):
    lines = serializers.ListField(
        child=serializers.IntegerField(min_value=1), min_length=1, max_length=MOST_LINES,
        help_text="those that are to be done; lines of one atlas one after another",
    )  # fmt: skip


class RememberIn(serializers.Serializer[Any]):
    name = serializers.CharField(max_length=120)


def _row(line: RunLine, told: dict[str, Any]) -> dict[str, Any]:
    runs = [
        row | {"results": [name for name, key in RESULTS.items() if row.get(key)]}
        for row in runs_of(line)
    ]
    return {
        "id": line.pk, "name": line.name, "atlas": line.atlas_id, "steps": line.steps, "hold": line.hold,
        **told, "runs": runs, "present": shown_as(line.atlas.head) if line.atlas.head else None,
    }  # fmt: skip


def _lines(project_id: int) -> list[dict[str, Any]]:
    return [_row(line, told) for line, told in surveyed(RunLine.objects.filter(project=project_id))]


def _answer(line: RunLine) -> dict[str, Any]:
    (found,) = surveyed(RunLine.objects.filter(pk=line.pk))
    return dict(RunLineOut(_row(*found)).data)


class RunSheet(APIView):
    """Lines of a project's run sheet, and how each stands."""

    @extend_schema(operation_id="get_run_sheet", responses=RunLineOut(many=True))
    def get(self, request: Request, project_id: int) -> Response:
        get_object_or_404(Project, pk=project_id)
        return Response(RunLineOut(_lines(project_id), many=True).data)

    @extend_schema(operation_id="run_lines", request=RunLinesIn, responses={202: s.JobOut})
    def post(self, request: Request, project_id: int) -> Response:
        job = run_lines(project_id, valid(RunLinesIn, request)["lines"])
        return Response(s.JobOut(job).data, status=202)


class SheetFileIn(serializers.Serializer[Any]):
    file = serializers.FileField()


class RunSheetFile(APIView):
    """The run sheet as a file, out and in."""

    parser_classes = (MultiPartParser,)

    @extend_schema(
        operation_id="get_run_sheet_file",
        responses={(200, "application/toml"): OpenApiTypes.STR},
    )
    def get(self, request: Request, project_id: int) -> HttpResponse:
        project = get_object_or_404(Project.objects.select_related("head"), pk=project_id)
        headers = {"Content-Disposition": 'attachment; filename="run-sheet.toml"'}
        return HttpResponse(
            as_toml(project), content_type="application/toml; charset=utf-8", headers=headers
        )

    @extend_schema(
        operation_id="read_run_sheet_file", request=SheetFileIn, responses=RunLineOut(many=True)
    )
    def post(self, request: Request, project_id: int) -> Response:
        project = get_object_or_404(Project.objects.select_related("head"), pk=project_id)
        file = valid(SheetFileIn, request)["file"]
        read_lines(project, file.name, file.read())
        return Response(RunLineOut(_lines(project_id), many=True).data)


class Remember(APIView):
    """Make a line of what was done to an atlas by hand."""

    @extend_schema(operation_id="remember_line", request=RememberIn, responses={201: RunLineOut})
    def post(self, request: Request, atlas_id: int) -> Response:
        atlas = get_object_or_404(Atlas.objects.exclude(head=None), pk=atlas_id)
        line = remember(atlas, valid(RememberIn, request)["name"])
        return Response(_answer(line), status=201)


class OneLine(APIView):
    """A line of the run sheet."""

    @extend_schema(operation_id="change_line", request=RunLineIn, responses=RunLineOut)
    def patch(self, request: Request, line_id: int) -> Response:
        line = get_object_or_404(RunLine.objects.select_related("atlas__head"), pk=line_id)
        given = valid(RunLineIn, request)
        if "steps" in given:
            line.steps = checked_steps(given["steps"])
        line.name = given.get("name", line.name)
        line.hold = given.get("hold", line.hold)
        line.save()
        return Response(_answer(line))

    @extend_schema(operation_id="delete_line", responses={204: None})
    def delete(self, request: Request, line_id: int) -> Response:
        get_object_or_404(RunLine, pk=line_id).delete()
        return Response(status=204)


class DoLine(APIView):
    """Do a line."""

    @extend_schema(operation_id="run_line", request=None, responses={202: s.JobOut})
    def post(self, request: Request, line_id: int) -> Response:
        line = get_object_or_404(RunLine, pk=line_id)
        job = claim("run line", line.atlas_id, {"line": line.pk})
        return Response(s.JobOut(job).data, status=202)


class PutBack(Change):
    """Take the layout that a line has made, or that was there before it."""

    @extend_schema(operation_id="put_line_back", request=PutBackIn, responses=s.AtlasOut)
    def post(self, request: Request, line_id: int) -> Response:
        line = get_object_or_404(RunLine, pk=line_id)
        given = valid(PutBackIn, request)
        return self.change(
            line.atlas_id, given["change"], lambda head: put_back(line, head, given["revision"])
        )


class LineResult(APIView):
    """What a line has made: files, carried pictures, or maps."""

    @extend_schema(
        operation_id="get_line_result",
        parameters=[
            OpenApiParameter("revision", int, description="of the result; none for the last")
        ],
        responses={(200, "application/zip"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, line_id: int, name: str) -> HttpResponse:
        line = get_object_or_404(RunLine, pk=line_id)
        asked = request.query_params.get("revision", "")
        rows = [row for row in runs_of(line) if asked in ("", str(row["revision"]))]
        key = rows[0].get(RESULTS.get(name, "")) if rows else None
        if not key:
            raise Http404
        headers = {"Content-Disposition": f'attachment; filename="untold-quilt-{name}.zip"'}
        return HttpResponse(storage.get(key), content_type="application/zip", headers=headers)
