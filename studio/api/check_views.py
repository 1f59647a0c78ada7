"""Views about proving."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

from django.http import Http404, HttpResponse
from django.shortcuts import get_object_or_404
from drf_spectacular.types import OpenApiTypes
from drf_spectacular.utils import extend_schema
from rest_framework.request import Request
from rest_framework.response import Response
from rest_framework.views import APIView

from quilt_core.check.findings import FINDING_KINDS
from quilt_core.check.rules import Rules, make_rules
from studio import storage
from studio.actions.access import EDITOR, VIEWER
from studio.actions.check.fix_findings import fix_findings
from studio.actions.check.rules import is_checked, set_rules
from studio.api import check_serializers as p
from studio.api import serializers as s
from studio.api.parse import valid
from studio.api.views import Change
from studio.jobs.queue import measure_all
from studio.models import Job, Project, Revision
from studio.references import file_of


class CheckResult(APIView):
    """What was found about a revision; no content until it is known."""

    roles = {"GET": VIEWER}

    @extend_schema(operation_id="get_check", responses={200: p.CheckOut, 204: None})
    def get(self, request: Request, revision_id: int) -> Response:
        revision = get_object_or_404(
            Revision.objects.select_related("atlas__project__head", "keyframe"), pk=revision_id
        )
        checked = revision.checked
        if checked is None:
            return Response(status=204)
        return Response(p.CheckOut({**checked, "current": is_checked(revision)}).data)


class HighPolyMesh(APIView):
    """Triangles of the fine meshes of a rehearsal, where the coarse ones stand."""

    roles = {"GET": VIEWER}

    @extend_schema(
        operation_id="get_high_poly",
        responses={(200, "application/octet-stream"): OpenApiTypes.BINARY},
    )
    def get(self, request: Request, job_id: int) -> HttpResponse:
        job = get_object_or_404(Job, pk=job_id, kind="bake", state=Job.DONE)
        key = file_of(job, "fine")
        if key is None:
            raise Http404
        data = storage.get(key)
        answer = HttpResponse(data, content_type="application/octet-stream")
        answer["Cache-Control"] = "private, max-age=31536000, immutable"
        return answer


class ProjectRules(APIView):
    """What a layout must keep to be called ready."""

    roles = {"GET": VIEWER, "PATCH": EDITOR}

    @extend_schema(operation_id="get_rules", responses=p.RulesOut)
    def get(self, request: Request, project_id: int) -> Response:
        return Response(p.RulesOut(_rules(get_object_or_404(Project, pk=project_id))).data)

    @extend_schema(operation_id="set_rules", request=p.RulesIn, responses=p.RulesOut)
    def patch(self, request: Request, project_id: int) -> Response:
        given = valid(p.RulesIn, request)
        set_rules(project_id, given.pop("change"), given)
        project = Project.objects.select_related("head").get(pk=project_id)
        measure_all(project)
        return Response(p.RulesOut(_rules(project)).data)


def _rules(project: Project) -> dict[str, Any]:
    rules = make_rules(project.rules, "rules", Rules())
    kinds = [
        {
            "kind": kind,
            **asdict(about),
            "severity": rules.severity_of(kind),
            "usual": about.severity,
        }
        for kind, about in FINDING_KINDS.items()
    ]
    return {
        **asdict(rules),
        "project": project,
        "ignored": [asdict(row) for row in rules.ignored],
        "kinds": kinds,
    }


class Fix(Change):
    """Fix findings at once."""

    roles = {"POST": EDITOR}

    @extend_schema(operation_id="fix", request=p.FixIn, responses=s.AtlasOut)
    def post(self, request: Request, atlas_id: int) -> Response:
        params = valid(p.FixIn, request)
        return self.change(
            atlas_id,
            params["change"],
            lambda head: fix_findings(head, params["fix"], params["islands"]),
        )


class ReportFile(APIView):
    """The report that a report job wrote: html or json."""

    roles = {"GET": VIEWER}

    @extend_schema(operation_id="get_report", responses={(200, "text/html"): OpenApiTypes.BINARY})
    def get(self, request: Request, job_id: int, kind: str) -> HttpResponse:
        job = get_object_or_404(Job, pk=job_id, kind="report", state=Job.DONE)
        types = {"html": "text/html; charset=utf-8", "json": "application/json"}
        key = file_of(job, kind)
        if key is None:
            raise Http404
        answer = HttpResponse(storage.get(key), content_type=types[kind])
        if "download" in request.query_params:
            answer["Content-Disposition"] = (
                f'attachment; filename="report-{job.params["revision"]}.{kind}"'
            )
        return answer
