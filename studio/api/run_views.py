"""Views of the run sheet."""

from __future__ import annotations

from typing import Any

from django.db import transaction
from django.db.models import Prefetch, QuerySet
from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import OpenApiParameter, extend_schema, extend_schema_field
from rest_framework import serializers
from rest_framework.parsers import MultiPartParser
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from quilt_core.operations.steps import STEPS, checked_steps
from studio import storage
from studio.actions.access import EDITOR, VIEWER
from studio.actions.errors import Refused
from studio.actions.run.facts import surveyed
from studio.actions.run.lines import MOST_LINES, add_target, put_back, remember, shown_as
from studio.actions.run.sheet_file import as_toml, read_lines
from studio.actions.run.targets import check_target, targets
from studio.api import serializers as s
from studio.api.parse import valid
from studio.api.views import Change
from studio.jobs.queue import run_line, run_lines
from studio.models import Atlas, Project, Revision, RunLine, RunResult
from studio.references import file_of

RESULTS = ("files", "carried", "maps", "textures", "report")
"""What a line may have made: stored archives."""


class RunStep(serializers.Serializer[Any]):
    do = serializers.ChoiceField(choices=STEPS)
    settings = serializers.DictField(default=dict)


class LineFigures(serializers.Serializer[Any]):
    coverage = serializers.FloatField(allow_null=True)
    density = serializers.FloatField(allow_null=True)
    gap_px = serializers.FloatField(allow_null=True)
    errors = serializers.IntegerField(allow_null=True)
    warnings = serializers.IntegerField(allow_null=True)
    against = serializers.ListField(
        child=serializers.CharField(),
        required=False,
        help_text="what stands against a bake, in words",
    )


class LineLayout(serializers.Serializer[Any]):
    """The layout of an atlas before and after a line."""

    atlas = serializers.IntegerField(source="revision.atlas_id")
    name = serializers.CharField(source="revision.name")
    revision = serializers.IntegerField(source="revision_id", help_text="the layout that it made")
    earlier = serializers.IntegerField(source="earlier_id", help_text="the layout before")
    before = LineFigures(allow_null=True)
    after = LineFigures(allow_null=True)


class LineRun(serializers.Serializer[Any]):
    """A result of a line."""

    id = serializers.IntegerField()
    when = serializers.DateTimeField()
    because = serializers.ListField(child=serializers.CharField())
    seconds = serializers.FloatField(allow_null=True, help_text="s")
    layouts = LineLayout(many=True)
    results = serializers.SerializerMethodField()

    @extend_schema_field(serializers.ListField(child=serializers.ChoiceField(choices=RESULTS)))
    def get_results(self, row: RunResult) -> list[str]:
        """What it has made besides layouts."""
        made = {one.purpose for one in row.stored.all()}
        return [name for name in RESULTS if name in made]


class PutBackIn(s.OnChange):
    revision = serializers.IntegerField()


class RunLineOut(serializers.Serializer[Any]):
    id = serializers.IntegerField()
    name = serializers.CharField()
    atlases = serializers.ListField(
        child=serializers.IntegerField(), help_text="those that it is about now"
    )
    named = serializers.BooleanField(help_text="whether it names these atlases")
    objects = serializers.ListField(
        child=serializers.CharField(), help_text="it is about the atlases that these lie in"
    )
    channel = serializers.IntegerField(allow_null=True, help_text="UV channel, from 1")
    steps = RunStep(many=True)
    hold = serializers.BooleanField()
    state = serializers.ChoiceField(choices=("current", "out of date", "failed", "held"))
    because = serializers.ListField(child=serializers.CharField())
    runs = LineRun(many=True, help_text="the last one first")
    present = serializers.ListField(
        child=serializers.IntegerField(), help_text="layouts of its atlases now"
    )


class RunLineIn(serializers.Serializer[Any]):
    name = serializers.CharField(max_length=120, required=False)
    steps = RunStep(many=True, required=False)
    hold = serializers.BooleanField(required=False)
    atlases = serializers.ListField(
        child=serializers.IntegerField(), required=False, help_text="that it is about"
    )
    objects = serializers.ListField(
        child=serializers.CharField(max_length=200),
        required=False,
        help_text="names of objects that it is about, instead of atlases",
    )
    channel = serializers.IntegerField(
        required=False, allow_null=True, min_value=1, max_value=64,
        help_text="UV channel that it is about, instead of atlases",
    )  # fmt: skip


class RunLinesIn(serializers.Serializer[Any]):
    lines = serializers.ListField(
        child=serializers.IntegerField(min_value=1), min_length=1, max_length=MOST_LINES,
        help_text="those that are to be done; lines of one atlas one after another",
    )  # fmt: skip


class RememberIn(serializers.Serializer[Any]):
    name = serializers.CharField(max_length=120)


def _rows(lines: QuerySet[RunLine]) -> list[dict[str, Any]]:
    """Lines with how each stands, in a few questions to the database."""
    layouts = Prefetch("results__layouts__revision", Revision.objects.defer("state"))
    found = surveyed(lines.prefetch_related("atlases", layouts, "results__stored"))
    meant = targets([line for line, _ in found])
    return [
        {
            "id": line.pk, "name": line.name, "atlases": [atlas.pk for atlas in meant[line.pk]], "named": bool(line.atlases.all()),
            "objects": line.objects_named, "channel": line.channel, "steps": line.steps, "hold": line.hold,
            "state": told.state, "because": told.because, "runs": line.results.all(),
            "present": [shown_as(atlas.head) for atlas in meant[line.pk] if atlas.head],
        }
        for line, told in found
    ]  # fmt: skip


def _lines(project_id: int) -> list[dict[str, Any]]:
    return list(RunLineOut(_rows(RunLine.objects.filter(project=project_id)), many=True).data)


def _answer(line: RunLine) -> dict[str, Any]:
    (found,) = _rows(RunLine.objects.filter(pk=line.pk))
    return dict(RunLineOut(found).data)


class RunSheet(APIView):
    """Lines of a project's run sheet, and how each stands."""

    roles = {"GET": VIEWER, "POST": EDITOR}

    @extend_schema(operation_id="get_run_sheet", responses=RunLineOut(many=True))
    def get(self, request: Request, project_id: int) -> Response:
        get_object_or_404(Project, pk=project_id)
        return Response(_lines(project_id))

    @extend_schema(operation_id="run_lines", request=RunLinesIn, responses={202: s.JobOut})
    def post(self, request: Request, project_id: int) -> Response:
        job = run_lines(project_id, valid(RunLinesIn, request)["lines"])
        return Response(s.JobOut(job).data, status=202)


class SheetFileIn(serializers.Serializer[Any]):
    file = serializers.FileField()


class RunSheetFile(APIView):
    """The run sheet as a file, out and in."""

    roles = {"GET": VIEWER, "POST": EDITOR}

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
        return Response(_lines(project_id))


class Remember(APIView):
    """Make a line of what was done to an atlas by hand."""

    roles = {"POST": EDITOR}

    @extend_schema(operation_id="remember_line", request=RememberIn, responses={201: RunLineOut})
    def post(self, request: Request, atlas_id: int) -> Response:
        atlas = get_object_or_404(Atlas.objects.exclude(head=None), pk=atlas_id)
        line = remember(atlas, valid(RememberIn, request)["name"])
        return Response(_answer(line), status=201)


def _be_about(line: RunLine, given: dict[str, Any]) -> None:
    """Say what a line is about.

    Raises
    ------
    QuiltError
    """
    ids = set(given.get("atlases", []))
    there = line.project.atlases.exclude(head=None)
    atlases = list(there.filter(pk__in=ids).order_by("pk"))
    if len(atlases) < len(ids):
        raise Refused("One of the atlases is not there (any more).", "atlases", "Look at the project again.")  # fmt: skip
    objects, channel = given.get("objects", []), given.get("channel")
    if objects or channel:
        check_target(line.project, objects, channel)
    add_target(line, atlases, objects, channel)


class OneLine(APIView):
    """A line of the run sheet."""

    roles = {"PATCH": EDITOR, "DELETE": EDITOR}

    @extend_schema(operation_id="change_line", request=RunLineIn, responses=RunLineOut)
    def patch(self, request: Request, line_id: int) -> Response:
        given = valid(RunLineIn, request)
        with transaction.atomic():
            line = get_object_or_404(RunLine.objects.select_for_update(), pk=line_id)
            if "steps" in given:
                line.steps = checked_steps(given["steps"])
            line.name = given.get("name", line.name)
            line.hold = given.get("hold", line.hold)
            line.save()
            if given.keys() & {"atlases", "objects", "channel"}:
                _be_about(line, given)
        return Response(_answer(line))

    @extend_schema(operation_id="delete_line", responses={204: None})
    def delete(self, request: Request, line_id: int) -> Response:
        get_object_or_404(RunLine, pk=line_id).delete()
        return Response(status=204)


class DoLine(APIView):
    """Do a line."""

    roles = {"POST": EDITOR}

    @extend_schema(operation_id="run_line", request=None, responses={202: s.JobOut})
    def post(self, request: Request, line_id: int) -> Response:
        line = get_object_or_404(RunLine, pk=line_id)
        return Response(s.JobOut(run_line(line)).data, status=202)


class PutBack(Change):
    """Take the layout that a line has made, or that was there before it."""

    roles = {"POST": EDITOR}

    @extend_schema(operation_id="put_line_back", request=PutBackIn, responses=s.AtlasOut)
    def post(self, request: Request, line_id: int) -> Response:
        line = get_object_or_404(RunLine, pk=line_id)
        given = valid(PutBackIn, request)
        atlas = get_object_or_404(Revision.objects.only("atlas"), pk=given["revision"]).atlas_id
        if not line.project.atlases.filter(pk=atlas).exists():
            raise Http404
        return self.change(
            atlas, given["change"], lambda head: put_back(line, head, given["revision"])
        )


class LineResult(APIView):
    """What a line has made: files, carried images, or maps."""

    roles = {"GET": VIEWER}

    @extend_schema(
        operation_id="get_line_result",
        parameters=[
            OpenApiParameter("run", int, description="id of the result; none for the last")
        ],
        responses={(200, "application/zip"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, line_id: int, name: str) -> HttpResponse:
        line = get_object_or_404(RunLine, pk=line_id)
        asked = request.query_params.get("run", "")
        runs = line.results.filter(pk=asked) if asked.isdecimal() else line.results.all()
        run = runs.first() if asked.isdecimal() or not asked else None
        key = file_of(run, name) if run and name in RESULTS else None
        if key is None:
            raise Http404
        headers = {"Content-Disposition": f'attachment; filename="untold-quilt-{name}.zip"'}
        return HttpResponse(storage.get(key), content_type="application/zip", headers=headers)
